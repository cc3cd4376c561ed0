/**
 * Moments at which the overheads rise, as what may be strokes of cymbals that no close mic owns: what the second pass thinks of each, which strokes of all drums are sure, and
 * what the overheads add there in fine bands.
 */
import { firstIndex } from '../dsp/search';
import { quantile } from './candidates';
import { choose } from './classify';
import { type Ear, shareOut } from './ears';
import { FINE } from './eventSpectra';
import type { Moments } from './fineLook';
import { RISE_BANDS } from './kinds';
import { FAR, type SecondTrack, THRESHOLD } from './passes';
import { CYMBALS, type Song, type Source } from './song';

/** Strokes this certain show how a drum sounds. */
export const SURE = 0.85;
/** So many show it well. */
export const ENOUGH_KNOWN = 3;
/** Other drums' strokes this near are the same moment, seconds. */
export const SAME_S = 0.008;
/** What another drum may have struck. */
const MAYBE = 0.15;
/** Bands in which cymbals ring longest, of those in which rises are told. */
const HIGHS = [5, 6];
/** Strokes of several drums nearer than this sound together in a window before and after, seconds. */
const TOGETHER_S = 0.045;
/** A cymbal's stroke is loudest in the highs at once: others that come later than this do not hide it. */
const CYMBAL_TOGETHER_S = 0.03;
/** Alone are enough. */
const ENOUGH_ALONE = 4;
const MOST_KNOWN = 60;

export interface Place {
  readonly time: number;
  readonly heard: number;
  readonly novelty: number;
  /** Less of the rise in the highs is left 60 to 110 ms later, dB. */
  readonly fallDb: number;
  /** By cymbal: what the second pass thinks and what the first thought, and how much it adds against its loudest, dB. */
  readonly certainty: readonly number[];
  readonly first: readonly number[];
  readonly levelDb: readonly number[];
}

/** A cymbal's track and what the second pass thinks of it. */
export interface Heard {
  readonly t: SecondTrack;
  readonly c: Float64Array;
}

/** Cymbals ring: of 903 strokes of rides in 91 made recordings one lost so much of its rise by then, dB, of 707 of crashes at most 15, of clicked sticks 23.5 to 26. */
const DIES_DB = 22;

/** Whether what rises at a place is gone too soon for any cymbal. */
export const diesAway = (p: Place): boolean => p.fallDb >= DIES_DB;

/** Of cymbals that no close mic owns. */
const isFar = (t: SecondTrack) => t.source.drum === CYMBALS;

export const cymbalsIn = (tracks: readonly SecondTrack[], certainty: readonly Float64Array[]): Heard[] => FAR.flatMap((drum) => tracks.flatMap((t, k) => (t.drum === drum && isFar(t) ? [{ t, c: certainty[k] }] : [])));

export function placesOf(far: readonly Heard[]): Place[] {
  const source = far[0].t.source;
  return Array.from(source.time, (time, i) => ({
    time, heard: source.heard[i], novelty: source.novelty[i], fallDb: fallOf(source, i), certainty: far.map((f) => f.c[i]), first: far.map((f) => f.t.thought[i]), levelDb: far.map((f) => f.t.described.levelDb[i]),
  }));
}

/** How much of a candidate's rise in the highs is gone 60 to 110 ms later, dB. */
const fallOf = (s: Source, i: number): number => HIGHS.reduce((sum, b) => sum + s.rises[RISE_BANDS.length * i + b] - s.later[RISE_BANDS.length * i + b], 0) / HIGHS.length;

/** Strokes (seconds) of a cymbal that are sure and not the other's too. */
function surelyIts(places: readonly Place[], k: number): number[] {
  const time = Float64Array.from(places, (p) => p.time);
  const mine = Float64Array.from(places, (p) => p.certainty[k]);
  return choose(time, mine, THRESHOLD).filter((i) => mine[i] > SURE && !diesAway(places[i]) && places[i].certainty.every((c, o) => o === k || c < THRESHOLD)).map((i) => time[i]);
}

