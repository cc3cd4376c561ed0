/**
 * Learns, blindly, how each drum reaches the mics: one to three patterns (mics x bands) a drum, as robust log-medians of the increments of
 * events that the drum dominates, refitted three times; cymbals and unknown sources as nuisance patterns from what the drums do
 * not explain.
 */
import { firstIndex } from '../dsp/search';
import { quantile, rowsOf } from './candidates';
import { type Ear, createEar, shareOut, viewOf } from './ears';
import { evidence } from './evidence';
import { BANDS, EDGES, PATTERNS } from './kinds';
import { type Patterns, divergence, fitEvents } from './mixture';
import { CYMBALS, type Song, type Source, addedIn, onlySource, topMean } from './song';
import { farLouder, heardBeforeAll } from './unplayed';

const UNKNOWN = 'unknown';
/**
 * A tom's own event is this much closer to its mic than usual spill, and at least as loud in it as others' events in theirs (dB). Both together were right
 * for 95 of 100 events in made recordings; closeness alone misses toms near the snare, level alone takes spill.
 */
const CLOSE_DB = 5;
/** So close that level need not agree. */
const CLEARLY_CLOSE_DB = 8;
/** Lead over every other drum's level that makes an event a drum's own; the next lower one where too few lead by that. */
const LEADS_DB = [4, 2, 0];
const ENOUGH = 8;
const ROUNDS = 3;
/** Of the fits while learning. */
const ROUGH_ROUNDS = 20;
const db10 = (v: number) => 10 * Math.log10(v + 1e-30);

export type PatternSet = ReadonlyMap<string, Float32Array[]>;

export interface Learnt {
  readonly patterns: Patterns;
  readonly set: PatternSet;
  /** Events each drum was first learnt from; empty where nobody plays it. */
  readonly seeds: ReadonlyMap<string, readonly number[]>;
}

const median = (v: Float64Array) => quantile(v, 0.5);

/** Log-median patterns of some increments (rows of `cells`), each summing to 1: up to `count` by k-medians in the L1 sense. */
export function logMedianPatterns(rows: readonly Float32Array[], count: number): Float32Array[] {
  const cells = rows[0].length;
  const logs = rows.map((r) => {
    const sum = r.reduce((a, b) => a + b, 0);
    return Float64Array.from(r, (v) => Math.log(v / sum + 1e-30));
  });
  const centre = (list: readonly Float64Array[]) => Float64Array.from({ length: cells }, (_, f) => median(Float64Array.from(list, (z) => z[f])));
  const distance = (a: Float64Array, b: Float64Array) => {
    let d = 0;
    for (let f = 0; f < cells; f++) d += Math.abs(a[f] - b[f]);
    return d;
  };
  let centres = [centre(logs)];
  if (count > 1 && logs.length >= 6 * count) {
    const order = logs.map((z, i) => ({ i, d: distance(z, centres[0]) })).sort((a, b) => a.d - b.d);
    centres = [0.25, 0.9, 0.6].slice(0, count).map((q) => logs[order[Math.min(order.length - 1, Math.floor(order.length * q))].i]);
    for (let round = 0; round < 8; round++) {
      const label = logs.map((z) => centres.reduce((best, c, k) => (distance(z, c) < distance(z, centres[best]) ? k : best), 0));
      centres = centres.map((c, k) => {
        const mine = logs.filter((_, i) => label[i] === k);
        return mine.length >= 2 ? centre(mine) : c;
      });
    }
  }
  return centres.map((c) => {
    const w = Float32Array.from(c, Math.exp);
    const sum = w.reduce((a, b) => a + b, 0);
    return w.map((v) => v / sum);
  });
}

export function stack(set: PatternSet, cells: number): Patterns {
  const names = [...set].flatMap(([name, list]) => list.map(() => name));
  const w = new Float32Array(names.length * cells);
  let at = 0;
  for (const list of set.values()) for (const p of list) w.set(p, cells * at++);
  return { names, cells, w };
}

/** Patterns but those of some drums. */
export function withoutNames(p: Patterns, names: readonly string[]): Patterns {
  if (names.length === 0) return p;
  const kept = Array.from(p.names.keys()).filter((k) => !names.includes(p.names[k]));
  const w = new Float32Array(kept.length * p.cells);
  for (const [at, k] of kept.entries()) w.set(p.w.subarray(k * p.cells, (k + 1) * p.cells), at * p.cells);
  return { ...p, names: kept.map((k) => p.names[k]), w };
}

