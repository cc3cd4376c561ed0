import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { type Closing, cornerAt, createClosings } from './closingStage';

const RATE = 48000;
const gauss = createGaussian(createRng(3));
const noise = Float32Array.from({ length: 5 * RATE }, () => 0.1 * gauss());
const list: Closing[] = [{ from: RATE, to: 4 * RATE, hz: 1000 }];

function run(x: Float32Array, closings: readonly Closing[], sizes = [4096]): Float32Array {
  const stage = createClosings(RATE);
  stage.set(closings);
  const io = x.slice();
  for (let at = 0, k = 0; at < io.length; k++) {
    const n = Math.min(sizes[k % sizes.length], io.length - at);
    stage.process(io, at, n, at);
    at += n;
  }
  return io;
}

describe('a low-pass that closes over a stretch', () => {
  it('closes evenly in octaves from 20 kHz to its frequency', () => {
    expect(cornerAt(list, RATE)).toBeCloseTo(20000, 0);
    expect(cornerAt(list, 2.5 * RATE)).toBeCloseTo(Math.sqrt(20000 * 1000), 0);
    expect(cornerAt(list, 4 * RATE - 1)).toBeCloseTo(1000, 0);
    expect(cornerAt(list, RATE - 1)).toBeNull();
    expect(cornerAt(list, 4 * RATE)).toBeNull();
  });

  it('touches nothing outside of the stretch, and 10 ms after it', () => {
    const y = run(noise, list);
    expect(y.subarray(0, RATE)).toEqual(noise.subarray(0, RATE));
    expect(y.subarray(4 * RATE + 480)).toEqual(noise.subarray(4 * RATE + 480));
    expect(y.subarray(2 * RATE, 3 * RATE)).not.toEqual(noise.subarray(2 * RATE, 3 * RATE));
  });

  it('has 24 dB an octave: near its end a tone two octaves over the corner is some 48 dB down, one two octaves under it is whole', () => {
    const level = (hz: number) => {
      const x = Float32Array.from({ length: 5 * RATE }, (_, i) => Math.sin((2 * Math.PI * hz * i) / RATE));
      const y = run(x, list);
      const from = Math.round(3.93 * RATE);
      return 10 * Math.log10(y.subarray(from, from + 2400).reduce((s, v) => s + v * v, 0) / 1200);
    };
    expect(level(4300)).toBeLessThan(-42);
    expect(level(4300)).toBeGreaterThan(-52);
    expect(Math.abs(level(250))).toBeLessThan(0.3);
  });

  it('gives the same whatever the blocks, and jumps nowhere', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 4000 }), { minLength: 1, maxLength: 6 }), (sizes) => {
        expect(run(noise.subarray(0, 2 * RATE), list, sizes)).toEqual(run(noise.subarray(0, 2 * RATE), list));
      }),
      { numRuns: 15 },
    );
    const slow = Float32Array.from({ length: 5 * RATE }, (_, i) => Math.sin((2 * Math.PI * 50 * i) / RATE));
    const y = run(slow, list);
    for (let i = 1; i < y.length; i++) if (Math.abs(y[i] - y[i - 1]) > 0.012) throw new Error(`a jump at ${i}`);
  });
});
