/** Strokes that were not found in the raw mics and stand out in what de-bleed left of a close mic. */
import { type Ring, STEP_MS } from '../clean/ring';
import { powerSteps } from '../dsp/power';
import { quantile } from '../hits/candidates';

const SMOOTH_MS = 5;
/** A stroke rises by so much within so long, stands so far over what earlier strokes leave, and no deeper than this under the loudest; dB, ms. */
const RISE_DB = 12;
const WITHIN_MS = 12;
const OVER_DB = 10;
const DEEPEST_DB = -40;
/** So much over nearly all that sounds where nothing was struck. */
const OVER_GAPS_DB = 6;
const APART_MS = 40;
const PEAK_MS = 25;
const LEAST_GAP_MS = 200;

/** `x`: the mic with only its own drum left; `own`: frames of its strokes, rising; `ring`: how it decays there. Returns frames of further strokes, rising. */
export function findMissed(x: Float32Array, rate: number, own: readonly number[], ring: Ring): number[] {
  const power = powerSteps(x, rate, 1000);
  const n = power.length;
  const env = new Float64Array(n);
  let sum = 0;
  for (let i = 0; i < n + (SMOOTH_MS >> 1); i++) {
    if (i < n) sum += power[i];
    if (i >= SMOOTH_MS) sum -= power[i - SMOOTH_MS];
    const at = i - (SMOOTH_MS >> 1);
    if (at >= 0) env[at] = 10 * Math.log10(Math.max(sum, 0) / SMOOTH_MS + 1e-14);
  }
  const peakAt = (k: number) => {
    let p = -140;
    for (let i = k; i < Math.min(n, k + PEAK_MS); i++) p = Math.max(p, env[i]);
    return p;
  };
  const expected = new Float64Array(n).fill(-200);
  const expect = (k: number, peak: number) => {
    const m = Math.min(n - k, ring.decayDb.length * STEP_MS);
    for (let i = 0; i < m; i++) expected[k + i] = Math.max(expected[k + i], peak + ring.decayDb[Math.floor(i / STEP_MS)]);
    for (let i = Math.max(0, k - 4); i < k; i++) expected[i] = Math.max(expected[i], peak);
  };
  const strokes = own.map((f) => Math.min(n - 1, Math.round((f / rate) * 1000)));
  const peaks = strokes.map(peakAt);
  strokes.forEach((k, i) => {
    expect(k, peaks[i]);
  });
  const top = quantile(peaks, 0.98);
  const gaps = Array.from(env).filter((_, i) => expected[i] < top - 50);
  const floor = Math.max(top + DEEPEST_DB, gaps.length > LEAST_GAP_MS ? quantile(gaps, 0.99) + OVER_GAPS_DB : -200);
  const added: number[] = [];
  for (let i = WITHIN_MS, last = -APART_MS; i < n; i++) {
    if (i - last <= APART_MS || env[i] <= floor || env[i] <= expected[i] + OVER_DB || env[i] - env[i - WITHIN_MS] <= RISE_DB) continue;
    last = i;
    const k = Math.max(0, i - 4);
    added.push(Math.round((k * rate) / 1000));
    expect(k, peakAt(k));
  }
  return added;
}
