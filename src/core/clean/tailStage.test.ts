import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { TAIL_DEFAULTS, type TailSettings } from '../params/sliceParams';
import { DAMPED_BLOCK, createDampedMic } from './dampedMic';
import { type LiveTail, createTail, symmetricLowpass, tailLatency } from './tailStage';

const RATE = 48000;
const N = 2 * RATE;
const hit = (seconds: number, strength = 1) => ({ frame: Math.round(seconds * RATE), strength });
const live = (s: Partial<TailSettings>, hits = [hit(0.5), hit(1.2)], foreign: number[] = []): LiveTail => ({ settings: { ...TAIL_DEFAULTS, on: true, ...s }, hits, foreign });

function run(x: Float32Array, t: LiveTail | null, block = 512): Float32Array {
  const stage = createTail(RATE);
  stage.set(t);
  const out = new Float32Array(x.length + stage.latency + block);
  out.set(x);
  for (let at = 0; at < x.length + stage.latency; at += block) stage.process(out.subarray(at, at + block), 0, block, at - stage.latency);
  return out.subarray(stage.latency, stage.latency + x.length);
}
const noise = (() => {
  const g = createGaussian(createRng(2));
  return Float32Array.from({ length: N }, () => 0.1 * g());
})();
const sine = (hz: number) => Float32Array.from({ length: N }, (_, i) => 0.5 * Math.sin((2 * Math.PI * hz * i) / RATE));
const level = (x: Float32Array, from: number, to: number) => 10 * Math.log10(x.subarray(Math.round(from * RATE), Math.round(to * RATE)).reduce((s, v) => s + v * v, 0) / ((to - from) * RATE) + 1e-20);

describe('the symmetric low-pass', () => {
  /** Response at a frequency, dB. */
  const response = (hz: number, corner: number) => {
    const h = symmetricLowpass(RATE, corner, tailLatency(RATE));
    return 20 * Math.log10(Math.abs(h.reduce((s, v, i) => s + (i ? 2 : 1) * v * Math.cos((2 * Math.PI * hz * i) / RATE), 0)));
  };

  // S. Butterworth, Wireless Engineer 7, 1930: |H|^2 = 1 / (1 + (f / fc)^8) for order 4: -3.01 dB at the corner, -24.1 dB an octave above (derived)
  it.each([1000, 3000])('has the magnitude of a Butterworth filter of order 4 at %i Hz', (corner) => {
    for (const f of [0.1, 0.5, 0.8, 1, 1.5, 2]) expect(Math.abs(response(f * corner, corner) - -10 * Math.log10(1 + f ** 8))).toBeLessThan(0.3);
    expect(response(4 * corner, corner)).toBeLessThan(-45);
  });
});

