/**
 * A tick track: silence but for 20 ms at each own stroke, to key gates or to lay a sample under the drum elsewhere. Excerpts of the stroke itself,
 * or a synthetic tick whose level follows strength. Faded in over 20 samples and out over 200 (common practice, no source).
 */
import type { KeyHit } from '../plan/live';

const TICK_S = 0.02;
const FADE_IN = 20;
const FADE_OUT = 200;
const TICK_HZ = 1500;
const TICK_DECAY_S = 0.004;

export interface TickTrack {
  /** Adds the ticks of frames `atFrame` to `atFrame + out.length` to `out`, which the caller has emptied. `audio` holds the mic at the same place. */
  add(audio: Float32Array, out: Float32Array, atFrame: number): void;
}

/** Where two strokes are nearer than 20 ms the first ends as the second begins. */
export function createTickTrack(rate: number, hits: readonly KeyHit[], kind: 'own' | 'synthetic'): TickTrack {
  const length = Math.round(TICK_S * rate);
  const ends = hits.map((h, i) => Math.min(h.frame + length, hits[i + 1]?.frame ?? Number.POSITIVE_INFINITY));
  return {
    add(audio, out, atFrame) {
      hits.forEach((h, k) => {
        const end = ends[k];
        if (end <= atFrame || h.frame >= atFrame + out.length) return;
        const total = end - h.frame;
        const fade = Math.min(FADE_OUT, total);
        for (let f = Math.max(h.frame, atFrame); f < Math.min(end, atFrame + out.length); f++) {
          const i = f - h.frame;
          const g = Math.min(1, (i + 1) / FADE_IN, (total - i) / fade);
          const x = kind === 'own' ? audio[f - atFrame] : h.strength * Math.exp(-i / (TICK_DECAY_S * rate)) * Math.sin((2 * Math.PI * TICK_HZ * i) / rate);
          out[f - atFrame] += g * x;
        }
      });
    },
  };
}
