/**
 * Logistic regression with a prior: maximum a posteriori by Newton's method, weights normally distributed about what is believed before. Weights may be bound to one
 * sign: projected steps (D. P. Bertsekas, SIAM J. Control and Optimization 20(2), 1982).
 */

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

const ROUNDS = 200;
/** Steps are halved so often until they better anything. */
const HALVINGS = 30;
const MOVED = 1e-9;

/** Weights of the inputs and, last, a constant; `strength`: how much evidence it takes to leave `prior`, which has as many values. `signs`: of each weight 1 where it must not fall under 0, -1 where it must not rise over it. */
export function fitLogistic(rows: Rows, prior: readonly number[], strength: number, signs: readonly number[] = []): number[] {
  const { x, y, inputs } = rows;
  const size = inputs + 1;
  const within = (w: Float64Array) => w.map((v, k) => (signs[k] > 0 ? Math.max(0, v) : signs[k] < 0 ? Math.min(0, v) : v));
  const at = (r: number, k: number) => (k < inputs ? x[r * inputs + k] : 1);
  const score = (w: Float64Array, r: number) => {
    let z = 0;
    for (let k = 0; k < size; k++) z += w[k] * at(r, k);
    return z;
  };
  const cost = (w: Float64Array) => {
    let sum = 0;
    for (let r = 0; r < y.length; r++) {
      const z = score(w, r);
      sum += Math.max(0, z) + Math.log1p(Math.exp(-Math.abs(z))) - y[r] * z;
    }
    return w.reduce((a, v, k) => a + (strength / 2) * (v - prior[k]) ** 2, sum);
  };
  let w = within(Float64Array.from(prior));
  let now = cost(w);
  for (let round = 0; round < ROUNDS; round++) {
    const curvature = Array.from({ length: size }, (_, i) => new Float64Array(size).fill(0).map((_v, j) => (i === j ? strength : 0)));
    const slope = w.map((v, k) => strength * (v - prior[k]));
    for (let r = 0; r < y.length; r++) {
      const p = 1 / (1 + Math.exp(-score(w, r)));
      for (let i = 0; i < size; i++) {
        const v = at(r, i);
        slope[i] += (p - y[r]) * v;
        for (let j = 0; j < size; j++) curvature[i][j] += p * (1 - p) * v * at(r, j);
      }
    }
    // weights that lean on their bound stay there
    const free = Array.from(w.keys()).filter((k) => !(signs[k] && w[k] === 0 && slope[k] * signs[k] > 0));
    const step = solve(free.map((i) => Float64Array.from(free, (j) => curvature[i][j])), Float64Array.from(free, (i) => slope[i]));
    let [next, then] = [w, now];
    for (let h = 0, part = 1; h < HALVINGS; h++, part /= 2) {
      const moved = w.slice();
      for (const [n, k] of free.entries()) moved[k] -= part * step[n];
      next = within(moved);
      then = cost(next);
      if (then <= now) break;
    }
    const far = next.reduce((a, v, k) => Math.max(a, Math.abs(v - w[k])), 0);
    if (then > now || far < MOVED) break;
    [w, now] = [next, then];
  }
  return Array.from(w);
}
