/** Logistic regression with a prior: maximum a posteriori by Newton's method, weights normally distributed about what is believed before. */

export interface Rows {
  /** rows x inputs. */
  readonly x: Float64Array;
  /** 0 or 1. */
  readonly y: ArrayLike<number>;
  readonly inputs: number;
}

/** Solves `a` x = `b` for a symmetric positive matrix, row by row; both are used up. */
function solve(a: Float64Array[], b: Float64Array): Float64Array {
  const n = b.length;
  for (let i = 0; i < n; i++) {
    for (let j = i + 1; j < n; j++) {
      const f = a[j][i] / a[i][i];
      for (let k = i; k < n; k++) a[j][k] -= f * a[i][k];
      b[j] -= f * b[i];
    }
  }
  for (let i = n - 1; i >= 0; i--) {
    for (let k = i + 1; k < n; k++) b[i] -= a[i][k] * b[k];
    b[i] /= a[i][i];
  }
  return b;
}

const ROUNDS = 30;

/** Weights of the inputs and, last, a constant; `strength`: how much evidence it takes to leave `prior`, which has as many values. */
export function fitLogistic(rows: Rows, prior: readonly number[], strength: number): number[] {
  const { x, y, inputs } = rows;
  const size = inputs + 1;
  const w = Float64Array.from(prior);
  for (let round = 0; round < ROUNDS; round++) {
    const curvature = Array.from({ length: size }, (_, i) => new Float64Array(size).fill(0).map((_v, j) => (i === j ? strength : 0)));
    const slope = w.map((v, k) => strength * (v - prior[k]));
    for (let r = 0; r < y.length; r++) {
      const at = (k: number) => (k < inputs ? x[r * inputs + k] : 1);
      let z = 0;
      for (let k = 0; k < size; k++) z += w[k] * at(k);
      const p = 1 / (1 + Math.exp(-z));
      for (let i = 0; i < size; i++) {
        slope[i] += (p - y[r]) * at(i);
        for (let j = 0; j < size; j++) curvature[i][j] += p * (1 - p) * at(i) * at(j);
      }
    }
    const step = solve(curvature, slope);
    for (let k = 0; k < size; k++) w[k] -= step[k];
    if (step.every((v) => Math.abs(v) < 1e-9)) break;
  }
  return Array.from(w);
}
