/**
 * A third pass over cymbals that only overheads hear. The first two know them by eleven bands in all mics; by now it is known when every other drum was struck and
 * what some strokes of each cymbal sound like, so that fine bands of the overheads can tell a ride under a snare from a snare. Where the strokes found so far repeat in time, moments that
 * no rise gave away are looked at too.
 */
import { firstIndex } from '../dsp/search';
import { choose } from './classify';
import { type Ear, oneByOne, shareOut } from './ears';
import { FINE } from './eventSpectra';
import { type FineEvidence, type Known, type Moments, resemblance, usualRises } from './fineLook';
import { type Kind, RISE_BANDS } from './kinds';
import { quantile } from './candidates';
import { FAR, type NetworkName, type NetworkSet, THRESHOLD, type Track, beatOf, logit, rhythmOf } from './passes';
import { CYMBALS, type Song, type Source } from './song';

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
  /** Of a cymbal that is struck seldom: moments (by place) that no other drum explains. */
  readonly lone: readonly number[];
  /** Whether what was taken for its strokes can be believed: of a ride two at least are sure and not the crash's too, or others show it. */
  readonly known: boolean;
}

/** Strokes this certain show how a drum sounds. */
const SURE = 0.85;
/** So many show it well. */
const ENOUGH_KNOWN = 3;
/** Of a cymbal that is struck seldomer what rises like this, dB, is at all likely to be its stroke and has no other drum's near it, seconds, shows it too. */
const [LONE, LONE_DB, LONE_S] = [0.1, 12, 0.02];
/** And what rises like this, dB, and is so much louder (divergence a cell) than all that is known explains: less will do where it is likelier. */
const [UNEXPLAINED_DB, UNEXPLAINED, LIKELIER, LESS_UNEXPLAINED] = [9, 0.2, 0.2, 0.15];
/** Of a ride this share of strokes has no other drum's near it: in 28 made recordings .29 to .64 of the sure ones, where a ride was learnt from kicks and snares .06 to .2. */
const ALONE = 0.25;
/** Cymbals ring: of such strokes of rides at most 15 dB were gone by then, of clicked sticks 23 and more. */
const RINGS_DB = 20;
/** Of four in five sure strokes of rides at most so much: in 28 made recordings 16.3, where kicks or snares were taken for a ride's 17.1 and more. */
const RING_DB = 16.7;
/** Bands in which cymbals ring longest, of those in which rises are told. */
const HIGHS = [5, 6];
/** What another drum may have struck. */
const MAYBE = 0.15;
/** A crash may be struck so seldom that the second pass is sure of too few: then likely ones do. Likely rides are too often none. */
const [SELDOM, LIKELY] = ['crash', 0.5];
/** So many sure strokes may be believed where nothing else is known. */
const ENOUGH_SURE = 2;
/** Of crashes that were struck three times at most 3 dB were gone 60 to 110 ms later, of snares that were taken for them 10 and more. */
const CRASH_RINGS_DB = 6;
/** Strokes of several drums nearer than this sound together in a window before and after, seconds. */
const TOGETHER_S = 0.045;
/** A cymbal's stroke is loudest in the highs at once: others that come later than this do not hide it. */
const CYMBAL_TOGETHER_S = 0.03;
/** Alone are enough. */
const ENOUGH_ALONE = 4;
const MOST_KNOWN = 60;
/** A later look begins where the first ends. */
const LATER_S = FINE.windowS + 0.002;
/** Other drums' strokes this near are the same moment; own ones this near are neighbours, seconds. */
const SAME_S = 0.008;
const NEAR_S = 0.03;
const LEAST_LOGIT = -6;
const OTHERS: readonly Kind[] = ['kick', 'snare', 'hat', 'tom'];
/** Of cymbals that no close mic owns. */
const isFar = (t: Track) => t.source.drum === CYMBALS;

const clip = (v: number, lo: number, hi: number) => Math.min(hi, Math.max(lo, v));

