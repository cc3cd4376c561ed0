/** The kernels of one bin, against plain complex arithmetic. */
import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { createBins, packed, padded } from './bins';

type Complex = [number, number];
const times = ([a, b]: Complex, [c, d]: Complex): Complex => [a * c - b * d, a * d + b * c];
const plus = ([a, b]: Complex, [c, d]: Complex): Complex => [a + c, b + d];
type Matrix = Complex[][];
const product = (a: Matrix, b: Matrix): Matrix => a.map((row) => b[0].map((_, j) => row.reduce<Complex>((s, v, k) => plus(s, times(v, b[k][j])), [0, 0])));
const adjoint = (a: Matrix): Matrix => a[0].map((_, j) => a.map((row) => [row[j][0], -row[j][1]] as Complex));
/** Logarithm of the determinant of a Hermitian matrix, by elimination. */
function logDet(a: Matrix): number {
  const m = a.map((row) => row.map((v) => [...v] as Complex));
  let sum = 0;
  for (let i = 0; i < m.length; i++) {
    const p = m[i][i][0];
    sum += Math.log(p);
    for (let k = i + 1; k < m.length; k++) {
      const f: Complex = [-m[k][i][0] / p, -m[k][i][1] / p];
      m[k] = m[k].map((v, j) => plus(v, times(f, m[i][j])));
    }
  }
  return sum;
}
/** Gauss and Jordan, for small matrices with a large diagonal. */
function inverse(a: Matrix): Matrix {
  const n = a.length;
  const m = a.map((row, i) => [...row.map((v) => [...v] as Complex), ...row.map((_, j) => [i === j ? 1 : 0, 0] as Complex)]);
  for (let i = 0; i < n; i++) {
    const [p, q] = m[i][i];
    const d = p * p + q * q;
    m[i] = m[i].map((v) => times(v, [p / d, -q / d]));
    for (let k = 0; k < n; k++) {
      if (k === i) continue;
      const f = m[k][i];
      m[k] = m[k].map((v, j) => plus(v, times([-f[0], -f[1]], m[i][j])));
    }
  }
  return m.map((row) => row.slice(n));
}

