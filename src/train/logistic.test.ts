import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../core/dsp/rng';
import { fitLogistic } from './logistic';

describe('logistic regression with a prior', () => {
  it('believes the prior where there is no evidence', () => {
    expect(fitLogistic({ x: new Float64Array(0), y: [], inputs: 2 }, [0.5, -1, 2], 3)).toEqual([0.5, -1, 2]);
  });

  // the maximum of likelihood of a constant alone is the log of the odds: common practice, closed form
  it('finds the log of odds of a constant', () => {
    const y = Array.from({ length: 40 }, (_, i) => (i < 10 ? 1 : 0));
    const [w] = fitLogistic({ x: new Float64Array(0), y, inputs: 0 }, [0], 1e-9);
    expect(w).toBeCloseTo(Math.log(10 / 30), 6);
  });

  it('finds the weights that made the answers', () => {
    const gauss = createGaussian(createRng(4));
    const uniform = createRng(5);
    const n = 20000;
    const truth = [1.5, -0.7, 0.4];
    const x = Float64Array.from({ length: 2 * n }, () => gauss());
    const y = Array.from({ length: n }, (_, r) => (uniform() < 1 / (1 + Math.exp(-(truth[0] * x[2 * r] + truth[1] * x[2 * r + 1] + truth[2]))) ? 1 : 0));
    fitLogistic({ x, y, inputs: 2 }, [0, 0, 0], 1).forEach((w, k) => {
      expect(Math.abs(w - truth[k])).toBeLessThan(0.08);
    });
  });

  it('keeps weights to the sign asked for, and the others where they then do best', () => {
    const gauss = createGaussian(createRng(6));
    const uniform = createRng(7);
    const n = 4000;
    const x = new Float64Array(3 * n);
    for (let r = 0; r < n; r++) {
      const v = gauss();
      // the second is the first with noise, so that it takes a weight against it
      x.set([v, v + 0.3 * gauss(), gauss()], 3 * r);
    }
    const y = Array.from({ length: n }, (_, r) => (uniform() < 1 / (1 + Math.exp(-(2 * x[3 * r] - x[3 * r + 1] - 0.8 * x[3 * r + 2]))) ? 1 : 0));
    const free = fitLogistic({ x, y, inputs: 3 }, [0, 0, 0, 0], 1);
    expect(free[1]).toBeLessThan(-0.5);
    const bound = fitLogistic({ x, y, inputs: 3 }, [0, 0, 0, 0], 1, [1, 1, -1, 0]);
    expect(bound[1]).toBe(0);
    const without = Float64Array.from({ length: 2 * n }, (_, i) => x[3 * (i >> 1) + 2 * (i & 1)]);
    const alone = fitLogistic({ x: without, y, inputs: 2 }, [0, 0, 0], 1);
    [bound[0], bound[2], bound[3]].forEach((w, k) => {
      expect(w).toBeCloseTo(alone[k], 5);
    });
  });

  it('leaves a strong prior only for much evidence, and stays finite where classes part', () => {
    const rows = { x: Float64Array.from([-1, 1]), y: [0, 1], inputs: 1 };
    const [weak] = fitLogistic(rows, [0, 0], 0.01);
    const [strong] = fitLogistic(rows, [0, 0], 100);
    expect(weak).toBeGreaterThan(1);
    expect(Number.isFinite(weak)).toBe(true);
    expect(strong).toBeLessThan(0.05);
  });
});
