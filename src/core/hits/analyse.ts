/** Hits, spill map and what is odd about the mics: all that is found in a recording at once, for the job and the command line. */
import type { Ring } from '../clean/ring';
import { rankOf, roleOf } from '../plan/roles';
import { type SpillRow, spillMap } from '../spill/spillMap';
import { ENOUGH_MICS, type FoundHit, type Networks, THRESHOLD, detectHits } from './detectHits';
import type { Lend } from '../lend';
import { type Ear, createEar, shareOut } from './ears';
import { EDGES, kindOf } from './kinds';
import { type SongMic, ownMics } from './ownMics';
import { heardElsewhere } from './unplayed';
import { NETWORKS } from './weights';

export interface Analysis {
  readonly version: number;
  readonly drums: Readonly<Record<string, readonly FoundHit[]>>;
  readonly spill: readonly SpillRow[];
  /** Edges of the spill map's bands, Hz. */
  readonly bandsHz: readonly number[];
  /** How its drum rings in each close mic; null for mics without a drum or with too few strokes. */
  readonly rings: readonly (Ring | null)[];
  readonly notes: readonly string[];
}

/** Raised whenever the same audio would give another result. */
export const ANALYSIS_VERSION = 27;

/** Strokes this certain make the spill map; with few mics nobody is that sure. */
const SURE = 0.8;
const SURE_OF_FEW = 0.48;
const SILENT = 10 ** (-90 / 20);
/** A mic that hears its drum this much later than others do was moved. */
const MOVED_MS = 8;
/** A mic without a drum of its own that hears them all this much later than their own mics do is far away, or was moved; usually it is so late. */
const FAR_MS = 18;
const USUAL_MS = 8;

/**
 * `roles` by mic; `names` for notes; `lend` gives the samples of a mic, all of one length, `rate` in Hz. Notes are for people: silent,
 * moved or inverted mics, drums that nobody plays. `progress` is told 0..1 and may throw to cancel.
 */
export async function analyse(
  rate: number, roles: readonly string[], names: readonly string[], lend: Lend, progress: (done: number) => void | Promise<void> = () => {}, networks: Networks = NETWORKS, ears: readonly Ear[] = [createEar()],
): Promise<Analysis> {
  const notes: string[] = [];
  const silent = new Set<number>();
  const seen = new Set<number>();
  const check = (m: number, x: Float32Array) => {
    if (seen.has(m)) return;
    seen.add(m);
    if (x.some((v) => Math.abs(v) >= SILENT)) return;
    silent.add(m);
    notes.push(`${names[m]} is silent.`);
  };
  const mics = roles.map((r) => ({ own: roleOf(r).drum, overhead: roleOf(r).group === 'overhead', rank: rankOf(r) }));
  /** Hits and spill map with mics that come late moved by so much, seconds, and without drums that are not played; told as the mics are. */
  const listen = async (late: ReadonlyMap<number, number>, tell: (done: number) => void | Promise<void>, played: ReadonlyMap<string, boolean> = new Map()) => {
    const from: Lend = (m, work) => lend(m, (x) => {
      check(m, x);
      return work(advanced(x, Math.round((late.get(m) ?? 0) * rate)));
    });
    const found = await detectHits(rate, mics, from, networks, (d) => tell(0.9 * d), ears, played);
    const rows = await mapOf(rate, mics.length, from, found.drums, (d) => toldIn(d, mics), ears);
    await tell(1);
    return {
      song: found.song,
      drums: Object.fromEntries(Object.entries(found.drums).map(([d, list]) => [d, toldBack(list, d, mics, late)])),
      spill: rows.map((row) => ({ ...row, mics: row.mics.map((e, m) => ({ ...e, delayMs: e.delayMs === null ? null : e.delayMs + 1000 * ((late.get(m) ?? 0) - (late.get(row.main) ?? 0)) })) })),
    };
  };
  let { drums, song, spill } = await listen(new Map(), (d) => progress(0.9 * d));
  const late = lateMics(spill);
  for (const [m, by] of movedMics(spill)) notes.push(`${names[m]} seems to come some ${Math.round(1000 * by)} ms late against the other mics: best moved before mixing.`);
  // what one mic hears late would seem struck there alone, and rooms that are late hear the stroke before: all over again with them in their places
  if (late.size > 0) ({ drums, song, spill } = await listen(late, () => progress(0.9)));
  // a ride that is taken for the hat's strokes hides in those: once more without
  const not = heardElsewhere(spill, mics.flatMap((m, i) => (m.overhead ? [i] : [])));
  if (not.length > 0) ({ drums, song, spill } = await listen(late, () => progress(0.9), new Map(not.map((d) => [d, false]))));
  const rings = await shareOut(ears, mics.map((mic, m) => async (ear: Ear) => {
    const own = (mic.own && drums[mic.own]) || [];
    const frames = own.filter((h) => h.certainty >= THRESHOLD).map((h) => Math.round(h.time * rate));
    return mic.own && frames.length ? lend(m, (x) => ear.ring(x, rate, mic.own as string, frames)) : null;
  }));
  mics.forEach((_, m) => {
    const behind = behindMs(spill, m);
    if (behind > FAR_MS) notes.push(`${names[m]} comes some ${Math.round(behind)} ms after the close mics: far away, or moved.`);
    const own = spill.find((r) => r.drum === mics[m].own && r.main !== m);
    if (own && own.mics[m].polarity < 0 && own.mics[m].levelDb > -20) notes.push(`${names[m]} hears ${roleOf(roles[own.main]).label.toLowerCase()}'s drum upside down: usual under a drum, elsewhere turn it.`);
  });
  if (roles.length < ENOUGH_MICS) notes.push(`With ${roles.length === 1 ? 'one mic' : `${roles.length} mics`} alone, other drums' strokes cannot be told from own ones: all hits are in doubt.`);
  for (const [d, list] of Object.entries(drums)) {
    const main = toldIn(d, mics);
    if (list.length === 0) notes.push(song.sources.get(d)?.n === 0 && !silent.has(main) ? `${names[main]} hears no stroke of any drum: is it noise?` : `No strokes found on ${d}.`);
  }
  await progress(1);
  return { version: ANALYSIS_VERSION, drums, spill, bandsHz: EDGES, rings, notes };
}

