/**
 * Hits as the key of a gate: a stream that is 0 except at the frames of hits, where it is the gain to open to. Softer strokes may open less far,
 * by `softDb` at strength 0. Strokes that are not hits never open anything.
 */
import { dbToGain } from '../dsp/db';
import type { KeyHit } from '../plan/live';

export interface HitKey {
  /** Overwrites `n` values of `out` from `from` on with the key of frames `atFrame` to `atFrame + n`. Allocates nothing. */
  fill(out: Float64Array, from: number, n: number, atFrame: number): void;
  set(hits: readonly KeyHit[], softDb: number): void;
}

export function createHitKey(): HitKey {
  let frames = new Int32Array(0);
  let gains = new Float64Array(0);
  let next = 0;
  return {
    set(hits, softDb) {
      frames = Int32Array.from(hits, (h) => h.frame);
      gains = Float64Array.from(hits, (h) => dbToGain(-softDb * (1 - h.strength)));
      next = 0;
    },
    fill(out, from, n, atFrame) {
      out.fill(0, from, from + n);
      // mostly the next one in line; after a jump it is searched
      if (next > 0 && frames[next - 1] >= atFrame) next = 0;
      while (next < frames.length && frames[next] < atFrame) next++;
      while (next < frames.length && frames[next] < atFrame + n) {
        out[from + frames[next] - atFrame] = gains[next];
        next++;
      }
    },
  };
}
