/**
 * Drums that have a mic and are not played: what their mic hears loudest is other drums' strokes, which those drums' own mics heard before it, always by the same distance and in the same
 * proportion. Two drums that are struck together are never so regular. Of toms closeness tells it (patterns.ts).
 */
import { firstIndex } from '../dsp/search';
import type { SpillRow } from '../spill/spillMap';
import { quantile } from './candidates';
import { kindOf } from './kinds';
import { CYMBALS, type Song, type Source, addedIn } from './song';

/** So many of the loudest events in the mic are looked at, no two nearer than this, seconds. */
const LOUDEST = 24;
const APART_S = 0.04;
/** None softer than the loudest by this, dB: a drum that is struck three times stands out of spill. */
const SPREAD_DB = 8;
/** Fewer tell nothing. */
const LEAST_EVENTS = 8;
/** Another drum's mic hears its stroke so much earlier, seconds: by a metre at most. A mic that comes late (analyse.ts) hears everything later than that. */
const EARLIER_S = [0.0004, 0.003] as const;
/** There the event is at least nearly as loud, against the mic's loudest, dB. */
const SOFTER_DB = 6;
/** The same distance and proportion, seconds and dB, of so many events at least. */
const [SAME_S, SAME_DB, LEAST_ALIKE] = [0.00035, 6, 3];
/** A drum is not played where more than this share of events are explained so: of 208 played kicks, snares and hats in made recordings none came over .29; of eight that nobody struck seven came to .38 and more. */
const MOST = 0.35;

/** Level of each event in the drum's mic and range against its loudest, dB. */
const levels = (song: Song, s: Source) => Float64Array.from({ length: s.n }, (_, i) => 10 * Math.log10(addedIn(s, song.cells, i, s.main, s.bands) / s.reference + 1e-9));

/** An event, and how much later and louder it is than another drum's, seconds and dB. */
interface Pair {
  readonly event: number;
  readonly later: number;
  readonly louder: number;
}

/** The most events that come at one distance and in one proportion, and one of them that shows both; null where there are no pairs. */
function mostAlike(pairs: readonly Pair[]): { readonly events: ReadonlySet<number>; readonly as: Pair } | null {
  let most: { readonly events: ReadonlySet<number>; readonly as: Pair } | null = null;
  for (const p of pairs) {
    const alike = (o: Pair) => Math.abs(o.later - p.later) < SAME_S && Math.abs(o.louder - p.louder) < SAME_DB;
    let n = 0;
    for (const o of pairs) if (alike(o)) n++;
    if (most && n <= most.events.size) continue;
    const events = new Set(pairs.filter(alike).map((o) => o.event));
    if (!most || events.size > most.events.size) most = { events, as: p };
  }
  return most;
}

/** A drum's loudest events, loudest first, and which of them other drums explain; null where there are too few to tell. */
function loudest(song: Song, drum: string): { readonly top: readonly number[]; readonly level: Float64Array; readonly theirs: ReadonlySet<number> } | null {
  const s = song.sources.get(drum);
  if (!s || s.reference === 0) return null;
  const level = levels(song, s);
  const top: number[] = [];
  for (const i of Array.from(level.keys()).sort((a, b) => level[b] - level[a])) {
    if (top.length === LOUDEST || (top.length > 0 && level[i] < level[top[0]] - SPREAD_DB)) break;
    if (top.every((j) => Math.abs(s.time[i] - s.time[j]) > APART_S)) top.push(i);
  }
  if (top.length < LEAST_EVENTS) return null;
  const theirs = new Set<number>();
  for (const other of song.drums) {
    const q = song.sources.get(other);
    if (other === drum || !q || q.reference === 0) continue;
    const there = levels(song, q);
    const pairs = top.flatMap((i) => {
      const found: Pair[] = [];
      for (let j = firstIndex(q.n, (k) => q.time[k] > s.time[i] - EARLIER_S[1]); j < q.n && s.time[i] - q.time[j] > EARLIER_S[0]; j++) {
        if (level[i] - there[j] < SOFTER_DB) found.push({ event: i, later: s.time[i] - q.time[j], louder: level[i] - there[j] });
      }
      return found;
    });
    const most = mostAlike(pairs);
    if (most && most.events.size >= LEAST_ALIKE) for (const i of most.events) theirs.add(i);
  }
  return { top, level, theirs };
}