/** Sure strokes of every drum, and what drums with close mics may have struck, seconds, rising. */
export function sureStrokes(tracks: readonly SecondTrack[], certainty: readonly Float64Array[], places: readonly Place[], far: readonly string[]): { readonly sure: Map<string, readonly number[]>; readonly others: readonly number[] } {
  const sure = new Map<string, readonly number[]>();
  const others: number[] = [];
  tracks.forEach((t, k) => {
    if (isFar(t)) return;
    sure.set(t.drum, choose(t.source.time, certainty[k], THRESHOLD).filter((i) => certainty[k][i] > SURE).map((i) => t.source.time[i]));
    for (let i = 0; i < t.source.n; i++) if (certainty[k][i] > MAYBE) others.push(t.source.time[i]);
  });
  far.forEach((drum, k) => {
    sure.set(drum, surelyIts(places, k));
  });
  return { sure, others: others.sort((a, b) => a - b) };
}

/** By place (in order of time): which drums with close mics may have been struck there. */
export function drumsAt(tracks: readonly SecondTrack[], certainty: readonly Float64Array[], places: readonly Place[]): string[][] {
  const out: string[][] = places.map(() => []);
  tracks.forEach((t, k) => {
    if (isFar(t)) return;
    for (let i = 0; i < t.source.n; i++) {
      if (certainty[k][i] <= MAYBE) continue;
      const at = t.source.time[i];
      for (let p = firstIndex(places.length, (j) => places[j].time > at - SAME_S); p < places.length && places[p].time < at + SAME_S; p++) if (!out[p].includes(t.drum)) out[p].push(t.drum);
    }
  });
  return out;
}

/** Of each drum's sure strokes those that show it best: alone, else without cymbals, else all. */
export function showing(sure: ReadonlyMap<string, readonly number[]>, far: readonly string[]): Map<string, number[]> {
  const all = [...sure].flatMap(([drum, list]) => list.map((time) => ({ drum, time })));
  return new Map([...sure].map(([drum, list]) => {
    const reach = far.includes(drum) ? CYMBAL_TOGETHER_S : TOGETHER_S;
    const alone = list.filter((t) => !all.some((e) => e.drum !== drum && Math.abs(e.time - t) < reach));
    const clear = list.filter((t) => !all.some((e) => e.drum !== drum && far.includes(e.drum) && Math.abs(e.time - t) < TOGETHER_S));
    const best = alone.length >= ENOUGH_ALONE ? alone : clear.length >= ENOUGH_KNOWN ? clear : [...list];
    const every = Math.max(1, Math.ceil(best.length / MOST_KNOWN));
    return [drum, best.filter((_, i) => i % every === 0)];
  }));
}

/** Fine spectra at each list of times (seconds), after and before, of all overheads (`audio`, in the song's order). */
export type FineReader = (lists: readonly Float64Array[]) => Promise<Moments[]>;

export function fineReader(song: Song, audio: readonly Float32Array[], ears: readonly Ear[]): FineReader {
  return async (lists) => {
    const parts = await shareOut(ears, audio.map((x) => async (ear: Ear) => ear.powers(x, song.rate, lists, FINE)));
    const bands = FINE.edges.length - 1;
    const cells = bands * parts.length;
    return lists.map((times, l) => {
      const [after, before] = [new Float32Array(times.length * cells), new Float32Array(times.length * cells)];
      parts.forEach((p, k) => {
        for (let i = 0; i < times.length; i++) {
          after.set(p[l].subarray(2 * i * bands, (2 * i + 1) * bands), i * cells + k * bands);
          before.set(p[l].subarray((2 * i + 1) * bands, (2 * i + 2) * bands), i * cells + k * bands);
        }
      });
      return withFloor({ cells, bands, after, before });
    });
  };
}

/** Moments that tell what is always there. */
const ENOUGH_FOR_FLOOR = 1000;

/** The moments with what is always there added to every cell, so that silence does not rise. */
function withFloor(m: Moments): Moments {
  const n = m.after.length / m.cells;
  const every = Math.max(1, Math.floor(n / ENOUGH_FOR_FLOOR));
  const [after, before] = [m.after.slice(), m.before.slice()];
  for (let f = 0; f < m.cells; f++) {
    const floor = quantile(Float64Array.from({ length: Math.ceil(n / every) }, (_, i) => m.before[i * every * m.cells + f]), 0.02) + 1e-14;
    for (let i = f; i < after.length; i += m.cells) {
      after[i] += floor;
      before[i] += floor;
    }
  }
  return { ...m, after, before };
}
