/**
 * A third pass over cymbals that only overheads hear. The first two know them by eleven bands in all mics; by now it is known when every other drum was struck and
 * what some strokes of each cymbal sound like, so that fine bands of the overheads can tell a ride under a snare from a snare. Where the strokes found so far repeat in time, moments that
 * no rise gave away are looked at too.
 */
import { firstIndex } from '../dsp/search';
import { choose } from './classify';
import { type Lend, lendAll } from '../lend';
import { balanceRows, together } from './balance';
import { type Ear, shareOut } from './ears';
import { FINE } from './eventSpectra';
import { type FineEvidence, type Known, type Moments, resemblance, usualRises } from './fineLook';
import type { Network } from './classify';
import { ENOUGH_KNOWN, type FineReader, type Place, SAME_S, SURE, cymbalsIn, fineReader, diesAway, drumsAt, placesOf, showing, sureStrokes } from './farPlaces';
import type { Kind } from './kinds';
import { asUnknown, isNear, loneLook, loneStrokes } from './loneLook';
import { quantile } from './candidates';
import { type NetworkName, type NetworkSet, type SecondTrack, THRESHOLD, beatOf, logit, rhythmOf } from './passes';
import type { Song } from './song';

/** A cymbal with all moments that may be its strokes, in order of time. */
export interface FarTrack {
  readonly drum: string;
  readonly network: NetworkName;
  /** Seconds: where the overheads hear it, and at the first of them. */
  readonly time: Float64Array;
  readonly heard: Float64Array;
  /** Of what it adds against its loudest, dB. */
  readonly levelDb: Float64Array;
  /** What the second pass thinks. */
  readonly certainty: Float64Array;
  /** `count` numbers a moment; null where too few strokes are sure to know how it sounds. */
  readonly features: Float32Array | null;
  readonly count: number;
  /** Of a cymbal of which too few strokes are sure: what the look at lone ones says; null of others. */
  readonly says: Float64Array | null;
  /** 1 where what rises is gone too soon for a cymbal. */
  readonly dies: Uint8Array;
}

/** Strokes that the look at lone ones thinks this likely on average are believed. */
const BELIEVED = 0.5;
/** So many sure strokes need no such look, if they are a crash's or stand alone often enough; by so many that are believed, or found by it, the third pass can judge. */
const [KNOWN_WELL, MANY] = [12, 4];
/** Of a ride this share of strokes has no other drum's near it: in 28 made recordings .29 to .64 of the sure ones, where a ride was learnt from kicks and snares .06 to .2. */
const [ALONE, LONE_S] = [0.25, 0.02];
/** A later look begins where the first ends. */
const LATER_S = FINE.windowS + 0.002;
/** Own strokes this near are neighbours, seconds. */
const NEAR_S = 0.03;
const LEAST_LOGIT = -6;
const OTHERS: readonly Kind[] = ['kick', 'snare', 'hat', 'tom'];
const clip = (v: number, lo: number, hi: number) => Math.min(hi, Math.max(lo, v));

/** `tracks` of the second pass and what it thinks of them. Null where cymbals are not sought, or none is known well enough. */
export async function thirdPass(song: Song, tracks: readonly SecondTrack[], certainty: readonly Float64Array[], lend: Lend, lone: NetworkSet, ears: readonly Ear[]): Promise<FarTrack[] | null> {
  const far = cymbalsIn(tracks, certainty);
  return far.length === 0 ? null : lendAll(lend, song.overheads, (audio) => lookAt(far, song, tracks, certainty, fineReader(song, audio, ears), lone, ears));
}

