import { describe, expect, it } from 'vitest';
import { nonNegative } from './nonNegative';
import { createRng } from './rng';

/** A'A and A'b of rows. */
function normal(rows: readonly (readonly number[])[], b: readonly number[]): [Float64Array, Float64Array] {
  const n = rows[0].length;
  const [AA, Ab] = [new Float64Array(n * n), new Float64Array(n)];
  rows.forEach((r, i) => {
    for (let j = 0; j < n; j++) {
      Ab[j] += r[j] * b[i];
      for (let l = 0; l < n; l++) AA[j * n + l] += r[j] * r[l];
    }
  });
  return [AA, Ab];
}

describe('least squares without negative weights', () => {
  it('finds the weights of a mix that has none', () => {
    const rng = createRng(5);
    const rows = Array.from({ length: 40 }, () => Array.from({ length: 6 }, () => rng()));
    const weights = [0.5, 0, 2, 0, 0.01, 1];
    const x = nonNegative(...normal(rows, rows.map((r) => r.reduce((a, v, j) => a + v * weights[j], 0))));
    for (const [j, w] of weights.entries()) expect(x[j]).toBeCloseTo(w, 2);
  });

  // the conditions of W. Karush, H. W. Kuhn and A. W. Tucker for a least error under x >= 0
  it('leaves no error that a weight could lessen, whatever the rows', () => {
    const rng = createRng(11);
    for (let trial = 0; trial < 20; trial++) {
      const rows = Array.from({ length: 30 }, () => Array.from({ length: 5 }, () => rng() - 0.3));
      const [AA, Ab] = normal(rows, rows.map(() => rng() - 0.4));
      const x = nonNegative(AA, Ab);
      for (let i = 0; i < 5; i++) {
        const slope = x.reduce((a, v, k) => a + v * AA[i * 5 + k], 0) - Ab[i];
        expect(x[i]).toBeGreaterThanOrEqual(0);
        if (x[i] > 0) expect(Math.abs(slope)).toBeLessThan(1e-2);
        else expect(slope).toBeGreaterThan(-1e-2);
      }
    }
  });

  it('gives nothing to what is silent', () => {
    const [AA, Ab] = normal([[1, 0], [2, 0]], [3, 6]);
    expect(Array.from(nonNegative(AA, Ab))).toEqual([3, 0]);
  });
});