const row = (s: Source, cells: number, i: number) => s.added.slice(i * cells, (i + 1) * cells);

/** How long an earlier, sharper rise in the same mic may account for what comes, seconds. */
const BODY_S = 0.06;
const followsStronger = (s: Source, i: number): boolean => {
  for (let j = i - 1; j >= 0 && s.time[i] - s.time[j] < BODY_S; j--) if (s.novelty[j] > s.novelty[i]) return true;
  return false;
};

/** Where two toms hear a stroke as loud as their loudest, its owner is the one to which it is this much closer, dB: the mic of a tom that nobody plays has no louder. */
const CLOSER_DB = 3;
const SAME_STROKE_S = 0.012;

/** How close the stroke of event `i` of `s` is to another tom, by that tom's own event there, dB; null where it has none. */
function closenessIn(song: Song, s: Source, i: number, drum: string): number | null {
  const q = song.sources.get(drum) as Source;
  if (!q.closeness) return null;
  let best: number | null = null;
  for (let j = firstIndex(q.n, (k) => q.time[k] > s.time[i] - SAME_STROKE_S); j < q.n && q.time[j] < s.time[i] + SAME_STROKE_S; j++) best = Math.max(best ?? -99, q.closeness[j]);
  return best;
}

/** Events that a drum dominates beyond doubt, at most 30, best first. */
function seedEvents(song: Song, s: Source): number[] {
  const { cells, drums } = song;
  const level = (drum: string, i: number) => sourceLevel(song, s, i, drum);
  const rise = (i: number, m: number) => {
    let [a, b] = [0, 0];
    for (const k of s.bands) {
      a += s.after[i * cells + m * BANDS + k];
      b += s.before[i * cells + m * BANDS + k];
    }
    return db10(a / b);
  };
  const scored: { i: number; lead: number; score: number }[] = [];
  const foreign = song.mics.flatMap((m, k) => (m.own !== s.drum ? [k] : []));
  for (let i = 0; i < s.n; i++) {
    const own = level(s.drum, i);
    // the body of a stroke that swells after its click is no stroke of its own
    if (own <= -25 || followsStronger(s, i)) continue;
    const toms = s.closeness ? drums.filter((d) => d !== s.drum).map((d) => ({ d, close: closenessIn(song, s, i, d) })) : [];
    const mine = s.closeness?.[i] ?? 0;
    if (toms.some((t) => t.close !== null && t.close > mine + CLOSER_DB)) continue;
    const further = new Set(toms.filter((t) => t.close !== null && t.close < mine - CLOSER_DB).map((t) => t.d));
    const others = drums.filter((d) => d !== s.drum && !further.has(d)).map((d) => level(d, i));
    const lead = own - (others.length ? Math.max(...others) : -30);
    if (s.closeness) {
      const heard = Math.max(...foreign.map((m) => rise(i, m)));
      if (s.closeness[i] > CLOSE_DB && lead > 0 && s.novelty[i] > 10 && rise(i, s.main) > 8 && heard > 2) scored.push({ i, lead: LEADS_DB[0], score: s.closeness[i] + Math.min(lead, 10) + 0.5 * Math.min(own, 0) });
    } else if (s.novelty[i] > 6) scored.push({ i, lead, score: Math.min(lead, 15) + 0.5 * Math.min(own, 0) + 0.2 * Math.min(s.novelty[i], 20) });
  }
  const least = LEADS_DB.find((l) => scored.filter((e) => e.lead >= l).length >= ENOUGH) ?? LEADS_DB[0];
  return scored.filter((e) => e.lead >= least).sort((a, b) => b.score - a.score).slice(0, 30).map((e) => e.i);
}

/** An overhead event is a cymbal's beyond doubt where no drum is near its own level (dB), or where the highs stay up by this much (dB) long after. */
const NO_DRUM_DB = -16;
const LASTS_DB = 8;

