import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { HOP, SIZE, bandEdges, framesIn, framesOf, giveBackBands, withGains } from './bandFrames';

const RATE = 48000;
const noise = (n: number, seed: number) => {
  const g = createGaussian(createRng(seed));
  return Float32Array.from({ length: n }, () => 0.1 * g());
};
const bands = bandEdges(RATE).length - 1;
/** Some frames open, some turned down band by band, the same each time they are asked for. */
const someGains = (k: number, out: Float64Array) => {
  for (let b = 0; b < out.length; b++) out[b] = k % 7 < 3 ? 1 : 1 / (1 + ((k * 5 + b) % 9));
};
const lengths = [1, HOP, SIZE - 1, 64 * HOP, 64 * HOP + 1, 200 * HOP + 77];

describe('a mic with bands turned down', () => {
  it('is the same written over the mic as written beside it, whatever its length', () => {
    for (const n of lengths) {
      const x = noise(n, n);
      const beside = withGains(x, RATE, someGains);
      const over = x.slice();
      expect(withGains(over, RATE, someGains, over), `${n} samples`).toBe(over);
      expect(over, `${n} samples`).toEqual(beside);
      expect(beside.every(Number.isFinite)).toBe(true);
    }
  });

  it('comes back as it was where nothing is turned down, by either way', () => {
    const open = (as: number) => (_: number, out: Float64Array) => void out.fill(as);
    for (const n of lengths) {
      const x = noise(n, n + 1);
      for (const as of [1, 1 - 1e-9]) {
        const y = withGains(x, RATE, open(as));
        expect(Math.max(...y.map((v, i) => Math.abs(v - x[i]))), `${n} samples times ${as}`).toBeLessThan(1e-6);
        // to the bit, but near the ends and where frames of two transforms meet
        if (as === 1 && n > 64 * HOP) expect(y.subarray(HOP, 60 * HOP).every((v, i) => v === x[HOP + i])).toBe(true);
      }
    }
  });

  it('has what was taken of it given back by band, as if that lay there by itself', () => {
    for (const n of lengths) {
      const [raw, kept] = [noise(n, n + 2), noise(n, n + 3)];
      const taken = raw.map((v, i) => v - kept[i]);
      const part = withGains(taken, RATE, someGains);
      const wanted = kept.map((v, i) => v + part[i]);
      expect(framesOf(raw, RATE, kept)).toEqual(framesOf(taken, RATE));
      giveBackBands(raw, kept, RATE, someGains);
      expect(kept.every((v, i) => v === wanted[i]), `${n} samples`).toBe(true);
    }
  });

  it('has one frame turned down around its centre alone', () => {
    const x = noise(100 * HOP, 3);
    const y = withGains(x, RATE, (k, out) => void out.fill(k === 70 ? 0 : 1));
    // squared root-Hann windows a quarter apart add up to 2: one frame less leaves 1 - hann / 2
    for (let i = 0; i < x.length; i++) {
      const at = i - 70 * HOP + SIZE / 2;
      const hann = at < 0 || at >= SIZE ? 0 : 0.5 - 0.5 * Math.cos((2 * Math.PI * at) / SIZE);
      expect(Math.abs(y[i] - x[i] * (1 - hann / 2)), `sample ${i}`).toBeLessThan(1e-6);
    }
    expect(framesIn(x.length)).toBe(101);
    expect(bands).toBeGreaterThan(20);
  });
});