/** The share of a drum's loudest events that other drums explain. */
export function explained(song: Song, drum: string): number {
  const l = loudest(song, drum);
  return l ? l.theirs.size / l.top.length : 0;
}

/** So many events that are louder than all else by this, dB, of which two at least nothing explains, are strokes of a drum that is hardly played. */
const [LEAST_STAND_OUT, MOST_STAND_OUT, STANDS_OUT_DB] = [2, 6, 2.5];

/** Events (places in its source, rising) of a drum whose mic hears hardly anything but others that stand out of those; mostly none. */
export function standOut(song: Song, drum: string): number[] {
  const l = loudest(song, drum);
  for (let k = MOST_STAND_OUT; l && k >= LEAST_STAND_OUT; k--) {
    const some = l.top.slice(0, k);
    if (k < l.top.length && l.level[l.top[k - 1]] - l.level[l.top[k]] > STANDS_OUT_DB && some.filter((i) => !l.theirs.has(i)).length >= LEAST_STAND_OUT) return some.sort((a, b) => a - b);
  }
  return [];
}

/** Events so much louder than all else, dB, are strokes of a drum that is hardly played: in 15 mics of drums that nobody struck none of the six loudest stood out by more than 3.1. */
const FAR_LOUDER_DB = 6;

/** Up to six events (places in its source, rising) that are far louder than all else in a drum's mic; mostly none. */
export function farLouder(song: Song, s: Source): number[] {
  const level = levels(song, s);
  const order = Array.from(level.keys()).sort((a, b) => level[b] - level[a]);
  for (let k = MOST_STAND_OUT; k >= LEAST_STAND_OUT; k--) if (k < order.length && level[order[k - 1]] - level[order[k]] > FAR_LOUDER_DB) return order.slice(0, k).sort((a, b) => a - b);
  return [];
}

/** An event that rises like this and is at most so much softer than the loudest, dB, is a stroke where nothing else explains it. */
const [FIRST_DB, FIRST_SOFTER_DB] = [20, 12];
/** Other close mics hear it so much later at the earliest, seconds, from so long before on. */
const [LATER_THERE_S, BEFORE_S] = [0.0005, 0.006];
/** Hits of other drums from so long before to so long after explain an event; a hat's do not: its mic hears the snare, and takes such a stroke for its own. */
const EXPLAINED_S = [0.012, 0.004] as const;

/**
 * Events (places in its source, rising) of a snare whose mic hears hardly anything but others that no other close mic hears before it, and no other drum's hits explain; mostly none. In the made recordings
 * with a snare that nobody strikes none came so; kicks and hats, which are heard so late or so little elsewhere, are not asked. `times`: hits of every drum, seconds.
 */
export function heardFirst(song: Song, drum: string, times: Readonly<Record<string, readonly number[]>>): number[] {
  const s = song.sources.get(drum);
  if (s?.kind !== 'snare') return [];
  const theirs = Object.entries(times).flatMap(([d, list]) => (d === drum || kindOf(d) === 'hat' ? [] : list));
  return heardBeforeAll(song, s).filter((i) => !theirs.some((t) => t > s.time[i] - EXPLAINED_S[0] && t < s.time[i] + EXPLAINED_S[1]));
}

/** Loud, sharp events (places, rising) of a drum's mic that no other close mic hears before it; of a hat's, such as come to the overheads at one distance. */
export function heardBeforeAll(song: Song, s: Source): number[] {
  const level = levels(song, s);
  const others = song.drums.flatMap((d) => {
    const q = d === s.drum ? undefined : song.sources.get(d);
    return q && q.reference > 0 ? [{ q, there: levels(song, q) }] : [];
  });
  const first = Array.from(s.time.keys()).filter((i) => {
    const at = s.time[i];
    if (s.novelty[i] < FIRST_DB || level[i] < -FIRST_SOFTER_DB) return false;
    return others.every(({ q, there }) => {
      for (let j = firstIndex(q.n, (k) => q.time[k] > at - BEFORE_S); j < q.n && q.time[j] <= at + LATER_THERE_S; j++) if (level[i] - there[j] < SOFTER_DB) return false;
      return true;
    });
  });
  return s.kind === 'hat' ? atOneDistance(first, s.time, song.sources.get(CYMBALS)?.time) : first;
}

