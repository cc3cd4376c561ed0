/**
 * How every drum reaches every mic: level against the drum's own first mic (also by band), delay and polarity, and on how many strokes
 * that rests. Levels are medians of what strokes add.
 */
import type { Lend } from '../lend';
import { quantile } from '../hits/candidates';
import { type Ear, createEar, shareOut } from '../hits/ears';
import { BANDS, heardBands } from '../hits/kinds';

export interface SpillEntry {
  /** dB against the drum's first own mic (or first overhead), over the bands in which it is heard: 0 there, usually negative elsewhere. */
  readonly levelDb: number;
  /** The same in each of the pattern bands. */
  readonly bandsDb: readonly number[];
  /** ms after the drum's first own mic; null where no clear peak was found. */
  readonly delayMs: number | null;
  /** -1 where the mic hears the drum upside down against the drum's first own mic. */
  readonly polarity: 1 | -1;
}

export interface SpillRow {
  readonly drum: string;
  /** Index of the mic that levels and delays are against. */
  readonly main: number;
  readonly strokes: number;
  /** What a medium stroke adds to the main mic, dB, and by band: for comparing drums with each other. */
  readonly strokeDb: number;
  readonly strokeBandsDb: readonly number[];
  /** By mic. */
  readonly mics: readonly SpillEntry[];
}

/** Strokes looked at, at most. */
const MOST = 40;

export interface SpillDrum {
  readonly drum: string;
  readonly main: number;
  /** Sure strokes, seconds. */
  readonly times: readonly number[];
  /** Where other drums were struck, seconds, rising: strokes near those are left out while enough remain. */
  readonly foreign: readonly number[];
}

/** Strokes that stand alone, the lonelier the better. */
function loneliest(d: SpillDrum): number[] {
  const gap = (t: number) => d.foreign.reduce((g, f) => (f - t > -0.03 && f - t < 0.06 ? Math.min(g, Math.abs(f - t)) : g), 1);
  return [...d.times].map((t) => ({ t, g: gap(t) })).sort((a, b) => b.g - a.g).slice(0, MOST).map((x) => x.t);
}

/** `lend` gives the samples of a mic (all of one length); each is asked for once or twice. Drums without strokes are left out. */
export async function spillMap(rate: number, micCount: number, lend: Lend, drums: readonly SpillDrum[], ears: readonly Ear[] = [createEar()]): Promise<SpillRow[]> {
  const played = drums.filter((d) => d.times.length > 0).map((d) => ({ ...d, picked: loneliest(d) }));
  const spectra = await shareOut(ears, played.map((d) => async (ear: Ear) => lend(d.main, (x) => ear.strokeSpectra(x, rate, d.picked))));
  const reached = await shareOut(
    ears,
    Array.from({ length: micCount }, (_, m) => async (ear: Ear) => lend(m, (x) => ear.reaches(x, rate, played.map((d, k) => ({ times: d.picked, spectra: d.main === m ? null : spectra[k] }))))),
  );
  return played.map((d, k) => {
    const own = reached[d.main][k].added;
    const n = d.picked.length;
    const stroke = (bands: readonly number[]) => quantile(Array.from({ length: n }, (_, i) => 10 * Math.log10(bands.reduce((s, b) => s + own[i * BANDS + b], 0))), 0.5);
    const all = Array.from({ length: BANDS }, (_, b) => b);
    const heard = heardBands(d.drum);
    return {
      drum: d.drum,
      main: d.main,
      strokes: d.times.length,
      strokeDb: stroke(heard),
      strokeBandsDb: all.map((b) => stroke([b])),
      mics: reached.map((mic) => {
        const { added: rows, delayMs, polarity } = mic[k];
        const ratio = (bands: number[]) => quantile(Array.from({ length: n }, (_, i) => 10 * Math.log10(bands.reduce((s, b) => s + rows[i * BANDS + b], 0) / bands.reduce((s, b) => s + own[i * BANDS + b], 0))), 0.5);
        return { levelDb: ratio(heard), bandsDb: all.map((b) => ratio([b])), delayMs, polarity };
      }),
    };
  });
}