async function lookAt(
  far: ReturnType<typeof cymbalsIn>, song: Song, tracks: readonly SecondTrack[], certainty: readonly Float64Array[], spectra: FineReader, lone: NetworkSet, ears: readonly Ear[],
): Promise<FarTrack[] | null> {
  const places = placesOf(far);
  const names = far.map((f) => f.t.drum);
  const { sure: surely, others } = sureStrokes(tracks, certainty, places, names);
  const struckThen = drumsAt(tracks, certainty, places);
  const rises = places.slice();
  const sure = new Map(surely);
  const lookedAt = new Map<string, { readonly says: Float64Array; readonly few: boolean }>();
  for (const [k, drum] of names.entries()) {
    const clear = surely.get(drum) ?? [];
    const net = lone[far[k].t.network];
    if (!net || (clear.length >= KNOWN_WELL && (drum !== 'ride' || clear.filter((t) => !isNear(others, t, LONE_S)).length >= ALONE * clear.length))) continue;
    const look = await loneLook(places, k, names, surely, others, struckThen, spectra, ears[0]);
    const thinksOf = (features: Float32Array) => thinks(ears[0], net, { ...look, features }, `the look at a lone ${drum}`);
    const first = await thinksOf(look.features);
    const doubted = clear.length === 0 || clear.reduce((sum, t) => sum + first[places.findIndex((p) => p.time === t)], 0) < BELIEVED * clear.length;
    // what is not believed must not count as known either
    const says = doubted && clear.length > 0 ? await thinksOf(asUnknown(look)) : first;
    const strokes = loneStrokes(places, k, says);
    const known = doubted ? strokes : [...new Set([...clear, ...strokes])].sort((a, b) => a - b);
    sure.set(drum, known);
    lookedAt.set(drum, { says, few: known.length < MANY });
  }
  if (!names.some((drum) => sure.get(drum)?.length) && lookedAt.size === 0) return null;
  const inTime = far.flatMap(({ t }, k) => {
    const known = sure.get(t.drum) ?? [];
    const moments = known.length < ENOUGH_KNOWN ? [] : expected(struck(places, k));
    return moments.length ? [{ known, moments }] : [];
  });
  const heardInTime = inTime.length ? await spectra(inTime.map((e) => Float64Array.from([...e.known, ...e.moments]))) : [];
  for (const [k, e] of inTime.entries()) {
    for (const time of peaks(heardInTime[k], e.known.length, e.moments)) {
      if (places.every((p) => Math.abs(p.time - time) >= SAME_S)) places.push({ time, heard: time, novelty: 0, fallDb: 0, certainty: far.map(() => 0), first: far.map(() => 0), levelDb: far.map(() => Number.NaN) });
    }
  }
  places.sort((a, b) => a.time - b.time);
  const known: Known[] = [];
  const times = places.map((p) => p.time);
  for (const [drum, list] of showing(sure, names)) {
    known.push({ drum, at: list.map((_, i) => times.length + i) });
    times.push(...list);
  }
  const [soon, late, later] = await spectra([0, 1, 2].map((k) => Float64Array.from(times, (t) => t + k * LATER_S)));
  const rung = together([late, later].map((m) => ({ ...m, before: soon.before })));
  const struckAt = drumsAt(tracks, certainty, places);
  const looks = await shareOut(ears, [soon, { ...late, before: soon.before }].map((m) => (ear: Ear) => ear.fineEvidence(m, known, names)));
  const beside = tracks.flatMap((t, k) => (OTHERS.includes(t.source.kind) ? [{ kind: OTHERS.indexOf(t.source.kind), time: t.source.time, certainty: certainty[k] }] : []));
  return far.map(({ t }, k) => {
    const mine = looks.map((l) => l[k]);
    const levels = Float64Array.from(places, (p) => p.levelDb[k]);
    const base = { drum: t.drum, network: t.network, time: Float64Array.from(places, (p) => p.time), heard: Float64Array.from(places, (p) => p.heard), certainty: Float64Array.from(places, (p) => p.certainty[k]), says: saysOf(t.drum), dies: Uint8Array.from(places, (p) => (diesAway(p) ? 1 : 0)) };
    const [first, second] = mine;
    if (!first || !second) return { ...base, levelDb: levels.map((v) => (Number.isNaN(v) ? -40 : v)), features: null, count: 0 };
    // what no rise gave away has its level from the fine bands
    const usual = quantile(places.flatMap((p) => (p.certainty[k] > SURE ? [p.levelDb[k]] : [])), 0.5);
    const beat = beatOf(struck(places, k));
    const otherLooks = far.length > 1 ? looks.map((l) => l[1 - k]) : [null, null];
    const balance = balanceRows([soon, rung], times, known, [t.drum, names[1 - k] ?? null], struckAt);
    const rows = places.map((p, i) => [
      logit(p.certainty[k]), far.length > 1 ? logit(p.certainty[1 - k]) : LEAST_LOGIT, ...told(first, i, song), ...told(second, i, song), first.before[i], second.before[i],
      ...otherLooks.map((e) => (e ? Math.log1p(perPair(e.gain[i], song)) : 0)), ...beat(p.time), ...othersAt(p.time), Math.log(sure.get(t.drum)?.length ?? 1), ...around(i, first), clip(p.novelty, 0, 30) / 10, ...balance[i],
    ]);
    return { ...base, levelDb: levels.map((v, i) => (Number.isNaN(v) ? usual + first.levelDb[i] : v)), features: Float32Array.from(rows.flat()), count: rows[0].length };
    /** What the second pass thought of neighbours, and how much more speaks for them. */
    function around(i: number, e: FineEvidence): number[] {
      let [before, after, gainBefore, gainAfter] = [LEAST_LOGIT, LEAST_LOGIT, -5, -5];
      const by = (j: number) => Math.log1p(perPair(e.gain[j], song)) - Math.log1p(perPair(e.gain[i], song));
      for (let j = i - 1; j >= 0 && places[i].time - places[j].time < NEAR_S; j--) {
        before = Math.max(before, logit(places[j].certainty[k]));
        gainBefore = Math.max(gainBefore, by(j));
      }
      for (let j = i + 1; j < places.length && places[j].time - places[i].time < NEAR_S; j++) {
        after = Math.max(after, logit(places[j].certainty[k]));
        gainAfter = Math.max(gainAfter, by(j));
      }
      return [before, after, gainBefore, gainAfter];
    }
  });
  /** What the look says of every place; nothing of those that no rise gave away. */
  function saysOf(drum: string): Float64Array | null {
    const look = lookedAt.get(drum);
    if (!look?.few) return null;
    const at = new Map(rises.map((p, i) => [p, look.says[i]]));
    return Float64Array.from(places, (p) => at.get(p) ?? 0);
  }
  /** How sure it is that drums of each kind were struck at a moment. */
  function othersAt(at: number): number[] {
    const out = OTHERS.map(() => LEAST_LOGIT);
    for (const { kind, time, certainty: c } of beside) for (let j = firstIndex(time.length, (i) => time[i] > at - SAME_S); j < time.length && time[j] < at + SAME_S; j++) out[kind] = Math.max(out[kind], logit(c[j]));
    return out;
  }
}

