/**
 * Where a stroke begins, to the sample: the place that best splits the signal around a candidate into a quiet part and a louder one
 * (N. Maeda's criterion of 1985, Zisin 38(3), an Akaike information criterion without a model). Tracking back from the peak to a share of it comes
 * milliseconds late on soft strokes.
 */
import { bandPass } from './candidates';

const BEFORE_S = 0.004;
const AFTER_S = 0.003;
const EDGE = 8;

/** Refined times in seconds of rough ones (each within -4 to +3 ms), in the band where the drum's attack is heard. */
export function pickOnsets(x: Float32Array, rate: number, times: Float64Array, band: readonly [number, number]): Float64Array {
  const y = new Float32Array(x.length);
  bandPass(x, rate, band[0], band[1], y);
  const longest = Math.ceil((BEFORE_S + AFTER_S) * rate) + 2;
  const sum = new Float64Array(longest + 1);
  return times.map((t) => {
    const at = Math.round(t * rate);
    const from = Math.max(0, at - Math.round(BEFORE_S * rate));
    const n = Math.min(y.length, at + Math.round(AFTER_S * rate)) - from;
    if (n < 3 * EDGE) return t;
    for (let i = 0; i < n; i++) sum[i + 1] = sum[i] + y[from + i] * y[from + i];
    let [best, where] = [Number.POSITIVE_INFINITY, -1];
    for (let k = EDGE; k < n - EDGE; k++) {
      const a = sum[k] / k + 1e-16;
      const b = (sum[n] - sum[k]) / (n - k) + 1e-16;
      const aic = k * Math.log(a) + (n - k) * Math.log(b);
      if (aic < best) {
        best = aic;
        where = k;
      }
    }
    return (from + where) / rate;
  });
}
