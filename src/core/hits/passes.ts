/**
 * The first two passes of the finding of hits. The first knows of each drum only what its own patterns explain, learnt blindly. The second learns the patterns anew from
 * the strokes that the first is sure of, crash and ride each for itself, and knows what the first thought of every other drum at the same moment: a
 * tom's stroke that a neighbouring tom's mic hears too goes to the tom that explains it better.
 */
import { firstIndex } from '../dsp/search';
import { quantile } from './candidates';
import { type Network, choose } from './classify';
import { type Ear, createEar, shareOut, viewOf } from './ears';
import { type Described, GAIN } from './features';
import type { Kind } from './kinds';
import { type Learnt, isPlayed, learnPatterns, relearn, withoutNames } from './patterns';
import { CYMBALS, type Song, type Source, onlySource } from './song';
import { heardBeforeAll } from './unplayed';

/** One network for each kind of drum with a close mic, and one each for cymbals that only overheads hear. */
export type NetworkName = Kind | 'crash' | 'ride';
export type NetworkSet = Readonly<Partial<Record<NetworkName, Network>>>;
export const FAR: readonly NetworkName[] = ['crash', 'ride'];

/** A drum that hits are sought for, with the candidates that may be its strokes. */
export interface Track {
  readonly drum: string;
  readonly network: NetworkName;
  readonly source: Source;
  readonly described: Described;
}

/** A track of the second pass: of each of its candidates what the first thought. */
export interface SecondTrack extends Track {
  readonly thought: Float64Array;
}

export interface FirstPass {
  readonly learnt: Learnt;
  /** Those that are played; cymbals last. */
  readonly tracks: readonly Track[];
  /** Toms that are explained as well by others, by tom: those. */
  readonly twins: ReadonlyMap<string, readonly string[]>;
}

/** Twins of a tom are sought where it has so many strokes that its mic hears first, and these are better explained with it by no more than this in the median (a GAIN). */
const TWINS = { strokes: 6, gain: 2.3 };
/** So much better are they without a twin. */
const NEEDED = 0.7;

/** A tom's candidates as they are told without its twins: toms as loud in its mic as in their own, and tuned alike, explain its strokes as well, so that it seems not to be needed. Who was struck is told by who hears it first then (heardLater). */
async function apartFromTwins(song: Song, learnt: Learnt, s: Source, described: Described, ear: Ear): Promise<{ described: Described; twins: string[] }> {
  const none = { described, twins: [] };
  if (s.kind !== 'tom') return none;
  const first = heardBeforeAll(song, s);
  const strokes = (learnt.seeds.get(s.drum) ?? []).filter((i) => first.includes(i));
  const gain = (d: Described) => quantile(strokes.map((i) => d.features[i * d.count + GAIN]), 0.5);
  if (strokes.length < TWINS.strokes || gain(described) > TWINS.gain) return none;
  const view = viewOf(song);
  const without = (names: readonly string[]) => ear.describe(view, s, withoutNames(learnt.patterns, names), s.drum);
  const twins: string[] = [];
  for (const d of song.drums) {
    if (d === s.drum || song.sources.get(d)?.kind !== 'tom' || !learnt.set.has(d)) continue;
    if (gain(await without([d])) > gain(described) + NEEDED) twins.push(d);
  }
  return twins.length > 0 ? { described: await without(twins), twins } : none;
}

export async function firstPass(song: Song, ears: readonly Ear[] = [createEar()]): Promise<FirstPass> {
  const learnt = await learnPatterns(song, ears);
  const view = viewOf(song);
  const near: Source[] = [];
  for (const drum of song.drums) {
    const source = song.sources.get(drum);
    if (source && learnt.set.has(drum) && isPlayed(learnt.seeds.get(drum) ?? [], source.time)) near.push(source);
  }
  const far = learnt.set.has(CYMBALS) ? song.sources.get(CYMBALS) : undefined;
  // the longest first
  const sources = far ? [far, ...near] : near;
  const described = await shareOut(ears, sources.map((s) => (ear: Ear) => ear.describe(view, s, learnt.patterns, s.drum)));
  const apart = await shareOut(ears, near.map((s, k) => (ear: Ear) => apartFromTwins(song, learnt, s, described[far ? k + 1 : k], ear)));
  const twins = new Map(near.flatMap((s, k) => (apart[k].twins.length > 0 ? [[s.drum, apart[k].twins] as const] : [])));
  const tracks: Track[] = near.map((source, k) => ({ drum: source.drum, network: source.kind, source, described: apart[k].described }));
  if (far) for (const drum of FAR) if (!song.drums.includes(drum)) tracks.push({ drum, network: drum, source: far, described: described[0] });
  return { learnt, tracks, twins };
}

