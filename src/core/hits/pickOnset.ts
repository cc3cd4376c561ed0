/**
 * Where a stroke begins, to the sample: the place that best splits the signal around a candidate into a quiet part and a louder one
 * (N. Maeda's criterion of 1985, Zisin 38(3), an Akaike information criterion without a model). Tracking back from the peak to a share of it comes
 * milliseconds late on soft strokes.
 */
import { type BandFilter, bandPass } from './candidates';

/** Where a beginning is sought round a rough time. */
export interface Within {
  readonly beforeS: number;
  readonly afterS: number;
  /** Every millisecond away from the rough time counts as so much, a natural logarithm of power. */
  readonly perMs: number;
}
const WITHIN: Within = { beforeS: 0.004, afterS: 0.003, perMs: 0 };
/** A cymbal's, in what no close mic owns of an overhead: a stroke struck with another drum's is told by when that arrives there, several ms off. Chosen by made recordings (docs/decisions/0009). */
export const FAR_BAND = [8000, 16000] as const;
export const FAR_WITHIN: Within = { beforeS: 0.01, afterS: 0.008, perMs: 0.01 };
const EDGE = 8;
/** Walking back to the first rise: how far, against what came before which stretch, and by how much it must stand out. */
const QUIET_FROM_S = 0.03;
const QUIET_TO_S = 0.012;
const STEP_S = 0.00025;
const STANDS_OUT = 4;

/**
 * Refined times in seconds of rough ones (each begins `within`, by default -4 to +3 ms), in the band where the drum's attack is heard; then up to `backS` earlier, while
 * the sound still stands out of what came before: a beater swells for some ms, and a late attack is a shaved one.
 */
export function pickOnsets(x: Float32Array, rate: number, times: Float64Array, band: readonly [number, number], backS = 0, filter: BandFilter = bandPass, { beforeS, afterS, perMs } = WITHIN): Float64Array {
  const y = filter(x, rate, band[0], band[1]);
  const longest = Math.ceil((beforeS + afterS) * rate) + 2;
  const sum = new Float64Array(longest + 1);
  return times.map((t) => {
    const at = Math.round(t * rate);
    const from = Math.max(0, at - Math.round(beforeS * rate));
    const n = Math.min(y.length, at + Math.round(afterS * rate)) - from;
    const farther = (1000 * perMs * n) / rate;
    if (n < 3 * EDGE) return t;
    for (let i = 0; i < n; i++) sum[i + 1] = sum[i] + y[from + i] * y[from + i];
    let [best, where] = [Number.POSITIVE_INFINITY, -1];
    const look = (k: number) => {
      const aic = k * Math.log(sum[k] / k + 1e-16) + (n - k) * Math.log((sum[n] - sum[k]) / (n - k) + 1e-16) + farther * Math.abs(from + k - at);
      if (aic < best) {
        best = aic;
        where = k;
      }
    };
    // sums change little from one sample to the next: every other one, then those beside the best
    for (let k = EDGE; k < n - EDGE; k += 2) look(k);
    const middle = where;
    for (const k of [middle - 1, middle + 1]) if (k >= EDGE && k < n - EDGE) look(k);
    return (from + (backS > 0 ? walkBack(x, rate, from + where, backS) - from : where)) / rate;
  });
}

/** The earliest frame from which on the mean square per quarter millisecond stays well over that of 30 to 12 ms before. */
function walkBack(x: Float32Array, rate: number, at: number, backS: number): number {
  const from = Math.max(0, at - Math.round(QUIET_FROM_S * rate));
  const to = Math.max(from + 1, at - Math.round(QUIET_TO_S * rate));
  let quiet = 0;
  for (let i = from; i < to; i++) quiet += x[i] * x[i];
  const limit = (STANDS_OUT * quiet) / (to - from) + 1e-12;
  const step = Math.max(2, Math.round(STEP_S * rate));
  let first = at;
  while (first - step >= Math.max(0, at - Math.round(backS * rate))) {
    let e = 0;
    for (let i = first - step; i < first; i++) e += x[i] * x[i];
    if (e / step < limit) break;
    first -= step;
  }
  return first;
}