// odd and even numbers of mics; fours of sources, one beyond them, and fewer
describe.each([[3, 3], [2, 2], [4, 5], [6, 9], [5, 8]])('the kernels of one bin, %i mics and %i sources', (M, S) => {
  const T = 8;
  const SP = padded(S);
  function filled() {
    const gauss = createGaussian(createRng(11));
    const bins = createBins({ mics: M, sources: S, frames: T, bins: 1 });
    bins.x(0).forEach((_, i, all) => {
      all[i] = gauss();
    });
    const R = bins.matrices(0);
    for (let s = 0; s < S; s++) {
      const h = Array.from({ length: 4 }, () => Array.from({ length: M }, () => [gauss(), gauss()] as Complex));
      for (let i = 0; i < M; i++) {
        for (let j = 0; j <= i; j++) {
          const sum = h.reduce<Complex>((a, v) => plus(a, times(v[i], [v[j][0], -v[j][1]])), [i === j ? 0.1 : 0, 0]);
          R[packed(i, j) * 2 * SP + s] = sum[0] / 4;
          R[packed(i, j) * 2 * SP + SP + s] = i === j ? 0 : sum[1] / 4;
        }
      }
      for (let t = 0; t < T; t++) bins.v(0)[s * T + t] = Math.exp(gauss());
    }
    bins.noise(0).fill(0.01);
    bins.prior.fill(1e9);
    return bins;
  }
  const full = (bins: ReturnType<typeof createBins>, s: number): Matrix => {
    const R = bins.matrices(0);
    return Array.from({ length: M }, (_, i) => Array.from({ length: M }, (_, j): Complex => {
      const [a, b] = i >= j ? [i, j] : [j, i];
      const im = R[packed(a, b) * 2 * SP + SP + s];
      return [R[packed(a, b) * 2 * SP + s], i >= j ? im : -im];
    }));
  };
  const covariance = (bins: ReturnType<typeof createBins>, t: number): Matrix =>
    Array.from({ length: M }, (_, i) => Array.from({ length: M }, (_, j) =>
      Array.from({ length: S }, (_, s) => s).reduce<Complex>((a, s) => plus(a, times([bins.v(0)[s * T + t], 0], full(bins, s)[i][j])), [i === j ? 0.01 : 0, 0])));
  const column = (bins: ReturnType<typeof createBins>, t: number): Matrix => Array.from({ length: M }, (_, m) => [[bins.x(0)[m * 2 * T + t], bins.x(0)[m * 2 * T + T + t]] as Complex]);

  it('give the multichannel Wiener estimate v R S^-1 x (Duong, Vincent, Gribonval 2010, equation 30), and images that sum to the mics but for the noise', () => {
    const bins = filled();
    const targets = Array.from({ length: M * S }, (_, q) => [q % M, Math.floor(q / M)] as const);
    const out = bins.images(0, 0, targets).slice();
    for (let t = 0; t < T; t++) {
      const y = product(inverse(covariance(bins, t)), column(bins, t));
      targets.forEach(([m, s], q) => {
        const want = product(full(bins, s), y)[m][0];
        const v = bins.v(0)[s * T + t];
        expect(out[q * 2 * T + t]).toBeCloseTo(v * want[0], 3);
        expect(out[q * 2 * T + T + t]).toBeCloseTo(v * want[1], 3);
      });
      for (let m = 0; m < M; m++) {
        const sum = Array.from({ length: S }, (_, s) => out[(s * M + m) * 2 * T + t]).reduce((a, b) => a + b, 0);
        expect(sum + 0.01 * y[m][0][0]).toBeCloseTo(bins.x(0)[m * 2 * T + t], 3);
      }
    }
  });

  it.each([
    ['update v by y^H R y over tr(S^-1 R), without the square root, when drums are told apart', 1, (bins: ReturnType<typeof createBins>) => bins.images(0, 1, [])],
    ['update v by the square root of y^H R y over tr(S^-1 R) while matrices are learnt (Sawada et al. 2013, equation 26)', 0.5, (bins: ReturnType<typeof createBins>) => bins.refine(0, 1)],
  ] as const)('%s', (_, power, update) => {
    const bins = filled();
    const before = bins.v(0).slice();
    const ratio = (s: number, t: number) => {
      const inv = inverse(covariance(bins, t));
      const y = product(inv, column(bins, t));
      const num = product(product(adjoint(y), full(bins, s)), y)[0][0][0];
      const trace = product(inv, full(bins, s)).reduce((a, row, i) => a + row[i][0], 0);
      return (num / trace) ** power;
    };
    const want = Array.from({ length: S * T }, (_, k) => before[k] * ratio(Math.floor(k / T), k % T));
    update(bins);
    want.forEach((w, k) => {
      expect(bins.v(0)[k] / w).toBeCloseTo(1, 3);
    });
  });

  it.each([[0, 'v as it is'], [2, 'v as it was before the last update and after it']])('solve R A R = R0 B R0 for the new matrices (Sawada et al. 2013, section III-C), after %i updates: A and B by %s', (updates) => {
    const bins = filled();
    const old = Array.from({ length: S }, (_, s) => full(bins, s));
    const powersAfter = (rounds: number) => {
      const other = filled();
      if (rounds) other.refine(0, rounds);
      return other.v(0).slice();
    };
    const before = powersAfter(Math.max(0, updates - 1));
    bins.v(0).set(before);
    const told = Array.from({ length: T }, (_, t) => {
      const inv = inverse(covariance(bins, t));
      const y = product(inv, column(bins, t));
      return { inv, yy: product(y, adjoint(y)) };
    });
    const after = powersAfter(updates);
    const A = old.map(() => Array.from({ length: M }, () => Array.from({ length: M }, () => [0, 0] as Complex)));
    const B = structuredClone(A);
    told.forEach(({ inv, yy }, t) => {
      for (let s = 0; s < S; s++) {
        const [was, is] = [before[s * T + t], after[s * T + t]];
        for (let i = 0; i < M; i++) {
          for (let j = 0; j < M; j++) {
            A[s][i][j] = plus(A[s][i][j], times([is, 0], inv[i][j]));
            B[s][i][j] = plus(B[s][i][j], times([was ** 2 / is, 0], yy[i][j]));
          }
        }
      }
    });
    const same = filled();
    same.refine(0, updates);
    for (let s = 0; s < S; s++) {
      const R = full(same, s);
      const left = product(product(R, A[s]), R).flat(2);
      const right = product(product(old[s], B[s]), old[s]).flat(2);
      const size = Math.max(...right.map(Math.abs));
      left.forEach((v, k) => {
        expect(Math.abs(v - right[k]) / size).toBeLessThan(2e-3);
      });
    }
  });

  it('learn from a part of the frames as if there were no others, which stay as they were', () => {
    const [bins, part] = [filled(), createBins({ mics: M, sources: S, frames: 4, bins: 1 })];
    const before = bins.v(0).slice();
    for (let k = 0; k < 2 * M; k++) part.x(0).set(bins.x(0).subarray(k * T + 4, k * T + 8), k * 4);
    for (let s = 0; s < S; s++) part.v(0).set(before.subarray(s * T + 4, s * T + 8), s * 4);
    part.matrices(0).set(bins.matrices(0));
    part.noise(0).fill(0.01);
    part.prior.fill(1e9);
    bins.refine(0, 2, { first: 1, every: 2 });
    part.refine(0, 2);
    expect(bins.matrices(0)).toEqual(part.matrices(0));
    for (let s = 0; s < S; s++) {
      expect(bins.v(0).subarray(s * T, s * T + 4)).toEqual(before.subarray(s * T, s * T + 4));
      expect(bins.v(0).subarray(s * T + 4, s * T + 8)).toEqual(part.v(0).subarray(s * 4, s * 4 + 4));
    }
  });

  it('make what is heard likelier with every round', () => {
    const bins = filled();
    // minus the logarithm of the likelihood
    const costAt = (x: Matrix, c: Matrix) => product(adjoint(x), product(inverse(c), x))[0][0][0] + logDet(c);
    const cost = () => Array.from({ length: T }, (_, t) => costAt(column(bins, t), covariance(bins, t))).reduce((a, b) => a + b, 0);
    const first = cost();
    let last = first;
    for (let round = 0; round < 12; round++) {
      bins.refine(0, 2);
      const now = cost();
      expect(now, `round ${round}`).toBeLessThan(last + 1e-4 * Math.abs(last));
      last = now;
    }
    expect(last).toBeLessThan(first - T);
  });
});
