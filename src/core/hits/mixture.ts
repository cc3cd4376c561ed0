/**
 * An event as a non-negative mix: after = sum of gains x patterns + a x before, fitted by multiplicative updates under the Itakura-Saito
 * divergence (C. Févotte, N. Bertin, J.-L. Durrieu, Neural Computation 21(3), 2009; the patterns are given). Itakura-Saito weighs quiet cells
 * like loud ones: under Kullback-Leibler the loud cells rule and soft toms are lost (toms F .957 to .868 in a prototype).
 */
export interface Patterns {
  /** Drum of each pattern. */
  readonly names: readonly string[];
  /** Cells (mics x bands) of each pattern, one pattern after the other. */
  readonly cells: number;
  readonly w: Float32Array;
}

export interface Mixture {
  /** Gains of the patterns, `a` of what was there before, and the modelled cells. Overwritten by the next fit. */
  readonly gains: Float64Array;
  before: number;
  readonly model: Float64Array;
}

const TINY = 1e-16;
const BEFORE_MIN = 0.02;
const BEFORE_MAX = 1.3;

/** A fitter of events with up to `cells` cells and `count` patterns; `fit` allocates nothing. */
export function createFitter(p: Patterns): { fit(after: Float32Array, before: Float32Array, at: number, rounds: number, use: Uint8Array | null, result: Mixture): void; result(): Mixture } {
  const { cells, w } = p;
  const K = p.names.length;
  const byCell = new Float64Array(cells * K);
  for (let k = 0; k < K; k++) for (let f = 0; f < cells; f++) byCell[f * K + k] = w[k * cells + f];
  const byPattern = Float64Array.from(w);
  const weight = new Float64Array(cells);
  const inverse = new Float64Array(cells);
  const ratios = new Float64Array(cells);
  return {
    result: () => ({ gains: new Float64Array(K), before: 0.7, model: new Float64Array(cells) }),
    fit(after, before, at, rounds, use, r) {
      const g = r.gains;
      // start: a tenth of the median ratio
      for (let k = 0; k < K; k++) {
        if (use && !use[k]) {
          g[k] = 0;
          continue;
        }
        for (let f = 0; f < cells; f++) ratios[f] = after[at + f] / byCell[f * K + k];
        g[k] = 0.1 * medianOf(ratios) + 1e-20;
      }
      let a = 0.7;
      // sums stay in registers: over patterns for a cell, then over cells for a pattern (4 times the speed of one nested loop)
      for (let round = 0; round < rounds; round++) {
        let an = 0;
        let ad = 0;
        for (let f = 0, o = 0; f < cells; f++) {
          const b = before[at + f];
          let y = a * b + TINY;
          for (let k = 0; k < K; k++, o++) y += g[k] * byCell[o];
          const inv = 1 / y;
          const v = after[at + f] * inv * inv;
          weight[f] = v;
          inverse[f] = inv;
          an += v * b;
          ad += inv * b;
        }
        for (let k = 0, o = 0; k < K; k++) {
          if (g[k] === 0) {
            o += cells;
            continue;
          }
          let n = 0;
          let d = 0;
          for (let f = 0; f < cells; f++, o++) {
            const p = byPattern[o];
            n += weight[f] * p;
            d += inverse[f] * p;
          }
          g[k] *= Math.sqrt(n / d);
        }
        a = Math.min(BEFORE_MAX, Math.max(BEFORE_MIN, a * Math.sqrt(an / ad)));
      }
      r.before = a;
      for (let f = 0, o = 0; f < cells; f++, o += K) {
        let y = a * before[at + f] + TINY;
        for (let k = 0; k < K; k++) y += g[k] * byCell[o + k];
        r.model[f] = y;
      }
    },
  };
}

/** Itakura-Saito divergence of one cell: how badly `y` explains `v`. */
export const divergence = (v: number, y: number): number => {
  const r = v / y;
  return r - Math.log(r) - 1;
};

/** Median; reorders its argument. */
export function medianOf(v: Float64Array): number {
  // quickselect
  let [lo, hi] = [0, v.length - 1];
  const k = v.length >> 1;
  while (lo < hi) {
    const pivot = v[(lo + hi) >> 1];
    let [i, j] = [lo, hi];
    while (i <= j) {
      while (v[i] < pivot) i++;
      while (v[j] > pivot) j--;
      if (i <= j) {
        const t = v[i];
        v[i] = v[j];
        v[j] = t;
        i++;
        j--;
      }
    }
    if (k <= j) hi = j;
    else if (k >= i) lo = i;
    else break;
  }
  return v[k];
}