/** The mic in which a drum's hits are told: its first own one, or the first overhead. */
export const toldIn = (drum: string, mics: readonly SongMic[]): number => ownMics(mics, drum)[0] ?? Math.max(0, mics.findIndex((m) => m.overhead));

/** How the drums of found hits reach `mics` mics, told by their surer and louder strokes; `mainOf`: the mic in which a drum's hits are told. */
export function mapOf(
  rate: number, mics: number, lend: Lend, drums: Readonly<Record<string, readonly FoundHit[]>>, mainOf: (drum: string) => number, ears: readonly Ear[],
): Promise<SpillRow[]> {
  const sure = Object.entries(drums).map(([drum, list]) => ({ drum, times: list.filter((h) => h.certainty >= (mics < ENOUGH_MICS ? SURE_OF_FEW : SURE) && h.strength > 0.15).map((h) => h.time) }));
  return spillMap(rate, mics, lend, sure.map(({ drum, times }) => ({ drum, times, main: mainOf(drum), foreign: sure.flatMap((o) => (o.drum === drum ? [] : o.times)) })), ears);
}

/** How much later than the drums' own mics a mic without a drum hears them, ms; 0 where it is one of those, or nobody knows. */
function behindMs(spill: readonly SpillRow[], m: number): number {
  // cymbals are told in an overhead, which may be far or late as well
  const near = spill.filter((r) => kindOf(r.drum) !== 'cymbal');
  if (near.some((r) => r.main === m)) return 0;
  const delays = near.flatMap((r) => (r.mics[m].delayMs === null ? [] : [r.mics[m].delayMs as number]));
  return delays.length >= 2 ? median(delays) : 0;
}

/** Mics that hear everything later than where they stand explains, and by how much, seconds: hits are found with them in their places. */
export function lateMics(spill: readonly SpillRow[]): Map<number, number> {
  const late = movedMics(spill);
  for (let m = 0; m < (spill[0]?.mics.length ?? 0); m++) if (!late.has(m) && behindMs(spill, m) > FAR_MS) late.set(m, (behindMs(spill, m) - USUAL_MS) / 1000);
  return late;
}

/** Close mics that hear their drum later than most others do, and by how much, seconds. */
function movedMics(spill: readonly SpillRow[]): Map<number, number> {
  const late = new Map<number, number>();
  for (const row of spill) {
    if (kindOf(row.drum) === 'cymbal') continue;
    const others = row.mics.filter((e, m) => m !== row.main && e.delayMs !== null).map((e) => e.delayMs as number);
    const early = others.filter((d) => d < -MOVED_MS);
    if (others.length >= 3 && early.length > others.length / 2) late.set(row.main, -median(early) / 1000);
  }
  return late;
}

/**
 * Hits that were found with late mics in their places as they lie in the recording: where the drum's own mics have them, of cymbals without any the first overhead. Where not all of those are late, the hits stay where the
 * earliest has them, so that whatever they open is never too late.
 */
export function toldBack(list: readonly FoundHit[], drum: string, mics: readonly { readonly own: string | null; readonly overhead: boolean }[], late: ReadonlyMap<number, number>): readonly FoundHit[] {
  const own = mics.flatMap((m, i) => (m.own === drum ? [i] : []));
  const told = own.length > 0 ? own : mics.flatMap((m, i) => (m.overhead ? [i] : [])).slice(0, 1);
  const by = Math.min(...told.map((i) => late.get(i) ?? 0));
  return Number.isFinite(by) && by > 0 ? list.map((h) => ({ ...h, time: h.time + by })) : list;
}

/** The same so many frames earlier, silence at its end. */
export function advanced(x: Float32Array, frames: number): Float32Array {
  if (frames === 0) return x;
  const out = new Float32Array(x.length);
  out.set(x.subarray(frames));
  return out;
}

function median(v: readonly number[]): number {
  const s = [...v].sort((a, b) => a - b);
  return s[s.length >> 1];
}
