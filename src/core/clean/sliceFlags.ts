/** What may be wrong with slices, told before anyone hears it. */
import { firstIndex } from '../dsp/search';
import { ringMs } from './ring';
import { GUARD_AFTER_S, GUARD_BEFORE_S, type Slice, type SliceInput, naturalEnd } from './slices';

export type SliceFlag = 'short' | 'foreign-lead' | 'foreign-tail' | 'scrap' | 'tight' | 'shaved' | 'doubt';

export const FLAG_WORDS: Readonly<Record<SliceFlag, string>> = {
  short: 'ends before the drum has rung out',
  'foreign-lead': "another drum's stroke in the lead",
  'foreign-tail': "another drum's stroke in the tail",
  scrap: 'no hit of this drum in it',
  tight: 'the fade in is cut short by the attack',
  shaved: 'an attack of this drum is cut or faded',
  doubt: 'the hit is in doubt',
};

/** A tail this much shorter than the natural one is told, share. */
const SHORT = 0.75;
/** So far down, or so late, another drum's strong stroke stands out of a tail. */
const FAINT_DB = -24;
const FAINT_S = 0.25;
/** A stroke that began this long before a slice, and no longer, is heard in it without its attack. */
const BEFORE_S = 0.03;

/**
 * Flags of each slice, by its id. `loud`: frames of other drums' strong strokes, rising; in a tail they count where the own ring has fallen so far that they stand out. `doubtful`
 * names hits that a person should look at.
 */
export function flagSlices(i: SliceInput, slices: readonly Slice[], loud: readonly number[], doubtful: ReadonlySet<string> = new Set()): Map<string, SliceFlag[]> {
  const { rate } = i;
  const attacks = i.attacks ?? [];
  const own = new Set(i.own.map((h) => h.id));
  const out = new Map<string, SliceFlag[]>();
  const within = (list: readonly number[], from: number, to: number) => {
    const i = firstIndex(list.length, (k) => list[k] >= from);
    return i < list.length && list[i] < to;
  };
  for (const s of slices) {
    const flags: SliceFlag[] = [];
    const [first, last] = [s.hits[0], s.hits[s.hits.length - 1]];
    if (i.ring && s.to - last.frame < SHORT * (naturalEnd(i, last) - last.frame)) flags.push('short');
    if (within(i.foreign, s.from, first.frame - Math.round(0.002 * rate))) flags.push('foreign-lead');
    const faint = i.ring ? ringMs(i.ring, last.strength, FAINT_DB) / 1000 : FAINT_S;
    if (within(loud, last.frame + Math.round(faint * rate), s.to)) flags.push('foreign-tail');
    if (!s.hits.some((h) => own.has(h.id) && !h.id.startsWith('at-'))) flags.push('scrap');
    if (s.fadeIn < (i.settings.fadeInMs / 1000) * rate * 0.5) flags.push('tight');
    // at full level from 2 ms before an attack to 5 ms after it, or not at all
    const [least, most] = [s.from + s.fadeIn + Math.round(GUARD_BEFORE_S * rate), s.to - s.fadeOut - Math.round(GUARD_AFTER_S * rate)];
    if (within(attacks, s.from - Math.round(BEFORE_S * rate), least) || within(attacks, most + 1, s.to)) flags.push('shaved');
    if (s.hits.some((h) => doubtful.has(h.id))) flags.push('doubt');
    if (flags.length) out.set(s.id, flags);
  }
  return out;
}
