/** What is known of the loudness of the whole kit, from what has been heard of it, and how much louder each way of hearing it has to be for equal loudness. */
import { HOP_S, loudnessOfHops } from '../core/dsp/loudness';
import type { MixHop } from '../core/dsp/mixLoudness';
import type { Listen, Loop } from './protocol';

/** Louder or softer than this nothing is made, dB. */
const MOST_DB = 18;
/** How much louder something has to be to sound as loud as before, dB; 0 where that cannot be told. */
export const toEven = (before: number | null, v: number | null): number => (before === null || v === null ? 0 : Math.max(-MOST_DB, Math.min(MOST_DB, before - v)));

/** So much has to have been heard, hops of 100 ms; of a shorter loop three quarters. */
const ENOUGH = 20;

export interface KitLoudness {
  /** Takes hops of the mix as they come; later ones of the same place count. */
  hear(hops: readonly MixHop[]): void;
  /** By what it has to be turned up, dB; null while too little was heard. With a loop over what was heard of that alone. */
  even(rate: number, loop: Loop | null): Record<Listen, number> | null;
  clear(): void;
}

export function createKitLoudness(): KitLoudness {
  const heard = new Map<number, MixHop>();
  return {
    hear(hops) {
      for (const h of hops) heard.set(h.at, h);
    },
    even(rate, loop) {
      const hop = HOP_S * rate;
      const [from, to] = loop ? [loop.from / hop, loop.to / hop] : [0, Number.POSITIVE_INFINITY];
      const list = [...heard.values()].filter((h) => h.at >= from && h.at + 1 <= to);
      if (list.length < Math.min(ENOUGH, 0.75 * (to - from))) return null;
      const first = list.reduce((least, h) => Math.min(least, h.at), Number.POSITIVE_INFINITY);
      const length = list.reduce((most, h) => Math.max(most, h.at), 0) - first + 1;
      const along = (what: 'before' | 'after' | 'removed') => {
        const v = new Float64Array(length).fill(Number.NaN);
        for (const h of list) v[h.at - first] = h[what];
        return loudnessOfHops(v);
      };
      const before = along('before');
      const at = before.heardIn();
      const lufs = before.integrated(at);
      return { before: 0, after: toEven(lufs, along('after').integrated(at)), removed: toEven(lufs, along('removed').integrated(at)) };
    },
    clear: () => heard.clear(),
  };
}