/** Increments of overhead events that are a cymbal's: where no drum was struck, where the highs last, or where the patterns leave them unexplained. */
function cymbalRows(song: Song, patterns: Patterns): Float32Array[] {
  const s = song.sources.get(CYMBALS) as Source;
  const { cells, overheads, drums } = song;
  const K = patterns.names.length;
  const high = Array.from({ length: s.n }, (_, i) => overheads.reduce((e, m) => e + addedIn(s, cells, i, m, s.bands), 0));
  const loud = topMean(high, 10);
  const picked = Array.from(high.keys()).filter((i) => high[i] >= loud * 10 ** -3 && s.novelty[i] >= 6);
  const after = rowsOf(s.after, cells, picked);
  const r = fitEvents(song.kernels, patterns, after, rowsOf(s.before, cells, picked), ROUGH_ROUNDS, Uint8Array.from(patterns.names, (n) => (n === CYMBALS ? 0 : 1)), song.scale);
  const found: { rest: Float32Array; score: number }[] = [];
  picked.forEach((i, k) => {
    const rest = row(s, cells, i);
    for (let f = 0; f < cells; f++) {
      let own = 0;
      for (let j = 0; j < K; j++) own += r.gains[k * K + j] * patterns.w[j * cells + f];
      rest[f] = Math.max(rest[f] - own, 0.02 * rest[f]);
    }
    let [d, left] = [0, 0];
    for (const m of overheads) {
      for (const b of s.bands) {
        const f = m * BANDS + b;
        d += divergence(after[k * cells + f], r.model[k * cells + f]);
        left += rest[f];
      }
    }
    const nearest = Math.max(...drums.map((n) => sourceLevel(song, s, i, n)), -40);
    const lasts = Math.min(s.long[7 * i + 5], s.long[7 * i + 6]);
    const alone = nearest < NO_DRUM_DB;
    if (alone || lasts > LASTS_DB || left / high[i] > 0.6) found.push({ rest: alone ? row(s, cells, i) : rest, score: db10(high[i] / loud) + (alone ? 20 : 0) + Math.max(0, Math.min(20, lasts)) + Math.log1p(d) });
  });
  return found.sort((a, b) => b.score - a.score).slice(0, 80).map((e) => e.rest);
}

/** How loud an event of a source is in a drum's own mic and range, against that drum's loudest, dB; a mic that hears nothing says nothing. */
function sourceLevel(song: Song, s: Source, i: number, drum: string): number {
  const q = song.sources.get(drum) as Source;
  return q.reference > 0 ? db10(addedIn(s, song.cells, i, q.main, q.bands) / q.reference) : -90;
}

/** Increments of strong rises in close mics that no pattern explains: sources nobody has a mic for. */
function unknownRows(song: Song, patterns: Patterns): Float32Array[] {
  const { cells } = song;
  const use = Uint8Array.from(patterns.names, (n) => (n === UNKNOWN ? 0 : 1));
  const all: { added: Float32Array; d: number }[] = [];
  for (const drum of song.drums) {
    const s = song.sources.get(drum) as Source;
    const own = Array.from({ length: s.n }, (_, i) => addedIn(s, cells, i, s.main, Array.from({ length: BANDS }, (_, b) => b)));
    const top = topMean(own);
    const picked = Array.from(own.keys()).filter((i) => s.novelty[i] > 8 && db10(own[i] / top) > -25);
    const after = rowsOf(s.after, cells, picked);
    const r = fitEvents(song.kernels, patterns, after, rowsOf(s.before, cells, picked), ROUGH_ROUNDS, use, song.scale);
    picked.forEach((i, k) => {
      let d = 0;
      for (let f = k * cells; f < (k + 1) * cells; f++) d += divergence(after[f], r.model[f]);
      all.push({ added: row(s, cells, i), d: d / cells });
    });
  }
  const limit = Math.max(0.6, quantile(all.map((e) => e.d), 0.5));
  return all.filter((e) => e.d > limit).sort((a, b) => b.d - a.d).slice(0, 150).map((e) => e.added);
}

/** Where so many events of a tom's mic are heard there before everywhere else, those show it better than closeness does. */
const ENOUGH_FIRST = 6;
/** Of what shows a kick, snare or hat that is played their mics hear this share first at least: in 28 made recordings .86 of kicks and .36 of snares, of a snare and a hat that were struck three times .2. */
const HEARD_FIRST = 0.3;
/** The loudest of them will do: softer ones hold more of other drums. */
const MOST_FIRST = 15;

