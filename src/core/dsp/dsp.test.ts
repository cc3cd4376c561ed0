import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { biquadCoefficients, butterworthQs, createBiquad } from './biquad';
import { dbToGain, gainToDb } from './db';
import { createDelay } from './delay';
import { PEAK_BASE, PEAK_FACTOR, PEAK_LEVELS, pyramid, writePeaks } from './peaks';
import { createGaussian, createRng, hashText } from './rng';

const noise = (n: number, seed = 1) => Float32Array.from({ length: n }, createGaussian(createRng(seed)));

describe('decibels', () => {
  it('turns to amplitude and back', () => {
    fc.assert(fc.property(fc.double({ min: -140, max: 40, noNaN: true }), (db) => Math.abs(gainToDb(dbToGain(db)) - db) < 1e-9));
  });
  it('reads silence as the floor, never as minus infinity', () => {
    expect(gainToDb(0)).toBe(-144);
    expect(gainToDb(0, -60)).toBe(-60);
    expect(gainToDb(-0.5)).toBeCloseTo(-6.0206, 4);
  });
});

describe('biquad', () => {
  it('gives the same samples however the signal is cut', () => {
    const x = noise(5000);
    const c = biquadCoefficients('lowpass', 48000, 900, butterworthQs(4)[1]);
    const whole = new Float64Array(x.length);
    createBiquad(c).process(x, whole, x.length);
    const cut = new Float64Array(x.length);
    const b = createBiquad(c);
    for (let at = 0; at < x.length; at += 77) {
      const n = Math.min(77, x.length - at);
      b.process(x.subarray(at, at + n), cut.subarray(at, at + n), n);
    }
    expect(cut).toEqual(whole);
  });
  it('never falls into denormal numbers after a hit and long silence', () => {
    for (const type of ['lowpass', 'highpass', 'bandpass'] as const) {
      const b = createBiquad(biquadCoefficients(type, 48000, 60, 8));
      const x = new Float64Array(48000);
      const y = new Float64Array(48000);
      x[0] = 1;
      for (let second = 0; second < 30; second++) {
        b.process(x, y, x.length);
        x[0] = 0;
        const denormal = y.some((v) => v !== 0 && Math.abs(v) < Number.MIN_VALUE * 2 ** 52);
        expect(denormal, `${type}, second ${second}`).toBe(false);
      }
      // and what the guard leaves is far under anything that is heard
      expect(Math.max(...y.map(Math.abs))).toBeLessThan(1e-15);
    }
  });
  it('starts over after a reset', () => {
    const b = createBiquad(biquadCoefficients('peaking', 48000, 400, 2, 9));
    const x = noise(300);
    const first = new Float64Array(300);
    b.process(x, first, 300);
    b.reset();
    const second = new Float64Array(300);
    b.process(x, second, 300);
    expect(second).toEqual(first);
  });
});

describe('delay', () => {
  it('gives back what came in, so many frames later', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 40 }), fc.array(fc.integer({ min: 1, max: 33 }), { minLength: 1, maxLength: 12 }), (frames, cuts) => {
        const n = cuts.reduce((a, b) => a + b, 0);
        const x = noise(n, frames + 1);
        const y = new Float32Array(n);
        const d = createDelay(frames);
        let at = 0;
        for (const c of cuts) {
          d.process(x.subarray(at, at + c), y.subarray(at, at + c), c);
          at += c;
        }
        return y.every((v, i) => v === (i < frames ? 0 : x[i - frames]));
      }),
    );
  });
});

describe('peaks', () => {
  it('hold the extremes of every bin, at every level', () => {
    const x = noise(PEAK_BASE * PEAK_FACTOR ** 2 + 1000);
    const bins = Math.ceil(x.length / PEAK_BASE);
    const base = new Float32Array(bins * 2);
    expect(writePeaks(x, PEAK_BASE, base)).toBe(bins);
    const levels = pyramid(base);
    expect(levels).toHaveLength(PEAK_LEVELS);
    levels.forEach((pairs, level) => {
      const bin = PEAK_BASE * PEAK_FACTOR ** level;
      for (let b = 0; b < pairs.length / 2; b++) {
        const part = x.subarray(b * bin, (b + 1) * bin);
        expect(pairs[2 * b]).toBe(Math.min(...part));
        expect(pairs[2 * b + 1]).toBe(Math.max(...part));
      }
    });
  });
});

describe('random numbers', () => {
  it('are the same for the same seed and different for another', () => {
    const take = (seed: number) => Array.from({ length: 8 }, createRng(seed));
    expect(take(5)).toEqual(take(5));
    expect(take(5)).not.toEqual(take(6));
    expect(hashText('06 Tom 1.wav')).not.toBe(hashText('07 Tom 2.wav'));
  });
  it('are spread as they should be', () => {
    const u = Array.from({ length: 20000 }, createRng(3));
    expect(Math.min(...u)).toBeGreaterThanOrEqual(0);
    expect(Math.max(...u)).toBeLessThan(1);
    expect(u.reduce((a, b) => a + b) / u.length).toBeCloseTo(0.5, 1);
    const g = noise(20000);
    expect(Math.sqrt(g.reduce((a, b) => a + b * b, 0) / g.length)).toBeCloseTo(1, 1);
  });
});