/** What a mic hears first lies no nearer to what is counted already, seconds. */
const COUNTED_S = 0.015;

const farFrom = (s: Source, places: readonly number[], counted: readonly number[]): number[] => places.filter((i) => counted.every((t) => Math.abs(t - s.time[i]) >= COUNTED_S));

/** Events (places, rising) of a hat's or snare's mic that no other close mic hears before it, far from `counted` strokes (seconds): crashes and hats may sound alike in overheads, and a kick cover what a snare is, but who hears it first tells. None without overheads, which tell where a hat's come from. */
export function uncounted(song: Song, s: Source, counted: readonly number[]): number[] {
  if ((s.kind !== 'hat' && s.kind !== 'snare') || !song.sources.has(CYMBALS)) return [];
  return farFrom(s, heardBeforeAll(song, s), counted);
}

/** A drum of which so many strokes come to its mic first is played: of drums that nobody strikes it was so of seven at most (28 recordings). */
const SURELY_PLAYED = 10;

/** Events (places, rising) that a played drum's mic hears first, where more than half of those are far from `counted` strokes (seconds): then it is the counting that failed. */
export function overlooked(song: Song, s: Source, counted: readonly number[]): number[] {
  if (s.kind === 'cymbal') return [];
  const first = heardBeforeAll(song, s);
  const missed = farFrom(s, first, counted);
  return first.length >= SURELY_PLAYED && missed.length > first.length / 2 ? missed : [];
}

/** Overheads hear a hat so much later than its own mic, seconds; cymbals, which no close mic hears before it either, no later. */
const OVERHEADS_LATER_S = [0.001, 0.008] as const;

/** Of events those that come to the overheads as much later as another does; all where there are no overheads. */
function atOneDistance(events: readonly number[], time: Float64Array, far: Float64Array | undefined): number[] {
  if (!far) return [...events];
  const later = events.flatMap((i) => {
    const j = firstIndex(far.length, (k) => far[k] > time[i] - BEFORE_S);
    const by = j < far.length ? far[j] - time[i] : Number.POSITIVE_INFINITY;
    return by > OVERHEADS_LATER_S[0] && by < OVERHEADS_LATER_S[1] ? [{ i, by }] : [];
  });
  return later.filter((e) => later.some((o) => o.i !== e.i && Math.abs(o.by - e.by) < SAME_S)).map((e) => e.i);
}

/** How another tom's strokes come to a tom's mic: so much later than to their own, seconds, and so much louder against each mic's loudest, dB. */
export interface Reached {
  readonly from: string;
  readonly later: number;
  readonly louder: number;
}

/** Toms' mics are nearer than this, seconds. */
const TOMS_S = [0.0002, 0.004] as const;
/** What is louder than this over what comes so, dB, is an own stroke beside the other. */
const TOMS_DB = 3;
/** Fewer strokes that come alike, or fewer than half of those that are known, tell nothing. */
const LEAST_REACHED = 5;

/** By tom, how the others' strokes come to its mic, as strokes that those mics hear first (`seeds`: places by drum) tell; not where they tell nothing. */
export function tomsReached(song: Song, seeds: ReadonlyMap<string, readonly number[]>): Map<string, readonly Reached[]> {
  const toms = song.drums.flatMap((d) => {
    const s = song.sources.get(d);
    return s?.kind === 'tom' && s.reference > 0 ? [{ s, level: levels(song, s), seeds: seeds.get(d) ?? [] }] : [];
  });
  return new Map(toms.map((a) => [a.s.drum, toms.flatMap((b) => {
    if (a === b) return [];
    const pairs = b.seeds.flatMap((j) => {
      const found: Pair[] = [];
      for (let i = firstIndex(a.s.n, (k) => a.s.time[k] > b.s.time[j] + TOMS_S[0]); i < a.s.n && a.s.time[i] < b.s.time[j] + TOMS_S[1]; i++) found.push({ event: j, later: a.s.time[i] - b.s.time[j], louder: a.level[i] - b.level[j] });
      return found;
    });
    const most = mostAlike(pairs);
    return most && most.events.size >= Math.max(LEAST_REACHED, b.seeds.length / 2) ? [{ from: b.s.drum, later: most.as.later, louder: most.as.louder }] : [];
  })]));
}

