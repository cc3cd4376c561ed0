/**
 * What a gate does to a mic's own strokes, without a truth: measured against the raw mic at its known hits. An approximation of the figures that
 * need the truth: spill under a stroke counts as the stroke's.
 */
export interface StrokeFigures {
  /** Own hits of the mic's drum. */
  readonly strokes: number;
  /** Those whose first 20 ms lost more than 10 dB. */
  readonly lost: number;
  /** Mean level change of the first 10 ms of the strokes that were not lost, dB; null without any. */
  readonly attackDb: number | null;
  /** Openings in which no own hit lies. */
  readonly foreignOpenings: number;
}

const ATTACK_S = 0.01;
const STROKE_S = 0.02;
/** A stroke that is lower by this is lost, dB. */
export const LOST_DB = -10;
/** An opening may begin this long before its hit, and a hit may be marked this late. */
const SLACK_S = 0.03;

/** Levels of each stroke's first 10 ms, dBFS (root mean square): of the mic as it came and of what is left, two values a stroke of `hits` (frames). `gain` is linear and of `kept`. */
export function attackLevels(rate: number, raw: Float32Array, kept: Float32Array, gain: Float32Array, hits: readonly number[]): Float32Array {
  const n = Math.round(ATTACK_S * rate);
  const out = new Float32Array(2 * hits.length);
  for (const [k, h] of hits.entries()) {
    let [before, after] = [0, 0];
    const end = Math.min(raw.length, h + n);
    for (let i = h; i < end; i++) {
      before += raw[i] * raw[i];
      after += (kept[i] * gain[i]) ** 2;
    }
    out[2 * k] = 10 * Math.log10(before / n + 1e-12);
    out[2 * k + 1] = 10 * Math.log10(after / n + 1e-12);
  }
  return out;
}

/** `gain` is linear, without the output level; `hits` frames of own strokes, rising. All in time with `audio`. */
export function strokeFigures(rate: number, audio: Float32Array, gain: Float32Array, hits: readonly number[]): StrokeFigures {
  const change = (from: number, seconds: number) => {
    let [before, after] = [0, 0];
    for (let i = from; i < Math.min(audio.length, from + Math.round(seconds * rate)); i++) {
      const e = audio[i] * audio[i];
      before += e;
      after += e * gain[i] * gain[i];
    }
    return before > 0 ? 10 * Math.log10(after / before + 1e-12) : 0;
  };
  let [lost, kept, sum] = [0, 0, 0];
  for (const h of hits) {
    if (change(h, STROKE_S) < LOST_DB) {
      lost++;
      continue;
    }
    kept++;
    sum += change(h, ATTACK_S);
  }
  const slack = Math.round(SLACK_S * rate);
  let [foreign, start, next] = [0, -1, 0];
  for (let i = 0; i <= gain.length; i++) {
    const open = i < gain.length && gain[i] > 0.5;
    if (open && start < 0) start = i;
    if (!open && start >= 0) {
      while (next < hits.length && hits[next] < start - slack) next++;
      if (next >= hits.length || hits[next] > i) foreign++;
      start = -1;
    }
  }
  return { strokes: hits.length, lost, attackDb: kept ? sum / kept : null, foreignOpenings: foreign };
}