/** Certainties of lone strokes this large say how many there are. */
const COUNTS = 0.2;
/** So many of the likeliest tell how clearly a cymbal shows at all. */
const CLEAREST = 3;

/** Where the numbers of the first look begin in a row of the third pass, and how many there are. */
const [TOLD_FROM, TOLD] = [2, 7];
/** Where a row ends with how far the overheads' balance is from the cymbal's and others'. */
const BALANCE = 8;
const FEW = TOLD + BALANCE + 5;

/**
 * Of a cymbal of which too few strokes are sure, twenty numbers a moment: how it resembles the sure ones, what they explain of it and how far the overheads' balance is; what the look at lone strokes, the third pass and
 * the second say; how many strokes there may be, and how clear the clearest are.
 */
export function fewFeatures(t: FarTrack, says: Float64Array, third: Float64Array): Float32Array {
  const many = Math.log1p(says.reduce((sum, v) => sum + (v > COUNTS ? v : 0), 0));
  const clearest = Float64Array.from(says).sort().slice(-CLEAREST).reduce((sum, v) => sum + v / CLEAREST, 0);
  const told = (i: number) => [...(t.features ?? []).slice(i * t.count + TOLD_FROM, i * t.count + TOLD_FROM + TOLD), ...(t.features ?? []).slice((i + 1) * t.count - BALANCE, (i + 1) * t.count)];
  return Float32Array.from(Array.from(says, (v, i) => [...told(i), logit(v), logit(third[i]), logit(t.certainty[i]), many, clearest]).flat());
}

/** What dies away, or rings as another's, is so much less likely. */
const HARDLY = 0.1;

/** Of a cymbal of which few strokes are known: what rings after one is not so near (balance.ts) to the other cymbal's balance or a struck drum's while its own is farther. */
const [OTHERS_NEAR, DRUMS_NEAR, TELLING] = [0.9, 0.55, 0.5];

/** Whether a row of the third pass tells what rings as another's: its last four numbers. */
function anothers(t: FarTrack, i: number): boolean {
  if (!t.says || !t.features) return false;
  const [own, other, drum, tells] = t.features.subarray((i + 1) * t.count - BALANCE / 2, (i + 1) * t.count);
  return tells >= TELLING && ((other < OTHERS_NEAR && other < own) || (drum < DRUMS_NEAR && drum < own));
}

