import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { createEar } from './ears';
import { untold, withOwnStrengths } from './ownStrengths';

const RATE = 48000;
const hit = (time: number, certainty = 0.9) => ({ time, strength: 0.01, certainty });

describe('how hard a cymbal was struck', () => {
  const g = createGaussian(createRng(3));
  const strokes = [[0.5, 1], [1, 0.5], [1.5, 0.25], [2, 1], [2.5, 1], [3, 1], [3.5, 1]] as const;
  const x = Float32Array.from({ length: 5 * RATE }, (_, i) => {
    // soft lows all the time, which are other drums'
    const others = 0.2 * Math.sin((2 * Math.PI * 120 * i) / RATE);
    return others + g() * strokes.reduce((a, [t, s]) => a + (i >= t * RATE ? 0.2 * s * Math.exp(-(i - t * RATE) / (0.1 * RATE)) : 0), 1e-5);
  });

  it('is told by what its strokes add to the highs of its own mic', async () => {
    const told = await withOwnStrengths(createEar(), [x], RATE, strokes.map(([t]) => hit(t)));
    told.forEach((h, i) => {
      expect(Math.abs(20 * Math.log10(h.strength / strokes[i][1])), String(i)).toBeLessThan(2);
      expect([h.time, h.certainty]).toEqual([strokes[i][0], 0.9]);
    });
  });

  it('does not depend on the gain, nor on what hardly counts', async () => {
    const hits = [...strokes.map(([t]) => hit(t)), hit(4.5, 0.2)];
    const of = async (by: number, list = hits) => (await withOwnStrengths(createEar(), [x.map((v) => by * v)], RATE, list)).map((h) => h.strength.toFixed(3));
    expect(await of(0.01)).toEqual(await of(1));
    expect((await of(1)).slice(0, 7)).toEqual(await of(1, hits.slice(0, 7)));
    expect(Number((await of(1))[7])).toBeLessThan(0.02);
    expect(await withOwnStrengths(createEar(), [x], RATE, [])).toEqual([]);
  });

  it('is told by all overheads together, whichever of them is nearer', async () => {
    const far = x.map((v) => 0.3 * v);
    const by = async (...mics: Float32Array[]) => (await withOwnStrengths(createEar(), mics, RATE, strokes.map(([t]) => hit(t)))).map((h) => h.strength);
    const [both, one] = [await by(far, x), await by(x)];
    both.forEach((s, i) => {
      expect(s, String(i)).toBeCloseTo(one[i], 3);
    });
  });

  it('is not told yet where nothing is explained of any stroke', () => {
    expect(untold([hit(1), hit(2)].map((h) => ({ ...h, strength: 0.001 })))).toBe(true);
    expect(untold([{ ...hit(1), strength: 0.001 }, { ...hit(2), strength: 0.3 }])).toBe(false);
    expect(untold([])).toBe(false);
  });
});