/** A drum that is played has strokes beyond doubt; where there are not two of them, what is found is spill. */
const BEYOND_DOUBT = 0.9;
export const believable = (certainty: Float64Array, least = BEYOND_DOUBT): boolean => certainty.filter((c) => c >= least).length >= 2;

/** Hits this certain teach the second pass. */
const SURE = 0.85;
/** What the first pass thinks less certain than this gets no second look. */
const HOPELESS = 0.002;
/** Hits this certain count, unless a person sets another threshold. */
export const THRESHOLD = 0.4;

/**
 * `certainty`: what the first pass thinks, by track. Gives the tracks worth a second look, their features made anew. Features of the second pass: those
 * of the first, then what the first thought of this candidate, of its neighbours, and of others at the same moment.
 */
export async function secondPass(song: Song, first: FirstPass, certainty: readonly Float64Array[], ears: readonly Ear[] = [createEar()]): Promise<SecondTrack[]> {
  const alive = first.tracks.map((t, k) => ({ ...t, certainty: certainty[k] })).filter((t) => t.source.drum === CYMBALS || believable(t.certainty));
  const chosen = alive.map((t) => choose(t.source.time, t.certainty, THRESHOLD));
  const patterns = await relearn(
    song, first.learnt,
    alive.map((t, k) => ({ drum: t.drum, source: t.source, sure: chosen[k].filter((i) => t.certainty[i] >= SURE && alive.every((o) => o === t || o.source !== t.source || o.certainty[i] < t.certainty[i])) })),
    ears,
  );
  const view = viewOf(song);
  // a second look at what is not quite out of the question, of a source that two drums share at what is not for both
  const worth = new Map(alive.map((t) => [t.source, Array.from(t.source.time.keys()).filter((i) => alive.some((o) => o.source === t.source && o.certainty[i] > HOPELESS))]));
  const looked = new Map(Array.from(worth, ([s, which]) => [s, onlySource(s, song.cells, which)]));
  const described = await shareOut(ears, alive.map((t) => (ear: Ear) => ear.describe(view, looked.get(t.source) as Source, withoutNames(patterns, first.twins.get(t.drum) ?? []), patterns.names.includes(t.drum) ? t.drum : CYMBALS)));
  return alive.map((t, k) => {
    const d = described[k];
    const source = looked.get(t.source) as Source;
    const which = worth.get(t.source) as number[];
    const { n, time } = t.source;
    const beat = FAR.includes(t.network) ? beatOf(chosen[k].map((i) => time[i])) : null;
    const width = d.count + MORE + (beat ? BEAT : 0);
    const features = new Float32Array(which.length * width);
    which.forEach((i, row) => {
      features.set(d.features.subarray(row * d.count, (row + 1) * d.count), row * width);
      features.set(around(time[i], i, d.levelDb[row]), row * width + d.count);
      if (beat) features.set(beat(time[i]), row * width + d.count + MORE);
    });
    /** What the first pass thought around a moment. */
    function around(at: number, i: number, levelDb: number): number[] {
      let [before, after] = [LEAST_LOGIT, LEAST_LOGIT];
      for (let j = i - 1; j >= 0 && at - time[j] < NEAR_S; j--) before = Math.max(before, logit(t.certainty[j]));
      for (let j = i + 1; j < n && time[j] - at < NEAR_S; j++) after = Math.max(after, logit(t.certainty[j]));
      const others = new Float64Array(KINDS.length).fill(LEAST_LOGIT);
      let louder = -3;
      alive.forEach((o, j) => {
        if (j === k) return;
        const kind = KINDS.indexOf(o.network === 'crash' || o.network === 'ride' ? 'cymbal' : o.network);
        const q = o.source;
        for (let m = firstIndex(q.n, (i) => q.time[i] >= at - SAME_S); m < q.n && q.time[m] <= at + SAME_S; m++) {
          const l = logit(o.certainty[m]);
          if (l > others[kind]) others[kind] = l;
          if (o.network === t.network && o.source !== t.source && l > -1) louder = Math.max(louder, (o.described.levelDb[m] - levelDb) / 10);
        }
      });
      return [logit(t.certainty[i]), before, after, ...others, Math.min(3, louder)];
    }
    return { drum: t.drum, network: t.network, source, described: { ...d, features, count: width }, thought: Float64Array.from(which, (i) => t.certainty[i]) };
  });
}