interface Place {
  readonly time: number;
  readonly heard: number;
  readonly novelty: number;
  /** Less of the rise in the highs is left 60 to 110 ms later, dB. */
  readonly fallDb: number;
  /** By cymbal. */
  readonly certainty: readonly number[];
  readonly levelDb: readonly number[];
}

/** `tracks` of the second pass and what it thinks of them. Null where cymbals are not sought, or none is known well enough. */
export async function thirdPass(
  song: Song, tracks: readonly Track[], certainty: readonly Float64Array[], read: (mic: number) => Float32Array | Promise<Float32Array>, ears: readonly Ear[],
): Promise<FarTrack[] | null> {
  const far = FAR.flatMap((drum) => tracks.flatMap((t, k) => (t.drum === drum && isFar(t) ? [{ t, c: certainty[k] }] : [])));
  if (far.length === 0) return null;
  const source = far[0].t.source;
  const places = Array.from(source.time, (time, i): Place => ({ time, heard: source.heard[i], novelty: source.novelty[i], fallDb: fallOf(source, i), certainty: far.map((f) => f.c[i]), levelDb: far.map((f) => f.t.described.levelDb[i]) }));
  const names = far.map((f) => f.t.drum);
  const { sure, others } = sureStrokes(tracks, certainty, places, names);
  const clearly = names.map((drum) => sure.get(drum)?.length ?? 0);
  // asked for twice
  const readOne = oneByOne(read);
  const audio = song.overheads.map((m) => {
    const x = readOne(m);
    // one that fails while another is waited for is told where it is used
    x.catch(() => {});
    return x;
  });
  /** Fine spectra at each list of times, after and before, of all overheads. */
  const spectra = async (lists: readonly Float64Array[]): Promise<Moments[]> => {
    const parts = await shareOut(ears, audio.map((x) => async (ear: Ear) => ear.powers(await x, song.rate, lists, FINE)));
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
      return withFloor({ cells, after, before });
    });
  };
  const lone = new Map<string, readonly number[]>();
  for (const [k, drum] of names.entries()) {
    const clear = sure.get(drum) ?? [];
    if (clear.length >= ENOUGH_KNOWN && (drum === SELDOM || clear.filter(isAlone).length >= ALONE * clear.length)) continue;
    if (clear.length >= ENOUGH_KNOWN) {
      // nearly all of them fall on other drums' strokes: those may be what was learnt, if others are not explained
      sure.delete(drum);
      const unlike = await unknown(k, [], UNEXPLAINED);
      lone.set(drum, unlike);
      if (unlike.length === 0 && !ring(clear)) clearly[k] = 0;
      sure.set(drum, unlike.length > 0 ? unlike : clearly[k] > 0 ? clear : []);
      continue;
    }
    const alone = await unknown(k, clear, drum === SELDOM ? UNEXPLAINED : LESS_UNEXPLAINED);
    const few = [...new Set([...clear, ...alone])].sort((a, b) => a - b);
    lone.set(drum, alone);
    sure.set(drum, alone.length > 0 ? few : drum === SELDOM ? likelyCrashes(places, k) : []);
  }
  if (!names.some((drum) => sure.get(drum)?.length)) return null;
  const inTime = far.flatMap(({ t }, k) => {
    const known = sure.get(t.drum) ?? [];
    const moments = known.length < ENOUGH_KNOWN ? [] : expected(struck(places, k));
    return moments.length ? [{ known, moments }] : [];
  });
  const heardInTime = inTime.length ? await spectra(inTime.map((e) => Float64Array.from([...e.known, ...e.moments]))) : [];
  for (const [k, e] of inTime.entries()) {
    for (const time of peaks(heardInTime[k], e.known.length, e.moments)) {
      if (places.every((p) => Math.abs(p.time - time) >= SAME_S)) places.push({ time, heard: time, novelty: 0, fallDb: 0, certainty: far.map(() => 0), levelDb: far.map(() => Number.NaN) });
    }
  }
  places.sort((a, b) => a.time - b.time);
  const known: Known[] = [];
  const times = places.map((p) => p.time);
  for (const [drum, list] of showing(sure, names)) {
    known.push({ drum, at: list.map((_, i) => times.length + i) });
    times.push(...list);
  }
  const [soon, late] = await spectra([Float64Array.from(times), Float64Array.from(times, (t) => t + LATER_S)]);
  const looks = await shareOut(ears, [soon, { ...late, before: soon.before }].map((m) => (ear: Ear) => ear.fineEvidence(m, known, names)));
  const beside = tracks.flatMap((t, k) => (OTHERS.includes(t.source.kind) ? [{ kind: OTHERS.indexOf(t.source.kind), time: t.source.time, certainty: certainty[k] }] : []));
  return far.map(({ t }, k) => {
    const mine = looks.map((l) => l[k]);
    const levels = Float64Array.from(places, (p) => p.levelDb[k]);
    const base = { drum: t.drum, network: t.network, time: Float64Array.from(places, (p) => p.time), heard: Float64Array.from(places, (p) => p.heard), certainty: Float64Array.from(places, (p) => p.certainty[k]), lone: places.flatMap((p, i) => (lone.get(t.drum)?.includes(p.time) ? [i] : [])), known: t.drum === SELDOM || clearly[k] >= ENOUGH_SURE || (sure.get(t.drum)?.length ?? 0) > 0 };
    const [first, second] = mine;
    if (!first || !second) return { ...base, levelDb: levels.map((v) => (Number.isNaN(v) ? -40 : v)), features: null, count: 0 };
    // what no rise gave away has its level from the fine bands
    const usual = quantile(places.flatMap((p) => (p.certainty[k] > SURE ? [p.levelDb[k]] : [])), 0.5);
    const beat = beatOf(struck(places, k));
    const otherLooks = far.length > 1 ? looks.map((l) => l[1 - k]) : [null, null];
    const rows = places.map((p, i) => [
      logit(p.certainty[k]), far.length > 1 ? logit(p.certainty[1 - k]) : LEAST_LOGIT, ...told(first, i, song), ...told(second, i, song), first.before[i], second.before[i],
      ...otherLooks.map((e) => (e ? Math.log1p(perPair(e.gain[i], song)) : 0)), ...beat(p.time), ...othersAt(p.time), Math.log(sure.get(t.drum)?.length ?? 1), ...around(i, first), clip(p.novelty, 0, 30) / 10,
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
  /** Whether strokes of a cymbal (seconds) sound on. */
  function ring(at: readonly number[]): boolean {
    return quantile(at.flatMap((t) => places.flatMap((p) => (p.time === t ? [p.fallDb] : []))), 0.8) < RING_DB;
  }
  /** Whether no other drum may have been struck at a moment. */
  function isAlone(at: number): boolean {
    return !others.some((t) => Math.abs(t - at) < LONE_S);
  }
  /** Moments that may be a cymbal's strokes and that nothing else explains, seconds. `clear`: those that are known; `least`: how much likely ones leave unexplained. */
  async function unknown(k: number, clear: readonly number[], least: number): Promise<number[]> {
    const at = places.map((p) => p.time);
    const taught: Known[] = [];
    for (const [drum, list] of showing(sure, names)) {
      taught.push({ drum, at: list.map((_, i) => at.length + i) });
      at.push(...list);
    }
    const [soon] = await spectra([Float64Array.from(at)]);
    const left = await ears[0].unexplained(soon, taught);
    return places.flatMap((p, i) => {
      const mine = p.certainty[k];
      const alone = p.novelty >= LONE_DB && mine > LONE && isAlone(p.time);
      const loud = p.novelty >= UNEXPLAINED_DB && left[i] > (mine > LIKELIER ? least : UNEXPLAINED);
      const free = places.every((q) => Math.abs(q.time - p.time) > SAME_S || q.certainty.every((c, o) => o === k || c < MAYBE));
      const top = places.every((q, j) => j === i || Math.abs(q.time - p.time) > SAME_S || q.certainty[k] < mine || (q.certainty[k] === mine && j > i));
      return (alone || loud) && p.fallDb < RINGS_DB && free && top && !clear.includes(p.time) ? [p.time] : [];
    });
  }
  /** How sure it is that drums of each kind were struck at a moment. */
  function othersAt(at: number): number[] {
    const out = OTHERS.map(() => LEAST_LOGIT);
    for (const { kind, time, certainty: c } of beside) for (let j = firstIndex(time.length, (i) => time[i] > at - SAME_S); j < time.length && time[j] < at + SAME_S; j++) out[kind] = Math.max(out[kind], logit(c[j]));
    return out;
  }
}

/** What the third pass thinks; what the second did where it knows too little or has no network. */
export const judgeFar = (tracks: readonly FarTrack[], networks: NetworkSet, ears: readonly Ear[]): Promise<Float64Array[]> =>
  shareOut(ears, tracks.map((t) => (ear: Ear) => {
    const net = networks[t.network];
    if (!net || !t.features) return t.certainty;
    if (net.inputs !== t.count) throw new RangeError(`the third network of ${t.network} takes ${net.inputs} features, not ${t.count}: train it anew`);
    return ear.certainties(net, t.features);
  }));

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

/** How much of a candidate's rise in the highs is gone 60 to 110 ms later, dB. */
const fallOf = (s: Source, i: number): number => HIGHS.reduce((sum, b) => sum + s.rises[RISE_BANDS.length * i + b] - s.later[RISE_BANDS.length * i + b], 0) / HIGHS.length;

/** Strokes (seconds) of a cymbal that are surer than this and not the other's too. */
function surerThan(places: readonly Place[], k: number, least: number): number[] {
  const time = Float64Array.from(places, (p) => p.time);
  const mine = Float64Array.from(places, (p) => p.certainty[k]);
  return choose(time, mine, THRESHOLD).filter((i) => mine[i] > least && places[i].certainty.every((c, o) => o === k || c < THRESHOLD)).map((i) => time[i]);
}

/** Strokes (seconds) of a crash that is sure of too few to be known by, where likely ones ring long enough and one at least is sure; none otherwise. */
function likelyCrashes(places: readonly Place[], k: number): number[] {
  const likely = surerThan(places, k, LIKELY).flatMap((t) => places.filter((p) => p.time === t && p.fallDb < CRASH_RINGS_DB));
  const sure = likely.filter((p) => p.certainty[k] > SURE).length;
  return sure >= ENOUGH_SURE || (sure > 0 && likely.length >= ENOUGH_KNOWN) ? likely.map((p) => p.time) : [];
}

/** Sure strokes of every drum, and what drums with close mics may have struck, seconds. */
function sureStrokes(tracks: readonly Track[], certainty: readonly Float64Array[], places: readonly Place[], far: readonly string[]): { readonly sure: Map<string, readonly number[]>; readonly others: readonly number[] } {
  const sure = new Map<string, readonly number[]>();
  const others: number[] = [];
  tracks.forEach((t, k) => {
    if (isFar(t)) return;
    sure.set(t.drum, choose(t.source.time, certainty[k], THRESHOLD).filter((i) => certainty[k][i] > SURE).map((i) => t.source.time[i]));
    for (let i = 0; i < t.source.n; i++) if (certainty[k][i] > MAYBE) others.push(t.source.time[i]);
  });
  far.forEach((drum, k) => {
    sure.set(drum, surerThan(places, k, SURE));
  });
  return { sure, others };
}

/** Of each drum's sure strokes those that show it best: alone, else without cymbals, else all. */
function showing(sure: ReadonlyMap<string, readonly number[]>, far: readonly string[]): Map<string, number[]> {
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
