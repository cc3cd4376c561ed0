import { describe, expect, it } from 'vitest';
import { certainties } from '../core/hits/classify';
import { createGaussian, createRng } from '../core/dsp/rng';
import { average, inScaleOf, train } from './network';

const INPUTS = 3;

/** Points of which a sum decides, spread by `scale` about `mean`. */
function examples(seed: number, mean: number, scale: number) {
  const gauss = createGaussian(createRng(seed));
  const x = Float64Array.from({ length: 300 * INPUTS }, () => mean + scale * gauss());
  const y = Float64Array.from({ length: 300 }, (_, i) => (x[INPUTS * i] + x[INPUTS * i + 1] > 2 * mean ? 1 : 0));
  return { x, y, inputs: INPUTS };
}

const SIZE = { hidden: 4, epochs: 20, decay: 0.01 };
const logit = (p: number) => Math.log(p / (1 - p));

describe('a network', () => {
  it('says of each of any number of rows what its formula does', () => {
    const net = train(examples(1, 2, 1), { hidden: 4, epochs: 5, decay: 0.01, seed: 3 });
    for (const n of [0, 1, 4, 7]) {
      const rows = Float32Array.from(examples(6, 2, 1).x.subarray(0, n * INPUTS));
      const byFormula = Float64Array.from({ length: n }, (_, r) => {
        const x = net.mean.map((m, i) => Math.min(6, Math.max(-6, (rows[r * INPUTS + i] - m) / net.scale[i])));
        const out = net.b1.reduce((z, b, h) => z + net.w2[h] * Math.tanh(b + x.reduce((a, v, i) => a + net.w1[h * INPUTS + i] * v, 0)), net.b2);
        return 1 / (1 + Math.exp(-out));
      });
      const said = certainties(net, rows);
      expect(said.length).toBe(n);
      said.forEach((p, r) => {
        expect(p).toBeCloseTo(byFormula[r], 12);
      });
    }
  });
});

describe('networks of two kinds of recordings as one', () => {
  const [a, b] = [train(examples(1, 2, 1), { ...SIZE, seed: 3 }), train(examples(2, 2.5, 1.6), { ...SIZE, seed: 4 })];
  const rows = Float32Array.from(examples(5, 2.2, 1).x);

  it('say the same in the means and scales of another', () => {
    const moved = inScaleOf(a, b);
    expect(moved.mean).toEqual(a.mean);
    expect(a.mean).not.toEqual(b.mean);
    const [before, after] = [certainties(b, rows), certainties(moved, rows)];
    before.forEach((p, i) => {
      expect(after[i]).toBeCloseTo(p, 3);
    });
  });

  it('say the mean of both before the last squashing', () => {
    const both = certainties(average([a, inScaleOf(a, b)]), rows);
    const [one, two] = [certainties(a, rows), certainties(b, rows)];
    expect(Math.max(...one.map((p, i) => Math.abs(p - two[i])))).toBeGreaterThan(0.05);
    both.forEach((p, i) => {
      expect(logit(p)).toBeCloseTo((logit(one[i]) + logit(two[i])) / 2, 1);
    });
  });

  it('are not mixed where they take different features', () => {
    expect(() => inScaleOf(a, { ...b, inputs: 4 })).toThrow(/3 and 4 inputs/);
  });
});