describe('tail damping', () => {
  it('leaves every sample as it is while open, and anywhere while off', () => {
    const y = run(noise, live({ fullMs: 100 }));
    for (let i = 0.5 * RATE; i < 0.6 * RATE; i++) expect(y[i]).toBe(noise[i]);
    expect(run(noise, null)).toEqual(noise);
  });

  it('takes highs from the tail and leaves the note, in place and in level', () => {
    const high = run(sine(6000), live({}));
    expect(level(high, 0.5, 0.52) - level(sine(6000), 0.5, 0.52)).toBeCloseTo(0, 6);
    expect(level(high, 0.65, 1.1)).toBeLessThan(-60);
    const low = sine(110);
    const y = run(low, live({}));
    // no phase is shifted: sample by sample the same note
    for (let i = RATE; i < 1.1 * RATE; i += 7) expect(Math.abs(y[i] - low[i])).toBeLessThan(2e-3);
  });

  it('never dips while it closes or opens: a sine at the corner stays between full and -3 dB', () => {
    const x = sine(1000);
    const y = run(x, live({ closeMs: 200 }));
    for (let t = 0.5; t < 1.3; t += 0.005) {
      const d = level(y, t, t + 0.005) - level(x, t, t + 0.005);
      expect(d).toBeLessThan(0.1);
      expect(d).toBeGreaterThan(-3.3);
    }
  });

  it('is open again before the next stroke, and makes no click', () => {
    const x = sine(6000);
    const y = run(x, live({}));
    for (let i = 1.2 * RATE - 90; i < 1.2 * RATE + 900; i++) expect(y[i]).toBe(x[i]);
    // the gain of the highs moves no faster than its opening of 3 ms
    const g = Float32Array.from({ length: N }, (_, i) => (Math.abs(x[i]) > 0.2 ? y[i] / x[i] : Number.NaN));
    for (let i = 0.6 * RATE; i < 1.25 * RATE; i++) if (!Number.isNaN(g[i]) && !Number.isNaN(g[i - 1])) expect(Math.abs(g[i] - g[i - 1])).toBeLessThan(0.03);
  });

  it('gives the same samples for any block size', () => {
    const t = live({ duckDb: 12, depthDb: 20 }, undefined, [0.7 * RATE, 0.9 * RATE]);
    const whole = run(noise, t, 8192);
    for (const block of [1, 128, 1000]) expect(run(noise.subarray(0, 40000), t, block).subarray(0, 39500)).toEqual(whole.subarray(0, 39500));
  });

  it('ducks the highs of a held tail where another drum is struck, never inside the own stroke', () => {
    const x = sine(6000);
    const y = run(x, live({ depthDb: 6, duckDb: 20 }, undefined, [0.51 * RATE, 0.8 * RATE]));
    expect(level(y, 0.51, 0.52)).toBeCloseTo(level(x, 0.51, 0.52), 3);
    expect(level(y, 0.75, 0.78) - level(x, 0.75, 0.78)).toBeCloseTo(-6, 0);
    expect(level(y, 0.81, 0.84) - level(x, 0.81, 0.84)).toBeLessThan(-24);
    expect(level(y, 0.95, 1.1) - level(x, 0.95, 1.1)).toBeCloseTo(-6, 0);
  });

  it('lets loud strokes keep more of their highs', () => {
    const y = run(sine(6000), live({ depthDb: 30, softDb: 12 }, [hit(0.5, 1), hit(1.2, 0)]));
    expect(level(y, 1.5, 1.9) - level(y, 0.8, 1.1)).toBeCloseTo(-12, 0);
  });
});

describe('a damped mic', () => {
  const t = live({ duckDb: 12 }, [hit(0.5), hit(1.2, 0.3)], [hit(0.8).frame]);

  it('is what the stage gives, wherever one begins', () => {
    const whole = run(noise, t);
    const damped = createDampedMic(RATE, t, noise);
    const [from, to, elsewhere] = [1.1, 1.3, 0.7].map((t) => Math.round(t * RATE));
    damped.reach(from, to);
    for (let i = from; i < to; i++) expect(damped.audio[i]).toBeCloseTo(whole[i], 6);
    expect(damped.audio[elsewhere]).toBe(noise[elsewhere]);
    damped.reach(0, N);
    expect(damped.audio.reduce((most, v, i) => Math.max(most, Math.abs(v - whole[i])), 0)).toBeLessThan(1e-6);
  });

  it('waits for what is heard and not yet worked out', () => {
    const damped = createDampedMic(RATE, t, noise);
    const gain = new Float32Array(N).fill(1, 3 * DAMPED_BLOCK - 1, 5 * DAMPED_BLOCK);
    expect(damped.waiting(gain)).toEqual([2, 3, 4].map((b) => b * DAMPED_BLOCK));
    damped.reach(3 * DAMPED_BLOCK, 4 * DAMPED_BLOCK);
    expect(damped.waiting(gain)).toEqual([2, 4].map((b) => b * DAMPED_BLOCK));
    expect(damped.waiting(new Float32Array(N))).toEqual([]);
  });
});
