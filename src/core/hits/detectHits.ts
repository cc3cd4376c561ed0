/**
 * Every stroke of every drum, from all mics together: candidates in each drum's own mic, patterns learnt blindly from the recording, every
 * candidate explained as a mix of drums, certainty from how much better that goes with the drum than without it, in two passes; a third for cymbals.
 */
import { choose } from './classify';
import { type Lend, lendAll } from '../lend';
import { type Ear, createEar, shareOut } from './ears';
import { FAR, type NetworkSet, THRESHOLD, type Track, believable, firstPass, judge, secondPass } from './passes';
import { kindOf } from './kinds';
import { CYMBALS, type Song, type Source, addedIn, readSong } from './song';
import { withoutOthersOfKind } from './secondOfKind';
import { unexplained } from './unexplained';
import { fromOtherTom, heardFirst, heardLater, overlooked, spillAmong, standOut, tomsReached, uncounted, unplayed, withoutDrums } from './unplayed';
import { type SongMic, ownMics } from './ownMics';
import { untold, withOwnStrengths } from './ownStrengths';
import { type FarTrack, judgeFar, thirdPass } from './thirdPass';

export interface FoundHit {
  /** Arrival of the attack at the drum's first own mic (or the first overhead), seconds. */
  readonly time: number;
  /** 0..1: amplitude of the drum's own share against its strongest strokes. */
  readonly strength: number;
  /** 0..1; below the threshold it is kept for lower thresholds. */
  readonly certainty: number;
}

export interface Detection {
  readonly drums: Readonly<Record<string, readonly FoundHit[]>>;
  /** Its mics are those given, but for such as belong to cymbals. */
  readonly song: Song;
}

/** Hits less certain than this are not even kept. */
export const LEAST_CERTAIN = 0.1;
/** What is found on a drum that nobody seems to play is kept only for the very keen. */
const SPILL_SHARE = 0.4;
/** With fewer mics than this nobody can be sure; certainties are so much of what they would be. */
export const ENOUGH_MICS = 3;
const FEW_MICS = 0.6;
/** Of a cymbal that the third pass knows, two strokes this certain say that it is played: crashes are mostly struck with a kick or snare, over which nothing is surer. */
const FAR_BEYOND_DOUBT = 0.8;
/** Crash and ride struck together are both this certain. */
const BOTH = 0.7;
/** Cymbals rise slowly in overheads; what is told of them is so much earlier than where the rise is found, seconds. */
const RISES_S = 0.0007;
/** Nearer than this on one drum is the same stroke, seconds. */
const SAME_S = 0.008;
/** A cymbal that is heard in overheads alone rises twice in so long, or seems to begin at one time from two, but is struck once. */
export const CYMBAL_SAME_S = 0.012;

export interface Networks {
  readonly first: NetworkSet;
  readonly second: NetworkSet;
  /** Of crash and ride. */
  readonly third: NetworkSet;
  /** Of crash and ride where too few strokes are sure: what looks for them, and what judges rides by that and the third pass. */
  readonly lone: NetworkSet;
  readonly few: NetworkSet;
}

/**
 * `networks` come from weights.ts; `progress` is told 0..1 and may throw to cancel; `ears` do the work; `played` says of some drums whether they are.
 *
 * A cymbal with a mic of its own is sought as every cymbal is, in overheads, of which that mic is one more and the first, each such cymbal for itself; all other drums are found without it.
 */
