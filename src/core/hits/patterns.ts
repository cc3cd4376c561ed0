/**
 * Learns, blindly, how each drum reaches the mics: one to three patterns (mics x bands) a drum, as robust log-medians of the increments of
 * events that the drum dominates, refitted three times; cymbals and unknown sources as nuisance patterns from what the drums do
 * not explain.
 */
import { quantile } from './candidates';
import { evidence } from './evidence';
import { BANDS, PATTERNS } from './kinds';
import { type Patterns, createFitter, divergence } from './mixture';
import { CYMBALS, type Song, type Source, addedIn, topMean } from './song';

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

const row = (s: Source, cells: number, i: number) => s.added.slice(i * cells, (i + 1) * cells);

/** How long an earlier, sharper rise in the same mic may account for what comes, seconds. */
const BODY_S = 0.06;
const followsStronger = (s: Source, i: number): boolean => {
  for (let j = i - 1; j >= 0 && s.time[i] - s.time[j] < BODY_S; j--) if (s.novelty[j] > s.novelty[i]) return true;
  return false;
};

/** Events that a drum dominates beyond doubt, at most 30, best first. */
function seedEvents(song: Song, s: Source): number[] {
  const { cells, sources, drums } = song;
  const level = (drum: string, i: number) => {
    const q = sources.get(drum) as Source;
    return db10(addedIn(s, cells, i, q.main, q.bands) / (q.reference || 1e-30));
  };
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
    const others = drums.filter((d) => d !== s.drum).map((d) => level(d, i));
    const lead = own - (others.length ? Math.max(...others) : -30);
    if (s.closeness) {
      const heard = Math.max(...foreign.map((m) => rise(i, m)));
      if (s.closeness[i] > CLOSE_DB && lead > 0 && s.novelty[i] > 10 && rise(i, s.main) > 8 && heard > 2) scored.push({ i, lead: LEADS_DB[0], score: s.closeness[i] + Math.min(lead, 10) + 0.5 * Math.min(own, 0) });
    } else if (s.novelty[i] > 6) scored.push({ i, lead, score: Math.min(lead, 15) + 0.5 * Math.min(own, 0) + 0.2 * Math.min(s.novelty[i], 20) });
  }
  const least = LEADS_DB.find((l) => scored.filter((e) => e.lead >= l).length >= ENOUGH) ?? LEADS_DB[0];
  return scored.filter((e) => e.lead >= least).sort((a, b) => b.score - a.score).slice(0, 30).map((e) => e.i);
}

/** Increments of overhead events that the present patterns leave unexplained in the highs. */
function cymbalRows(song: Song, patterns: Patterns): Float32Array[] {
  const s = song.sources.get(CYMBALS) as Source;
  const { cells, overheads } = song;
  const fitter = createFitter(patterns);
  const r = fitter.result();
  const use = Uint8Array.from(patterns.names, (n) => (n === CYMBALS ? 0 : 1));
  const high = Array.from({ length: s.n }, (_, i) => overheads.reduce((e, m) => e + addedIn(s, cells, i, m, s.bands), 0));
  const loud = topMean(high, 10) * 10 ** -3.5;
  const found: { rest: Float32Array; d: number }[] = [];
  for (let i = 0; i < s.n; i++) {
    if (high[i] < loud || s.novelty[i] < 6) continue;
    fitter.fit(s.after, s.before, i * cells, 20, use, r);
    const rest = row(s, cells, i);
    for (let f = 0; f < cells; f++) {
      let own = 0;
      for (let k = 0; k < patterns.names.length; k++) own += r.gains[k] * patterns.w[k * cells + f];
      rest[f] = Math.max(rest[f] - own, 0.02 * rest[f]);
    }
    let [d, left] = [0, 0];
    for (const m of overheads) {
      for (const b of s.bands) {
        const f = m * BANDS + b;
        d += divergence(s.after[i * cells + f], r.model[f]);
        left += rest[f];
      }
    }
    if (left / high[i] > 0.6) found.push({ rest, d });
  }
  return found.sort((a, b) => b.d - a.d).slice(0, 80).map((e) => e.rest);
}

/** Increments of strong rises in close mics that no pattern explains: sources nobody has a mic for. */
function unknownRows(song: Song, patterns: Patterns): Float32Array[] {
  const { cells } = song;
  const fitter = createFitter(patterns);
  const r = fitter.result();
  const use = Uint8Array.from(patterns.names, (n) => (n === UNKNOWN ? 0 : 1));
  const all: { added: Float32Array; d: number }[] = [];
  for (const drum of song.drums) {
    const s = song.sources.get(drum) as Source;
    const own = Array.from({ length: s.n }, (_, i) => addedIn(s, cells, i, s.main, Array.from({ length: BANDS }, (_, b) => b)));
    const top = topMean(own);
    for (let i = 0; i < s.n; i++) {
      if (s.novelty[i] <= 8 || db10(own[i] / top) <= -25) continue;
      fitter.fit(s.after, s.before, i * cells, 20, use, r);
      let d = 0;
      for (let f = 0; f < cells; f++) d += divergence(s.after[i * cells + f], r.model[f]);
      all.push({ added: row(s, cells, i), d: d / cells });
    }
  }
  const limit = Math.max(0.6, quantile(all.map((e) => e.d), 0.5));
  return all.filter((e) => e.d > limit).sort((a, b) => b.d - a.d).slice(0, 150).map((e) => e.added);
}

export function learnPatterns(song: Song): Learnt {
  const { cells, sources, drums } = song;
  const seeds = new Map(drums.map((d) => [d, seedEvents(song, sources.get(d) as Source)]));
  const set = new Map<string, Float32Array[]>();
  for (const [d, list] of seeds) {
    const s = sources.get(d) as Source;
    if (list.length) set.set(d, logMedianPatterns(list.map((i) => row(s, cells, i)), 1));
  }
  if (set.size === 0) return { patterns: stack(set, cells), set, seeds };
  const kinds = new Set(drums.map((d) => (sources.get(d) as Source).kind));
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
    for (const d of drums) {
      if (!set.has(d)) continue;
      const s = sources.get(d) as Source;
      const first = new Set(seeds.get(d));
      // only loud enough events can teach
      const pool = Array.from({ length: s.n }, (_, i) => i).filter((i) => db10(addedIn(s, cells, i, s.main, s.bands) / s.reference) > -26 && (!s.closeness || s.closeness[i] > CLEARLY_CLOSE_DB || first.has(i)));
      const every = Math.max(1, Math.floor(pool.length / 500));
      const picked = pool.filter((_, k) => k % every === 0);
      const e = evidence(song, s, patterns, picked, 20);
      const good = picked
        .map((i, k) => ({ i, k, own: db10(e.own[k] / s.reference), share: e.shareRange[k], gain: e.gainOwn[k] }))
        .filter((q) => q.share > 0.8 && q.gain > 3 && q.own > -25)
        .map((q) => ({ ...q, score: Math.log1p(q.gain) * Math.min(1, q.share) + 0.02 * Math.min(q.own, 0) }))
        .sort((a, b) => b.score - a.score)
        .slice(0, 60);
      if (good.length < 3) continue;
      const rows = good.map(({ i, k }) => {
        const r = row(s, cells, i);
        for (let f = 0; f < cells; f++) r[f] = Math.max(r[f] - Math.max(0, e.others[k * cells + f]), 0.02 * r[f]);
        return r;
      });
      set.set(d, logMedianPatterns(rows, PATTERNS[s.kind]));
    }
  }
  return { patterns: stack(set, cells), set, seeds };
}