/** Candidates (by place) of a tom that are another's strokes by distance and proportion. `s`: its source, or some of its candidates. */
export function fromOtherTom(song: Song, s: Source, reached: readonly Reached[]): number[] {
  const level = levels(song, s);
  const others = reached.flatMap((r) => {
    const q = song.sources.get(r.from);
    return q ? [{ ...r, q, there: levels(song, q) }] : [];
  });
  return Array.from(s.time.keys()).filter((i) => others.some(({ q, there, later, louder }) => {
    for (let j = firstIndex(q.n, (k) => q.time[k] > s.time[i] - later - SAME_S); j < q.n && q.time[j] < s.time[i] - later + SAME_S; j++) if (q.novelty[j] > FIRST_DB && level[i] - there[j] < louder + TOMS_DB) return true;
    return false;
  }));
}

/** A twin's mic hears a stroke of its own so much earlier than another's, seconds. */
const TWIN_S = [0.0002, 0.0025] as const;

/** Candidates (by place) of a tom that a twin's mic heard before: strokes of the twin. */
export const heardLater = (s: Source, twins: readonly Source[]): number[] =>
  Array.from(s.time.keys()).filter((i) => twins.some((q) => {
    const j = firstIndex(q.n, (k) => q.time[k] >= s.time[i] - TWIN_S[1]);
    return j < q.n && q.time[j] <= s.time[i] - TWIN_S[0] && q.novelty[j] > FIRST_DB;
  }));

/** A kick or snare of which so many strokes come to its mic first is played, whatever else is as loud there: in 38 made recordings that was so of 14 to 79, of three snares and six kicks that nobody strikes of three at most. */
const PLAYED_FIRST = 8;

/** Kicks, snares and hats that nobody plays. */
export const unplayed = (song: Song): string[] => song.drums.filter((d) => {
  const s = song.sources.get(d);
  return s && s.kind !== 'tom' && explained(song, d) > MOST && (s.kind === 'hat' || heardBeforeAll(song, s).length < PLAYED_FIRST);
});

/** When and how loud a drum may be struck, candidate by candidate: seconds, dB. */
export interface Struck {
  readonly time: Float64Array;
  readonly levelDb: Float64Array;
}

/** So many hits of a drum, and this share of them, in one fixed distance and proportion to another's are that one's spill; of hits that are mostly so much softer than the loudest, dB, a smaller share will do. */
const [LEAST_SPILL, SPILL_OF_HITS, SOFT_OF_HITS, SOFT_DB] = [8, 0.5, 0.2, -12];

/** Of a drum of which that is known, hits that come roughly so are spill too: another drum's stroke beside it moves where it seems to begin, seconds. */
const ROUGHLY_S = 0.0025;

/**
 * Candidates (by place) of a drum whose hits are mostly another drum's, heard later by one distance and in one proportion: a floor tom that is struck three times hears the kick all song long, and what is learnt
 * of it is the kick's. None where the hits are its own: two drums that are struck together are never so regular. `hits` and `chosen`: places of the hits; `reach`: how much later they may be heard, seconds.
 */