export async function detectHits(
  rate: number, mics: readonly SongMic[], lend: Lend, networks: Networks, progress: (done: number) => void | Promise<void> = () => {}, ears: readonly Ear[] = [createEar()], played: ReadonlyMap<string, boolean> = new Map(),
): Promise<Detection> {
  const close = FAR.filter((d) => mics.some((m) => m.own === d));
  if (close.length === 0) return detectAmong(rate, mics, lend, networks, progress, ears, played);
  const runs = close.length + 1;
  const part = (k: number) => (done: number) => progress((k + done) / runs);
  const isClose = (m: number) => close.some((d) => d === mics[m].own);
  const all = [...mics.keys()];
  const others = all.filter((m) => !isClose(m));
  // of few mics each tells something of all drums
  const rest = others.length >= ENOUGH_MICS ? others : all;
  const among = (order: readonly number[], k: number) => detectAmong(rate, order.map((m, i) => (isClose(m) ? { own: null, overhead: k > 0 && i === 0 } : mics[m])), (m, work) => lend(order[m], work), networks, part(k), ears, played);
  const { drums, song } = await among(rest, 0);
  const found: Record<string, readonly FoundHit[]> = { ...drums };
  for (const [k, cymbal] of close.entries()) {
    const [own] = ownMics(mics, cymbal);
    const hits = (await among([own, ...rest.filter((m) => m !== own)], k + 1)).drums[cymbal] ?? [];
    found[cymbal] = await lend(own, (x) => withOwnStrengths(ears[0], [x], rate, hits));
  }
  return { drums: found, song };
}

