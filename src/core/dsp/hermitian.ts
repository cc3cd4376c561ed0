/** Small Hermitian systems of equations. */

/** Solves A z = b in place of b, for a Hermitian A of which the lower triangle is given (and lost): Cholesky. */
export function solve(n: number, ar: Float64Array, ai: Float64Array, br: Float64Array, bi: Float64Array): void {
  for (let i = 0; i < n; i++) {
    for (let j = 0; j <= i; j++) {
      let [a, b] = [ar[i * n + j], ai[i * n + j]];
      for (let k = 0; k < j; k++) {
        const [p, q, r, s] = [ar[i * n + k], ai[i * n + k], ar[j * n + k], ai[j * n + k]];
        a -= p * r + q * s;
        b -= q * r - p * s;
      }
      if (i === j) {
        ar[i * n + i] = Math.sqrt(Math.max(a, 1e-30));
        ai[i * n + i] = 0;
      } else {
        ar[i * n + j] = a / ar[j * n + j];
        ai[i * n + j] = b / ar[j * n + j];
      }
    }
  }
  for (let i = 0; i < n; i++) {
    let [a, b] = [br[i], bi[i]];
    for (let k = 0; k < i; k++) {
      a -= ar[i * n + k] * br[k] - ai[i * n + k] * bi[k];
      b -= ar[i * n + k] * bi[k] + ai[i * n + k] * br[k];
    }
    br[i] = a / ar[i * n + i];
    bi[i] = b / ar[i * n + i];
  }
  for (let i = n - 1; i >= 0; i--) {
    let [a, b] = [br[i], bi[i]];
    for (let k = i + 1; k < n; k++) {
      a -= ar[k * n + i] * br[k] + ai[k * n + i] * bi[k];
      b -= ar[k * n + i] * bi[k] - ai[k * n + i] * br[k];
    }
    br[i] = a / ar[i * n + i];
    bi[i] = b / ar[i * n + i];
  }
}