/** Events that show a drum: those it dominates; of toms those that their mics hear first, with what else is clearly theirs where there are few, or by their attacks; those too of others where hardly any of the former are among them, or there are none. */
export function seedsOf(song: Song, s: Source): readonly number[] {
  const old = seedEvents(song, s);
  if (s.kind === 'cymbal' && isPlayed(old, s.time)) return old;
  const first = heardBeforeAll(song, s);
  // a hat that is heard first often is played as others are: what it dominates shows more of it
  if (s.kind === 'hat' && first.length >= ENOUGH_FIRST && isPlayed(old, s.time)) return old;
  if (s.kind !== 'tom' && isPlayed(old, s.time) && (!isPlayed(first, s.time) || old.filter((i) => first.includes(i)).length >= HEARD_FIRST * old.length)) return old;
  const level = (i: number) => addedIn(s, song.cells, i, s.main, s.bands);
  const loudest = (list: readonly number[]) => [...list].sort((a, b) => level(b) - level(a)).slice(0, MOST_FIRST);
  if (isPlayed(first, s.time) && (s.kind !== 'tom' || first.length >= ENOUGH_FIRST)) return loudest(first);
  if (s.kind === 'tom') {
    const clear = loudest([...new Set([...first, ...sharpOwn(song, s, old)])]);
    if (isPlayed(clear, s.time)) return clear;
    const attacks = heardBeforeAll(song, byAttack(song, s));
    if (attacks.length >= ENOUGH_FIRST && isPlayed(attacks, s.time)) return attacks;
  }
  return isPlayed(old, s.time) ? old : farLouder(song, s);
}

/** An event that shows a tom rises by so much, is at most so much softer than its loudest, dB, and follows nothing that another drum's mic hears first, by so much at most, seconds. */
const [CLEAR_RISE_DB, CLEAR_SOFTER_DB, FOLLOWS_S] = [20, 14, 0.005];

/** Of events that are close to a tom those that are its own beyond doubt: a tom that is struck three times is as close to its neighbour's strokes as to its own. */
function sharpOwn(song: Song, s: Source, events: readonly number[]): number[] {
  const theirs = song.drums.flatMap((d) => {
    const q = song.sources.get(d);
    return q && q !== s && q.reference > 0 ? heardBeforeAll(song, q).map((i) => q.time[i]) : [];
  });
  return events.filter((i) => s.novelty[i] > CLEAR_RISE_DB && sourceLevel(song, s, i, s.drum) > -CLEAR_SOFTER_DB && !theirs.some((t) => s.time[i] > t && s.time[i] < t + FOLLOWS_S));
}

/** Bands of a tom's attack, above its note: where it is tuned so low or damped so soon that its note drowns in other drums'. */
const ATTACK_BANDS = Array.from({ length: BANDS }, (_, b) => b).filter((b) => EDGES[b] >= 270 && EDGES[b + 1] <= 2000);
/** Rises of so many dB or more tell how loud its attacks are. */
const SHARP_DB = 15;

/** A tom as its attacks tell of it. */
function byAttack(song: Song, s: Source): Source {
  const level = Float64Array.from({ length: s.n }, (_, i) => (s.novelty[i] > SHARP_DB ? addedIn(s, song.cells, i, s.main, ATTACK_BANDS) : 0));
  return { ...s, bands: ATTACK_BANDS, reference: topMean(level) };
}

/** A drum that is played gives seeds at two places at least. */
export const isPlayed = (seeds: readonly number[], time: Float64Array): boolean => new Set(seeds.map((i) => Math.round(time[i] * 10))).size >= 2;