async function detectAmong(
  rate: number, mics: readonly SongMic[], lend: Lend, networks: Networks, progress: (done: number) => void | Promise<void>, ears: readonly Ear[], played: ReadonlyMap<string, boolean>,
): Promise<Detection> {
  const heard = await readSong(rate, mics, lend, (d) => progress(0.6 * d), ears);
  const hardly = unplayed(heard).filter((d) => !played.get(d));
  const song = withoutDrums(heard, [...hardly, ...[...played].flatMap(([d, is]) => (is ? [] : [d]))]);
  const believed = (drum: string, certainty: Float64Array, least?: number) => (played.get(drum) || believable(certainty, least) ? certainty : certainty.map((c) => SPILL_SHARE * c));
  const byItself = (s: Source, i: number): FoundHit => ({ time: s.heard[i], strength: Math.min(1, Math.sqrt(addedIn(s, heard.cells, i, s.main, s.bands) / s.reference)), certainty: STANDS_OUT });
  const first = await firstPass(song, ears);
  await progress(0.8);
  const thoughtOf = (tracks: readonly Track[], certainty: readonly Float64Array[]) => tracks.map((t, k): Thought => ({ drum: t.drum, told: toldBy(t), certainty: certainty[k] }));
  const reached = tomsReached(song, first.learnt.seeds);
  const apartFromToms = (tracks: readonly Track[], certainty: readonly Float64Array[]) => certainty.map((c, k) => {
    const r = reached.get(tracks[k].drum);
    if (!r?.length) return c;
    const less = c.slice();
    for (const i of fromOtherTom(song, tracks[k].source, r)) less[i] *= HARDLY;
    return less;
  });
  const byFirst = (tracks: readonly Track[], certainty: readonly Float64Array[]) => certainty.map((c, k) => {
    const twins = first.twins.get(tracks[k].drum)?.flatMap((d) => song.sources.get(d) ?? []) ?? [];
    if (twins.length === 0) return c;
    const less = c.slice();
    for (const i of heardLater(tracks[k].source, twins)) less[i] *= HARDLY;
    return less;
  });
  const guess = withoutSpill(thoughtOf(first.tracks, byFirst(first.tracks, apartFromToms(first.tracks, await judge(first.tracks, networks.first, ears)))));
  const second = await secondPass(song, first, guess, ears);
  await progress(0.95);
  const drums: Record<string, FoundHit[]> = Object.fromEntries(heard.drums.map((d) => [d, []]));
  // what the second pass does not look at is nobody's
  first.tracks.forEach((t, k) => {
    if (!second.some((s) => s.drum === t.drum)) drums[t.drum] = hitsOf(toldBy(t), guess[k].map((c) => SPILL_SHARE * c));
  });
  const certainty = withoutSpill(thoughtOf(second, byFirst(second, apartFromToms(second, await judge(second, networks.second, ears)))));
  const far = second.filter((t) => t.source.drum === CYMBALS);
  const third = (await thirdPass(song, second, certainty, lend, networks.lone, ears)) ?? far.map((t): FarTrack => ({ drum: t.drum, network: t.network, time: t.source.time, heard: t.source.heard, levelDb: t.described.levelDb, certainty: certainty[second.indexOf(t)], features: null, count: 0, says: null, dies: new Uint8Array(t.source.n) }));
  await progress(0.98);
  second.forEach((t, k) => {
    if (!far.includes(t)) drums[t.drum] = hitsOf(toldBy(t), believed(t.drum, certainty[k]));
  });
  const near = second.flatMap((t, k): Thought[] => (far.includes(t) ? [] : [{ drum: t.drum, told: toldBy(t), certainty: certainty[k] }]));
  const heardFar = (await judgeFar(third, networks, ears)).map((c, k): Thought => ({ drum: third[k].drum, told: third[k], certainty: c }));
  const thought = withoutSpill([...heardFar, ...near]).slice(0, third.length).map((c, k) => (third[k].says ? c : believed(third[k].drum, c, FAR_BEYOND_DOUBT)));
  third.forEach((t, k) => {
    // an event that may be either cymbal goes to the likelier, unless it is surely this one too
    drums[t.drum] = struckOnce(hitsOf({ ...t, heard: t.heard.map((v) => Math.max(0, v - RISES_S)) }, thought[k].map((c, i) => (c < BOTH && thought.some((o, j) => j !== k && (o[i] > c || (o[i] === c && j < k))) ? 0 : c))));
  });
  for (const { drum } of third) if (untold(drums[drum])) drums[drum] = await lendAll(lend, song.overheads, (audio) => withOwnStrengths(ears[0], audio, rate, drums[drum]));
  /** Events that are a drum's strokes count, whatever was thought of them. */
  const count = (d: string, s: Source, missed: readonly number[]) => {
    const doubted = (h: FoundHit) => missed.every((i) => Math.abs(h.time - s.time[i]) >= SAME_S);
    if (missed.length > 0) drums[d] = [...drums[d].filter(doubted), ...missed.map((i) => byItself(s, i))].sort((a, b) => a.time - b.time);
  };
  for (const d of song.drums) {
    const s = song.sources.get(d);
    const counted = drums[d].flatMap((h) => (h.certainty >= THRESHOLD ? [h.time] : []));
    if (!s) continue;
    const failed = overlooked(song, s, counted);
    if (counted.length + failed.length > 0) count(d, s, failed.length > 0 ? failed : uncounted(song, s, counted));
  }
  // twice: what a drum brings is told better once more is known of who is struck with it
  for (const d of [...song.drums, ...song.drums]) {
    const s = song.sources.get(d);
    if (s) count(d, s, unexplained(song, s, drums));
  }
  for (const d of hardly) {
    const s = heard.sources.get(d);
    if (!s || played.get(d) === false) continue;
    const times = Object.fromEntries(Object.entries(drums).map(([o, list]) => [o, list.filter((h) => h.certainty > MAYBE).map((h) => h.time)]));
    const places = new Set([...standOut(heard, d), ...heardFirst(heard, d, times)]);
    drums[d] = [...places].sort((a, b) => a - b).map((i) => byItself(s, i));
  }
  // with one or two mics another drum's stroke is as good as an own one: found, but left for a person to judge
  if (mics.length < ENOUGH_MICS) for (const d of Object.keys(drums)) drums[d] = drums[d].map((h) => ({ ...h, certainty: FEW_MICS * h.certainty }));
  // the longest first
  const found = second.filter((t) => t.source.drum !== CYMBALS && drums[t.drum].length > 0).sort((a, b) => drums[b.drum].length - drums[a.drum].length);
  const aligned = await shareOut(ears, found.map((t) => async (ear: Ear) => {
    const list = drums[t.drum];
    return lend(t.source.main, (x) => ear.align(x, rate, list.map((h) => h.time), list.map((h) => h.strength * h.certainty), t.source.kind));
  }));
  found.forEach((t, k) => {
    drums[t.drum] = apart(drums[t.drum].map((h, i) => ({ ...h, time: aligned[k][i] })));
  });
  await progress(1);
  return { drums: withoutOthersOfKind(drums), song: heard };
}

