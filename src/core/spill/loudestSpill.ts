/**
 * A bound to what de-bleed may take of a stroke: in every third of an octave no more than the loudest that the mic hears there while its drum is silent. A drum that is only ever struck together with
 * others lends them some of its sound in the model, and a mic that hardly hears those loses more by it than it gains.
 */
import { type Frames, HOP, framesOf, giveBackBands } from './bandFrames';

/** The drum is not sought from so long before a stroke, for which frames that reach into it are too early, and until so long after it, seconds. */
const BEFORE_S = 0.03;
const AFTER_S = 0.25;
/** What is louder than the loudest by no more than this may be two that sound at once, dB. */
const MARGIN_DB = 3;
/** With fewer frames than this, seconds, the loudest may not have been heard. */
const ENOUGH_S = 3;
/** So far under its loudest frame a mic is switched off, or gated before it was recorded, and no witness, dB. */
const SILENT_DB = -100;

/** The loudest power by band in frames without the drum; null where those are too few. `possible`: frames of its strokes, doubtful ones too, rising. */
export function loudestWithout(f: Frames, possible: readonly number[]): Float64Array | null {
  const loudest = new Float64Array(f.bands);
  const levels = Float64Array.from({ length: f.count }, (_, k) => f.power.subarray(k * f.bands, (k + 1) * f.bands).reduce((a, v) => a + v, 0));
  const silent = levels.reduce((a, v) => Math.max(a, v), 0) * 10 ** (SILENT_DB / 10);
  let heard = 0;
  let next = 0;
  for (let k = 0; k < f.count; k++) {
    const at = k * HOP;
    while (next < possible.length && possible[next] - BEFORE_S * f.rate <= at) next++;
    if ((next > 0 && at < possible[next - 1] + AFTER_S * f.rate) || levels[k] <= silent) continue;
    heard++;
    for (let b = 0; b < f.bands; b++) loudest[b] = Math.max(loudest[b], f.power[k * f.bands + b]);
  }
  return heard * HOP < ENOUGH_S * f.rate ? null : loudest;
}

/** Gives `kept` back, in itself, what was taken of strokes beyond the loudest spill. `raw`: the mic as it came; `possible`: frames of its drum's strokes, doubtful ones too, rising. Where nothing is beyond it, not a sample changes. Tells what it heard of `raw`. */
export function giveBackBeyond(raw: Float32Array, kept: Float32Array, rate: number, possible: readonly number[]): Frames {
  const heard = framesOf(raw, rate);
  const most = loudestWithout(heard, possible)?.map((p) => p * 10 ** (MARGIN_DB / 10));
  if (!most) return heard;
  const { power, bands } = framesOf(raw, rate, kept);
  const over = (k: number, b: number) => power[k * bands + b] > most[b];
  if (!power.some((p, i) => p > most[i % bands])) return heard;
  // what is beyond, with all else taken down to nothing
  giveBackBands(raw, kept, rate, (k, gain) => {
    for (let b = 0; b < bands; b++) gain[b] = over(k, b) ? 1 - Math.sqrt(most[b] / power[k * bands + b]) : 0;
  });
  return heard;
}
