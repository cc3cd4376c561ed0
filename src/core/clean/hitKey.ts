/**
 * Hits as the key of a gate: a stream that is 0 except at hits, where it is the gain to open to. Softer strokes may open less far, by `softDb` at strength 0, and
 * hold it for a shorter time: louder ones keep the key up for as much longer. Strokes that are not hits never open anything.
 */
import { dbToGain } from '../dsp/db';
import { firstIndex } from '../dsp/search';
import { type GateSettings, hitHoldMs, leastHoldMs } from '../params/gateParams';
import type { KeyHit } from '../plan/live';

export type HitKeySettings = Pick<GateSettings, 'softDb' | 'holdMs' | 'softShorter'>;

export interface HitKey {
  /** Overwrites `n` values of `out` from `from` on with the key of frames `atFrame` to `atFrame + n`. Allocates nothing. */
  fill(out: Float64Array, from: number, n: number, atFrame: number): void;
  set(hits: readonly KeyHit[], s: HitKeySettings): void;
}

/** `rate` in Hz. */
export function createHitKey(rate: number): HitKey {
  let frames = new Int32Array(0);
  /** Where the key of each, or of a longer one before it, ends. */
  let ends = new Int32Array(0);
  let gains = new Float64Array(0);
  let next = 0;
  let search = 0;
  const reached = (i: number) => frames[i] >= search;
  /** Writes the key of hit `k` from frame `begin` on, as far as it reaches in the `n` frames from `atFrame` on, which lie in `out` from `from` on. */
  const hold = (k: number, begin: number, out: Float64Array, from: number, n: number, atFrame: number) => {
    const end = Math.min(ends[k], atFrame + n, k + 1 < frames.length ? frames[k + 1] : Number.POSITIVE_INFINITY);
    if (end > begin) out.fill(gains[k], from + begin - atFrame, from + end - atFrame);
  };
  return {
    set(hits, s) {
      frames = Int32Array.from(hits, (h) => h.frame);
      gains = Float64Array.from(hits, (h) => dbToGain(-s.softDb * (1 - h.strength)));
      let end = 0;
      ends = Int32Array.from(hits, (h) => {
        end = Math.max(end, h.frame + 1 + Math.round(((hitHoldMs(s, h.strength) - leastHoldMs(s)) / 1000) * rate));
        return end;
      });
      next = 0;
    },
    fill(out, from, n, atFrame) {
      out.fill(0, from, from + n);
      // mostly the next one in line; after a jump it is searched
      if (next > 0 && frames[next - 1] >= atFrame) {
        search = atFrame;
        next = firstIndex(frames.length, reached);
      }
      while (next < frames.length && frames[next] < atFrame) next++;
      if (next > 0) hold(next - 1, atFrame, out, from, n, atFrame);
      for (; next < frames.length && frames[next] < atFrame + n; next++) hold(next, frames[next], out, from, n, atFrame);
    },
  };
}