/** What may be a stroke of another drum. */
const MAYBE = 0.12;
/** How sure strokes are that merely stand out of spill: so that they count, in doubt, where the second finding after de-bleed does not hear them. */
const STANDS_OUT = 0.8;
/** Another drum's strokes that were taken for a drum's own are hardly likely. */
const HARDLY = 0.1;

/** An overhead hears a drum so much later than its own mic, seconds. */
const OVERHEAD_S = [0.0004, 0.008] as const;

/** What is told of a drum's candidates, and how sure it is. */
interface Thought {
  readonly drum: string;
  readonly told: Told;
  readonly certainty: Float64Array;
}

/** Certainties, those of hits that are another drum's spill taken down. Of crashes only hats' is known: kicks that they are struck with tell their times. */
function withoutSpill(tracks: readonly Thought[]): Float64Array[] {
  const struck = tracks.map((t) => ({ drum: t.drum, struck: { time: t.told.heard, levelDb: t.told.levelDb }, chosen: choose(t.told.time, t.certainty, THRESHOLD) }));
  const near = struck.filter((s) => kindOf(s.drum) !== 'cymbal');
  return struck.map((s, k) => {
    const { certainty } = tracks[k];
    const reach = kindOf(s.drum) !== 'cymbal' ? undefined : OVERHEAD_S;
    const spill = spillAmong(s.struck, s.chosen, near.filter((o) => o !== s && (s.drum !== 'crash' || kindOf(o.drum) === 'hat')), reach);
    if (spill.length === 0) return certainty;
    const less = certainty.slice();
    for (const i of spill) less[i] *= HARDLY;
    return less;
  });
}

/** In order of time; of two that fell onto the same stroke the surer. */
function apart(list: readonly FoundHit[]): FoundHit[] {
  const out: FoundHit[] = [];
  for (const h of [...list].sort((a, b) => a.time - b.time)) {
    const last = out[out.length - 1];
    if (!last || h.time - last.time >= SAME_S) out.push(h);
    else if (h.certainty > last.certainty) out[out.length - 1] = h;
  }
  return out;
}

/** Of a cymbal's hits in order of time, rises of the same stroke as one: the first that counts, else the surest, and as sure as that. */
export function struckOnce(list: readonly FoundHit[]): FoundHit[] {
  const out: FoundHit[] = [];
  for (const h of [...list].sort((a, b) => a.time - b.time)) {
    const last = out[out.length - 1];
    if (!last || h.time - last.time >= CYMBAL_SAME_S) out.push(h);
    else if (h.certainty > last.certainty) out[out.length - 1] = last.certainty >= THRESHOLD ? { ...last, certainty: h.certainty } : h;
  }
  return out;
}

/** What is told of a drum's candidates. */
interface Told {
  readonly time: Float64Array;
  readonly heard: Float64Array;
  readonly levelDb: Float64Array;
}

const toldBy = (t: Track): Told => ({ time: t.source.time, heard: t.source.heard, levelDb: t.described.levelDb });

const hitsOf = (t: Told, certainty: Float64Array): FoundHit[] =>
  choose(t.time, certainty, LEAST_CERTAIN).map((i) => ({ time: t.heard[i], strength: Math.min(1, 10 ** (t.levelDb[i] / 20)), certainty: certainty[i] }));

export { CYMBALS, THRESHOLD };
