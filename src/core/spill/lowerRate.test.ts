import { describe, expect, it } from 'vitest';
import { doubled, halved } from '../dsp/halfBand';
import { createGaussian, createRng } from '../dsp/rng';
import { lowered, raised, restored, timesLower } from './lowerRate';

const RATE = 96000;
const noise = (n: number, seed: number) => Float32Array.from({ length: n }, createGaussian(createRng(seed)));
/** Refuses to read beyond the recording, as files do. */
const readerOf = (x: Float32Array) => ({
  read(at: number, out: Float32Array) {
    if (at < 0 || at + out.length > x.length) throw new Error(`${at} to ${at + out.length} of ${x.length}`);
    out.set(x.subarray(at, at + out.length));
  },
});
/** A half or a quarter of the rate, with silence before and after the recording. */
function fromSilence(x: Float32Array, times: number): Float32Array {
  const pad = 1024;
  const long = new Float32Array(x.length + 2 * pad);
  long.set(x, pad);
  const low = times === 2 ? halved(long) : halved(halved(long));
  return low.slice(pad / times, pad / times + Math.ceil(x.length / times));
}
const power = (x: Float32Array) => x.reduce((a, v) => a + v * v, 0) / x.length;

describe('the rate at which de-bleed works', () => {
  it('is that of the recording under 88.2 kHz, and half or a quarter of it above', () => {
    expect([32000, 44100, 48000, 88200, 96000, 176400, 192000].map(timesLower)).toEqual([1, 1, 1, 2, 2, 4, 4]);
  });
  it('gives the same samples wherever they are read from', async () => {
    const x = noise(200001, 1);
    for (const times of [2, 4]) {
      const low = lowered({ frames: x.length, readers: [readerOf(x)] }, times);
      const whole = fromSilence(x, times);
      expect(low.frames).toBe(whole.length);
      for (const [at, n] of [[0, 1000], [33333, 500], [low.frames - 700, 700]]) {
        const out = new Float32Array(n);
        await low.readers[0].read(at, out);
        for (let i = 0; i < n; i++) expect(Math.abs(out[i] - whole[at + i]), `${times} times, ${at + i}`).toBeLessThan(1e-6);
      }
    }
    const same = { frames: x.length, readers: [readerOf(x)] };
    expect(lowered(same, 1)).toBe(same);
  });
});

describe('a mic that comes back from a lower rate', () => {
  it('is the raw one where nothing was taken, its highs too', async () => {
    for (const [rate, times] of [[RATE, 2], [2 * RATE, 4]]) {
      const x = noise(150001, 2);
      const low = fromSilence(x, times);
      const y = await restored(readerOf(x), low, rate, times, x.length);
      expect(y.length).toBe(x.length);
      for (let i = 0; i < x.length; i++) expect(Math.abs(y[i] - x[i])).toBeLessThan(1e-5);
    }
  });
  it('is silent where nothing is left, and half as loud where half is left, also above what was worked on', async () => {
    const x = noise(300000, 3);
    const low = halved(x);
    const kept = low.map((v, i) => (i < 50000 ? 0 : i < 100000 ? 0.5 * v : v));
    const y = await restored(readerOf(x), kept, RATE, 2, x.length);
    const highs = (from: number, to: number) => {
      const part = y.subarray(from, to);
      const without = raised(halved(part), 2);
      return power(part.map((v, i) => v - without[i]).subarray(200, to - from - 200));
    };
    expect(power(y.subarray(200, 98000))).toBeLessThan(1e-8);
    expect(highs(102000, 198000) / highs(202000, 300000)).toBeCloseTo(0.25, 1);
    expect(highs(202000, 300000)).toBeGreaterThan(0.1);
    expect(y.length).toBe(doubled(low).length);
  });
});
