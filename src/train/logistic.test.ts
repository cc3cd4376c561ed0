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

  it('leaves a strong prior only for much evidence, and stays finite where classes part', () => {
    const rows = { x: Float64Array.from([-1, 1]), y: [0, 1], inputs: 1 };
    const [weak] = fitLogistic(rows, [0, 0], 0.01);
    const [strong] = fitLogistic(rows, [0, 0], 100);
    expect(weak).toBeGreaterThan(1);
    expect(Number.isFinite(weak)).toBe(true);
    expect(strong).toBeLessThan(0.05);
  });
});
