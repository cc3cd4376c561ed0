/**
 * Windows reach over a stroke's beginning: a band that opens for it opens some 20 to 40 ms ahead, and what others leave there swells up to the stroke. Here bands stay as they were until
 * the stroke begins: what lies before it is made with those gains, what comes after it with its own, and the two meet shortly before it.
 */
import { type Gains, HOP, PEAK_MS, SIZE, bandEdges, withGains } from './bandFrames';

/** A stroke that is told late begins where the sound before it is no further under it than this, dB, by its loudest millisecond; no more than so much earlier, ms. */
const LATE_DB = -20;
const LATE_MS = 25;
/** How long before a stroke its bands begin to open, and how quickly, ms. */
export const LEAD_MS = 4;
export const UP_MS = 1.5;
/** Frames whose windows reach a stroke at frame k begin so many before it. */
export const REACH = SIZE / 2 / HOP;
/** Frames on either side that a stretch is made with, so that its own edges are not heard. */
const AROUND = 4;

/** Where a stroke that may be told late begins, frames. */
export function beginOf(x: Float32Array, rate: number, at: number): number {
  const ms = Math.round(rate / 1000);
  const power = (from: number) => {
    let sum = 0;
    for (let i = Math.max(0, from); i < Math.min(x.length, from + ms); i++) sum += x[i] * x[i];
    return sum;
  };
  let peak = 0;
  for (let k = 0; k < PEAK_MS; k++) peak = Math.max(peak, power(at + k * ms));
  let begin = at;
  for (let k = 1; k <= LATE_MS && power(at - k * ms) > peak * 10 ** (LATE_DB / 10); k++) begin = at - k * ms;
  return begin;
}

/** Samples `from` to `to` of which those after `end` fade out before the stroke that begins LEAD_MS later. */
export function cutAt(x: Float32Array, rate: number, from: number, end: number, to: number): Float32Array {
  const piece = x.slice(from, to);
  const lead = Math.round((LEAD_MS * rate) / 1000);
  for (let j = end - from; j < piece.length; j++) piece[j] *= j < end - from + lead ? 0.5 + 0.5 * Math.cos((Math.PI * (j - end + from)) / lead) : 0;
  return piece;
}

/** What stands in a mic from sample `at` on, until the stroke after it opens its bands. */
export interface Held {
  readonly at: number;
  readonly samples: Float32Array;
}

/** What comes before strokes (samples, rising) where its bands stay as they were: made with `gains` up to where windows reach a stroke, with what `before(k, out)` writes for a stroke at frame `k` from there on. */
export function heldBefore(x: Float32Array, rate: number, strokes: readonly number[], gains: Gains, before: Gains): Held[] {
  const lead = Math.round((LEAD_MS * rate) / 1000);
  const until = new Float64Array(bandEdges(rate).length - 1);
  return strokes.flatMap((stroke, i) => {
    const k = Math.round(stroke / HOP);
    const first = Math.max(0, k - 2 * REACH - AROUND);
    const at = Math.max(0, (k - 2 * REACH) * HOP);
    const to = beginOf(x, rate, stroke) - lead;
    // a stroke shortly before has opened them
    if (to <= at || (i > 0 && strokes[i - 1] > at - lead)) return [];
    // without the stroke itself: where bands are half open it would ring ahead
    const piece = cutAt(x, rate, first * HOP, to, (k + AROUND) * HOP);
    const end = to - first * HOP;
    before(k, until);
    withGains(piece, rate, (j, out) => {
      gains(j + first, out);
      if (j + first < k - REACH) return;
      for (let b = 0; b < out.length; b++) out[b] = Math.min(out[b], until[b]);
    }, piece);
    return [{ at, samples: piece.slice(at - first * HOP, end) }];
  });
}

/** Puts what was held into the mic that was made with each frame's own gains. */
export function putHeld(x: Float32Array, rate: number, held: readonly Held[]): void {
  const up = Math.round((UP_MS * rate) / 1000);
  for (const { at, samples } of held) {
    for (let j = 0; j < samples.length; j++) {
      const open = Math.max(0, 1 - (samples.length - j) / up);
      x[at + j] = samples[j] + open * (x[at + j] - samples[j]);
    }
  }
}

/** As withGains, with what heldBefore says put in. */
export function withGainsUntil(x: Float32Array, rate: number, strokes: readonly number[], gains: Gains, before: Gains, into?: Float32Array): Float32Array {
  const held = heldBefore(x, rate, strokes, gains, before);
  const out = withGains(x, rate, gains, into);
  putHeld(out, rate, held);
  return out;
}
