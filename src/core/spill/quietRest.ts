/**
 * What de-bleed leaves where a drum has rung out and its softest strokes are louder than what is heard: turned down further, the more the softer it is. A stroke that nobody
 * found is louder than that and stays whole.
 */
import { type Ring, STEP_MS } from '../clean/ring';
import { quantile } from '../hits/candidates';
import { framesOf, HOP } from './bandFrames';
import { REACH, withGainsUntil } from './untilStrokes';

/** A stroke's level is the loudest frame within this after it, ms. */
const PEAK_MS = 40;
/** The rest is what lies so far under the softest usual strokes, and at least so far under the loudest, dB. */
const UNDER_SOFT_DB = 8;
const UNDER_LOUD_DB = 34;
/** Of a cymbal's own mic, whose strokes are more alike and ring longer than what is left of others. */
export const UNDER_LOUD_CYMBAL_DB = 24;
const SOFT_QUANTILE = 0.05;
/** Turned down by so much for each dB that it lies under that, and at most by so much, dB. */
const RATIO = 3;
const DEEPEST_DB = 30;
/** A drum has rung out where its strokes have fallen so far under that by its usual decay, and at least so far under their own level, dB. */
const RUNG_OUT_DB = 8;
const LEAST_FALL_DB = 42;
/** Open so many frames around what is louder. */
const AROUND = 3;
const LEAST_STROKES = 3;

const db = (p: number) => 10 * Math.log10(p + 1e-14);

/** `own`: frames of strokes, doubtful ones too, rising; `ring`: how the drum rings here; `into`: where to write, may be `x` itself; `underLoudDb`: so far under its loudest strokes nothing of the drum is expected. Comes back as it is where there is nothing to tell by. */
export function quietRest(x: Float32Array, rate: number, own: readonly number[], ring: Ring | null, into?: Float32Array, underLoudDb = UNDER_LOUD_DB): Float32Array {
  if (!ring || own.length < LEAST_STROKES) return x;
  const { power, bands, count } = framesOf(x, rate);
  const level = Float64Array.from({ length: count }, (_, k) => db(power.subarray(k * bands, (k + 1) * bands).reduce((a, v) => a + v, 0)));
  const within = Math.ceil((PEAK_MS / 1000) * (rate / HOP));
  const at = own.map((f) => Math.min(count - 1, Math.round(f / HOP)));
  const peaks = at.map((k) => level.subarray(k, k + within + 1).reduce((a, v) => Math.max(a, v), -200));
  const rest = Math.min(quantile(peaks, SOFT_QUANTILE) - UNDER_SOFT_DB, quantile(peaks, 0.98) - underLoudDb);
  // how loud the drum itself may still be: by the strokes before, and with the one to come
  const [ringing, sounding] = [new Uint8Array(count), new Uint8Array(count)];
  at.forEach((k, i) => {
    const fallen = Math.min(rest - RUNG_OUT_DB - peaks[i], -LEAST_FALL_DB);
    const steps = ring.decayDb.findIndex((d) => d < fallen);
    const ms = (steps < 0 ? ring.decayDb.length : steps) * STEP_MS;
    const end = Math.min(count, k + within + Math.ceil((ms / 1000) * (rate / HOP)) + 1);
    ringing.fill(1, k, end);
    sounding.fill(1, Math.max(0, k - AROUND), end);
  });
  const gainOver = (from: number, to: number, open: Uint8Array, gain: Float64Array) => {
    let least = DEEPEST_DB;
    for (let j = Math.max(0, from); j <= Math.min(count - 1, to); j++) least = Math.min(least, open[j] || level[j] >= rest ? 0 : (RATIO - 1) * (rest - level[j]));
    gain.fill(10 ** (-least / 20));
  };
  return withGainsUntil(x, rate, own, (k, gain) => gainOver(k - AROUND, k + AROUND, sounding, gain), (k, gain) => gainOver(k - REACH - 1 - AROUND, k - REACH - 1, ringing, gain), into);
}
