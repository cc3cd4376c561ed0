/** What de-bleed must know of a kit: which mics belong to which drum, and when each drum was struck. */
import { type Kind, kindOf } from '../hits/kinds';
import { type SongMic, ownMics } from '../hits/ownMics';
import { timesLower } from './lowerRate';

/** What de-bleed knows of a mic is what the finding of hits knows. */
export type KitMic = SongMic;

export interface Kit {
  /** At which it is worked on. */
  readonly rate: number;
  /** So many samples of the recording are one at that rate (lowerRate.ts). */
  readonly times: number;
  readonly mics: readonly KitMic[];
  /** Drums with a close mic: the first sources. */
  readonly drums: readonly string[];
  /** Mics of each drum. */
  readonly own: readonly (readonly number[])[];
  /** Mics that rest sources (cymbals) are told by: overheads, else what is no close mic, else the first. */
  readonly far: readonly number[];
  readonly sources: number;
}

/** Sources for what no close mic owns: cymbals, above all. */
export const RESTS = 3;

/** `rate`: the recording's. */
export function describeKit(rate: number, mics: readonly KitMic[]): Kit {
  const drums = [...new Set(mics.flatMap((m) => (m.own ? [m.own] : [])))];
  const own = drums.map((d) => ownMics(mics, d));
  const others = mics.flatMap((m, i) => (m.own ? [] : [i]));
  const overheads = others.filter((i) => mics[i].overhead);
  const far = overheads.length ? overheads : others.length ? others : [0];
  const times = timesLower(rate);
  return { rate: rate / times, times, mics, drums, own, far, sources: drums.length + RESTS };
}

/** Generous times in which drums fall by 60 dB, seconds: 2.5 times what they usually take. */
const FALL_S: Record<Kind, number> = { kick: 1.5, snare: 1.75, hat: 1.25, tom: 3, cymbal: 3 };
/** A drum may always sound a little: a stroke that was not found must be able to return. */
const LEAST = 3e-3;

/** So long after a stroke more is expected of its drum than of one that was not struck, seconds. */
export const expectedFor = (drum: string): number => (-Math.log10(LEAST) / 6) * FALL_S[kindOf(drum)];

/**
 * Power that may be expected of a drum by its hits (seconds), 0..1, one value a frame; frame k is centred on `times[k]` and spans `window` seconds. A drum
 * without hits may sound at any time.
 */
export function activity(drum: string, hits: readonly number[], times: Float64Array, window: number): Float32Array {
  const out = new Float32Array(times.length).fill(hits.length ? LEAST : 1);
  const fall = FALL_S[kindOf(drum)];
  for (const h of hits) {
    for (let k = 0; k < times.length; k++) {
      const d = times[k] - h;
      if (d <= -window / 2) continue;
      const a = 10 ** ((-6 * Math.max(0, d - window / 2)) / fall);
      if (a > out[k]) out[k] = a;
    }
  }
  return out;
}
