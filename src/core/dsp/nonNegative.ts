/** Least squares with weights that are not negative. */

/** Sweeps after which it is as good as there. */
const SWEEPS = 300;
const SMALL = 1e-9;

/** Weights x >= 0 that make |A x - b| least, of A'A (n x n) and A'b: one after the other, each at its best, until none moves (V. Franc, V. Hlaváč, M. Navara, Sequential coordinate-wise algorithm for the non-negative least squares problem, CAIP 2005). */
export function nonNegative(AA: Float64Array, Ab: Float64Array): Float64Array {
  const n = Ab.length;
  const x = new Float64Array(n);
  // the slope of the error against each weight
  const slope = Ab.map((v) => -v);
  for (let sweep = 0; sweep < SWEEPS; sweep++) {
    let moved = 0;
    for (let i = 0; i < n; i++) {
      const own = AA[i * n + i];
      if (own <= 0) continue;
      const by = Math.max(0, x[i] - slope[i] / own) - x[i];
      if (by === 0) continue;
      x[i] += by;
      moved = Math.max(moved, Math.abs(by) / (x[i] + SMALL));
      for (let k = 0; k < n; k++) slope[k] += by * AA[k * n + i];
    }
    if (moved < 1e-4) break;
  }
  return x;
}