export function spillAmong(mine: Struck, hits: readonly number[], others: readonly { readonly struck: Struck; readonly chosen: readonly number[] }[], reach: readonly [number, number] = EARLIER_S): number[] {
  let worst: readonly number[] = [];
  let all: readonly number[] = [];
  for (const { struck: q, chosen } of others) {
    const theirs = [...chosen].sort((a, b) => q.time[a] - q.time[b]);
    const pairs: Pair[] = [];
    for (const i of hits) {
      for (let k = firstIndex(theirs.length, (n) => q.time[theirs[n]] > mine.time[i] - reach[1] - ROUGHLY_S); k < theirs.length && mine.time[i] - q.time[theirs[k]] > reach[0] - ROUGHLY_S; k++) pairs.push({ event: i, later: mine.time[i] - q.time[theirs[k]], louder: mine.levelDb[i] - q.levelDb[theirs[k]] });
    }
    const most = mostAlike(pairs.filter((p) => p.later > reach[0] && p.later < reach[1]));
    if (!most || most.events.size <= worst.length) continue;
    worst = [...most.events];
    all = [...new Set(pairs.flatMap((p) => (Math.abs(p.later - most.as.later) < ROUGHLY_S && Math.abs(p.louder - most.as.louder) < SAME_DB ? [p.event] : [])))];
  }
  const loudest = hits.reduce((m, i) => Math.max(m, mine.levelDb[i]), Number.NEGATIVE_INFINITY);
  const share = quantile(worst.map((i) => mine.levelDb[i] - loudest), 0.5) < SOFT_DB ? SOFT_OF_HITS : SPILL_OF_HITS;
  return worst.length >= Math.max(LEAST_SPILL, share * hits.length) ? [...all] : [];
}

/** The song as if these drums had no mics of their own: theirs hear the others all the same. */
export const withoutDrums = (song: Song, drums: readonly string[]): Song =>
  drums.length === 0 ? song : { ...song, drums: song.drums.filter((d) => !drums.includes(d)), sources: new Map([...song.sources].filter(([d]) => !drums.includes(d))) };

/**
 * A hat's strokes reach other mics so much later than its own, ms, in the median. Of 32 made recordings with hats that are played, however rarely, none came under 2.7; three in which the hat's mic hears a ride instead came to .9 at most.
 */
const THERE_MS = 1.5;
/** Fewer mics or strokes tell nothing. */
const LEAST_MICS = 4;
const LEAST_STROKES = 8;
/** Delays that are another drum's to so much, ms, tell of that one. */
const OTHERS_MS = 0.25;
/** A hat's mic hears the snare so much before any overhead does, ms, where it does not come late itself. */
const BEFORE_OVERHEADS_MS = 1;

/**
 * Hats whose strokes other mics hear as soon as their own: what that hears is a cymbal that no mic is close to. Where its mic may come late, and without overheads and a snare, nobody is sure;
 * delays of other drums are told too roughly.
 */
export function heardElsewhere(spill: readonly SpillRow[], overheads: readonly number[]): string[] {
  const snare = spill.find((r) => kindOf(r.drum) === 'snare');
  const delay = (r: SpillRow, m: number) => r.mics[m].delayMs;
  /** Soft strokes that fall together with another drum's, louder in the very mic, are told where that one is. */
  const drownedBy = (row: SpillRow, o: SpillRow) => {
    const at = delay(o, row.main);
    if (at === null) return false;
    const same = row.mics.flatMap((_, m) => {
      const [here, there] = [delay(row, m), delay(o, m)];
      return m === row.main || here === null || there === null ? [] : [Math.abs(here - there + at) <= OTHERS_MS];
    });
    return same.length >= LEAST_MICS && same.filter(Boolean).length > same.length / 2;
  };
  return spill.filter((row) => {
    const there = row.mics.flatMap((e, m) => (m === row.main || e.delayMs === null ? [] : [e.delayMs]));
    if (kindOf(row.drum) !== 'hat' || row.strokes < LEAST_STROKES || there.length < LEAST_MICS || quantile(there, 0.5) > THERE_MS || spill.some((o) => o !== row && kindOf(o.drum) !== 'cymbal' && drownedBy(row, o)) || !snare || overheads.length === 0) return false;
    const here = delay(snare, row.main);
    return here !== null && overheads.every((o) => (delay(snare, o) ?? Number.POSITIVE_INFINITY) > here + BEFORE_OVERHEADS_MS);
  }).map((row) => row.drum);
}