/** What the third pass thinks; what the second did where it knows too little or has no network. Of a cymbal of which too few strokes are sure the look at lone strokes has the last word, or a network that hears both; what rings as another's is hardly its own. */
export const judgeFar = (tracks: readonly FarTrack[], networks: FarNetworks, ears: readonly Ear[]): Promise<Float64Array[]> =>
  shareOut(ears, tracks.map((t) => async (ear: Ear) => (await judgeOne(t, networks, ear)).map((c, i) => (t.dies[i] || anothers(t, i) ? HARDLY * c : c))));

async function judgeOne(t: FarTrack, { third: thirds, few: fews }: FarNetworks, ear: Ear): Promise<Float64Array> {
  const [net, few] = [thirds[t.network], fews[t.network]];
  if (t.says && !(few && t.features)) return t.says;
  const third = net && t.features ? await thinks(ear, net, { features: t.features, count: t.count }, `the third network of ${t.network}`) : t.certainty;
  return t.says && few ? thinks(ear, few, { features: fewFeatures(t, t.says, third), count: FEW }, `the network of few ${t.network} strokes`) : third;
}

/** Networks of crash and ride: of the third pass, and of what it and the look at lone strokes say. */
export interface FarNetworks {
  readonly third: NetworkSet;
  readonly few: NetworkSet;
}

function thinks(ear: Ear, net: Network, look: { readonly features: Float32Array; readonly count: number }, what: string): Float64Array | Promise<Float64Array> {
  if (look.count > 0 && net.inputs !== look.count) throw new RangeError(`${what} takes ${net.inputs} features, not ${look.count}: train it anew`);
  return ear.certainties(net, look.features);
}

/** Divergences add up over overheads; networks know two. */
const perPair = (gain: number, song: Song) => (2 * gain) / song.overheads.length;

const told = (e: FineEvidence, i: number, song: Song): number[] => [
  Math.log1p(perPair(e.gain[i], song)), clip(e.levelDb[i], -40, 10) / 10, e.share[i], Math.log1p(e.left[i]), clip(e.match[i], -3, 3), e.better[i], clip(e.gainShare[i], 0, 3),
];

/** Times (seconds) at which a cymbal was struck, as far as is known. */
function struck(places: readonly Place[], k: number): number[] {
  const time = Float64Array.from(places, (p) => p.time);
  return choose(time, Float64Array.from(places, (p) => p.certainty[k]), THRESHOLD).map((i) => time[i]);
}

/** Moments around an expected stroke that are looked at, seconds. */
const [SEARCH_S, SEARCH_STEP_S] = [0.024, 0.004];

/** Moments (seconds, rising) around those at which strokes would continue what is known of the rhythm. */
function expected(known: readonly number[]): number[] {
  const lags = rhythmOf(known).lags;
  const near = new Set(known.flatMap((t) => lags.flatMap((l) => [t - l, t + l])).map((t) => Math.round(t * 100)));
  const moments = [...near].map((t) => t / 100).filter((t) => t > 0.05 && !known.some((k) => Math.abs(k - t) < NEAR_S)).sort((a, b) => a - b);
  const out: number[] = [];
  for (const t of moments) for (let o = -SEARCH_S; o <= SEARCH_S + 1e-4; o += SEARCH_STEP_S) if (t + o > (out[out.length - 1] ?? 0) + 0.9 * SEARCH_STEP_S) out.push(t + o);
  return out;
}

/** What resembles sure strokes less than this share of their own resemblance is none. */
const RESEMBLES = 0.1;

/** Of moments (from `from` on in `m`) those that resemble the known strokes (those before) more than others around. */
function peaks(m: Moments, from: number, times: readonly number[]): number[] {
  const usual = usualRises(m, Array.from({ length: from }, (_, i) => i));
  const at = Float64Array.from({ length: from + times.length }, (_, i) => resemblance(m, i, usual));
  const least = RESEMBLES * quantile(at.subarray(0, from), 0.5);
  const mine = at.subarray(from);
  const out: number[] = [];
  times.forEach((t, i) => {
    if (mine[i] <= least || (out.length > 0 && t - out[out.length - 1] < SAME_S)) return;
    for (let j = i - 1; j >= 0 && t - times[j] < 0.017; j--) if (mine[j] > mine[i]) return;
    for (let j = i + 1; j < times.length && times[j] - t < 0.017; j++) if (mine[j] > mine[i]) return;
    out.push(t);
  });
  return out;
}