export async function learnPatterns(song: Song, ears: readonly Ear[] = [createEar()]): Promise<Learnt> {
  const { cells, sources, drums } = song;
  const seeds = new Map(drums.map((d) => [d, seedsOf(song, sources.get(d) as Source)]));
  const set = new Map<string, Float32Array[]>();
  for (const [d, list] of seeds) {
    const s = sources.get(d) as Source;
    if (list.length) set.set(d, logMedianPatterns(list.map((i) => row(s, cells, i)), 1));
  }
  if (set.size === 0) return { patterns: stack(set, cells), set, seeds };
  const kinds = new Set(drums.map((d) => (sources.get(d) as Source).kind));
  const view = viewOf(song);
  for (let round = 0; round < ROUNDS; round++) {
    let patterns = stack(set, cells);
    if (sources.has(CYMBALS)) {
      const rows = cymbalRows(song, patterns);
      if (rows.length >= 3) set.set(CYMBALS, logMedianPatterns(rows, PATTERNS.cymbal));
      patterns = stack(set, cells);
    }
    if (song.mics.length > 3 && !(kinds.has('kick') && kinds.has('snare'))) {
      const rows = unknownRows(song, patterns);
      if (rows.length >= 18) set.set(UNKNOWN, logMedianPatterns(rows, 3));
      patterns = stack(set, cells);
    }
    const learning = drums.filter((d) => set.has(d));
    const all = await shareOut(ears, learning.map((d) => (ear: Ear) => {
      const s = sources.get(d) as Source;
      const first = new Set(seeds.get(d));
      // only loud enough events can teach
      const pool = Array.from({ length: s.n }, (_, i) => i).filter((i) => db10(addedIn(s, cells, i, s.main, s.bands) / s.reference) > -26 && (!s.closeness || s.closeness[i] > CLEARLY_CLOSE_DB || first.has(i)));
      const every = Math.max(1, Math.floor(pool.length / 500));
      return ear.ownRows(view, onlySource(s, cells, pool.filter((_, k) => k % every === 0)), patterns, 3);
    }));
    learning.forEach((d, k) => {
      if (all[k].length >= 3) set.set(d, logMedianPatterns(all[k], PATTERNS[(sources.get(d) as Source).kind]));
    });
  }
  return { patterns: stack(set, cells), set, seeds };
}

/** What the drum alone added at those of its candidates that it dominates, the best 60. */
export function ownRows(song: Song, s: Source, patterns: Patterns, leastGain: number): Float32Array[] {
  const { cells } = song;
  const e = evidence(song, s, patterns, Array.from({ length: s.n }, (_, i) => i), ROUGH_ROUNDS);
  return Array.from({ length: s.n }, (_, i) => ({ i, own: db10(e.own[i] / s.reference), share: e.shareRange[i], gain: e.gainOwn[i] }))
    .filter((q) => q.share > 0.8 && q.gain > leastGain && q.own > -25)
    .map((q) => ({ ...q, score: Math.log1p(q.gain) * Math.min(1, q.share) + 0.02 * Math.min(q.own, 0) }))
    .sort((a, b) => b.score - a.score)
    .slice(0, 60)
    .map(({ i }) => {
      const r = row(s, cells, i);
      const others = e.othersOf(i);
      for (let f = 0; f < cells; f++) r[f] = Math.max(r[f] - Math.max(0, others[f]), 0.02 * r[f]);
      return r;
    });
}

/** Fewer sure strokes than this teach nothing new; and how many make a second pattern worth while. */
const LEAST_SURE = 3;
const SECOND_PATTERN = 16;

/**
 * Patterns learnt anew from strokes that are by now sure: `tracks` by drum with the candidates of theirs that are. Cymbals that only overheads hear get
 * patterns of their own, which tells them apart by where they stand. Drums that are not in `tracks` are forgotten.
 */
export async function relearn(song: Song, learnt: Learnt, tracks: readonly { drum: string; source: Source; sure: readonly number[] }[], ears: readonly Ear[] = [createEar()]): Promise<Patterns> {
  const { cells } = song;
  const view = viewOf(song);
  const own = await shareOut(ears, tracks.map(({ source, sure }) => (ear: Ear) => (sure.length >= LEAST_SURE ? ear.ownRows(view, onlySource(source, cells, sure), learnt.patterns, source.drum === CYMBALS ? 0.5 : 1.5) : [])));
  const set = new Map<string, Float32Array[]>();
  for (const [k, { drum, source, sure }] of tracks.entries()) {
    const far = source.drum === CYMBALS;
    const old = far ? undefined : learnt.set.get(drum);
    // strokes that stand alone first: what others add at the same moment is only estimated
    const rows = own[k];
    const enough = rows.length >= LEAST_SURE ? rows : sure.length >= LEAST_SURE && !old ? sure.slice(0, 60).map((i) => row(source, cells, i)) : [];
    if (enough.length) set.set(drum, logMedianPatterns(enough, enough.length >= SECOND_PATTERN ? Math.max(2, PATTERNS[source.kind] - (far ? 1 : 0)) : 1));
    else if (old) set.set(drum, old);
  }
  const far = tracks.some((t) => t.source.drum === CYMBALS && set.has(t.drum));
  for (const name of [CYMBALS, UNKNOWN]) {
    const old = learnt.set.get(name);
    if (old && !(name === CYMBALS && far)) set.set(name, old);
  }
  return stack(set, cells);
}
