import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { HALF_BAND_REACH, doubled, halved } from './halfBand';
import { createGaussian, createRng } from './rng';

const RATE = 96000;
const sine = (hz: number, n = 9600) => Float32Array.from({ length: n }, (_, i) => Math.sin((2 * Math.PI * hz * i) / RATE));
const inner = (x: Float32Array) => x.subarray(200, x.length - 200);
const level = (x: Float32Array) => 10 * Math.log10((2 * inner(x).reduce((a, v) => a + v * v, 0)) / inner(x).length + 1e-20);

describe('a half-band low-pass', () => {
  it('leaves what lies under 20 kHz where and as it is at 96 kHz, on the way down and up', () => {
    for (const hz of [50, 1000, 9000, 18000, 20000]) {
      const x = sine(hz);
      const low = halved(x);
      const back = doubled(low);
      for (let i = 200; i < low.length - 200; i++) expect(Math.abs(low[i] - x[2 * i]), `${hz} Hz down`).toBeLessThan(1e-3);
      for (let i = 200; i < x.length - 200; i++) expect(Math.abs(back[i] - x[i]), `${hz} Hz up`).toBeLessThan(2e-3);
    }
  });
  it("has the window's stop band from 28 kHz on (Kaiser, 80 dB), and 6 dB at a quarter of the rate", () => {
    for (const hz of [28000, 33000, 40000, 47000]) expect(level(halved(sine(hz))), `${hz} Hz`).toBeLessThan(-75);
    const quarter = Float32Array.from({ length: 9600 }, (_, i) => Math.SQRT2 * Math.cos((Math.PI / 2) * i + Math.PI / 4));
    expect(level(halved(quarter)) - level(quarter)).toBeCloseTo(-6.02, 1);
  });
  it('keeps the samples it is given, and takes any length', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 200 }), fc.integer({ min: 0, max: 1 }), (n, odd) => {
        const gauss = createGaussian(createRng(n));
        const x = Float32Array.from({ length: n }, gauss);
        const up = doubled(x, Math.max(0, 2 * n - odd));
        expect(up.length).toBe(Math.max(0, 2 * n - odd));
        for (let i = 0; 2 * i < up.length; i++) expect(up[2 * i]).toBe(x[i]);
        expect(halved(up).length).toBe(n);
      }),
    );
  });
  it('reaches no further than it says', () => {
    const x = new Float32Array(400);
    x[200] = 1;
    const y = doubled(halved(x));
    y.forEach((v, i) => {
      if (Math.abs(i - 200) > 2 * HALF_BAND_REACH) expect(v).toBe(0);
    });
  });
});