/** Distances between strokes that repeat, seconds; bins of their histogram; how near a stroke is in its place. */
const [SHORTEST_S, LONGEST_S, BIN_S, IN_TIME_S] = [0.09, 1, 0.01, 0.025];
const LAGS = 3;
/** Features that the beat adds. */
const BEAT = 2;

/**
 * Cymbals are mostly played in time. From strokes that are known (seconds, rising): for a moment, how well it continues them (neighbours one and two of the three
 * commonest distances away, 0 to 3), and how common the commonest distance is among strokes.
 */
export function beatOf(known: readonly number[]): (at: number) => readonly [number, number] {
  const { lags, common } = rhythmOf(known);
  const struck = (at: number) => {
    const i = firstIndex(known.length, (k) => known[k] >= at - IN_TIME_S);
    return i < known.length && known[i] <= at + IN_TIME_S ? 1 : 0;
  };
  return (at) => [Math.max(0, ...lags.map((l) => struck(at - l) + struck(at + l) + 0.5 * (struck(at - 2 * l) + struck(at + 2 * l)))), common];
}

/** The three commonest distances between strokes (seconds, rising), commonest first, and how common the first is among them. */
export function rhythmOf(known: readonly number[]): { readonly lags: readonly number[]; readonly common: number } {
  const bins = new Float64Array(Math.ceil(LONGEST_S / BIN_S) + 2);
  known.forEach((a, i) => {
    for (let j = i + 1; j < known.length && known[j] - a < LONGEST_S; j++) if (known[j] - a > SHORTEST_S) bins[Math.round((known[j] - a) / BIN_S)]++;
  });
  const near = (b: number) => (bins[b - 1] ?? 0) + bins[b] + (bins[b + 1] ?? 0);
  const lags: number[] = [];
  const order = Array.from(bins.keys()).sort((a, b) => near(b) - near(a));
  for (const b of order) if (lags.length < LAGS && near(b) > 1 && lags.every((l) => Math.abs(l - b * BIN_S) > 4 * BIN_S)) lags.push(b * BIN_S);
  return { lags, common: known.length > 2 ? Math.min(1, near(order[0]) / known.length) : 0 };
}

const KINDS: readonly Kind[] = ['kick', 'snare', 'hat', 'tom', 'cymbal'];
/** Features that the second pass adds. */
const MORE = 3 + KINDS.length + 1;
/** Strokes on other drums this near are the same moment; own candidates this near are neighbours. */
const SAME_S = 0.008;
const NEAR_S = 0.022;
const LEAST_LOGIT = -6;
export const logit = (c: number) => Math.min(6, Math.max(LEAST_LOGIT, Math.log((c + 1e-9) / (1 - c + 1e-9))));

/** Certainties of tracks by networks; none for those without one, or without anything to look at. */
export const judge = (tracks: readonly Track[], networks: NetworkSet, ears: readonly Ear[] = [createEar()]): Promise<Float64Array[]> =>
  shareOut(
    ears,
    tracks.map((t) => (ear: Ear) => {
      const net = t.described.features.length > 0 ? networks[t.network] : undefined;
      if (net && net.inputs !== t.described.count) throw new RangeError(`the network of ${t.network} takes ${net.inputs} features, not ${t.described.count}: train it anew`);
      return net ? ear.certainties(net, t.described.features) : new Float64Array(t.source.n);
    }),
  );
