/**
 * What the finding of hits knows of a recording: its mics, the candidates of every drum, and the power of each candidate in all
 * mics and bands, after and before. Everything later works on these; the audio is read once a mic.
 */
import { type Candidates, findCandidates, quantile } from './candidates';
import { type HitKernels, createHitKernels } from '../kernels/hitKernels';
import { readSpectra } from './eventSpectra';
import { ATTACK_BAND, BANDS, type Kind, RISES_IN, SWELL_S, kindOf, ownBands } from './kinds';
import { pickOnsets } from './pickOnset';

export interface SongMic {
  /** Drum the mic belongs to, or null. */
  readonly own: string | null;
  readonly overhead: boolean;
}

/** Name of the source "whatever the overheads hear that no close mic owns". */
export const CYMBALS = 'cymbals';

export interface Source {
  readonly drum: string;
  readonly kind: Kind;
  /** The drum's first own mic, or the first overhead. */
  readonly main: number;
  readonly own: readonly number[];
  /** Pattern bands in the drum's range. */
  readonly bands: readonly number[];
  readonly n: number;
  /** Refined, seconds, rising. */
  readonly time: Float64Array;
  /** The same at the first own mic: what is told as the hit's time. */
  readonly heard: Float64Array;
  readonly novelty: Float32Array;
  readonly rises: Float32Array;
  readonly later: Float32Array;
  readonly long: Float32Array;
  /** n x cells: power after and before, floored; and what came in between. */
  readonly after: Float32Array;
  readonly before: Float32Array;
  readonly added: Float32Array;
  /** Toms with three other mics and more: how much closer the event is to this mic than usual spill, dB. */
  closeness: Float32Array | null;
  /** Mean of the five largest increments in the drum's range at its main mic. */
  reference: number;
}

export interface Song {
  readonly rate: number;
  readonly mics: readonly SongMic[];
  readonly cells: number;
  readonly overheads: readonly number[];
  readonly sources: ReadonlyMap<string, Source>;
  /** One number a cell that brings powers near 1. */
  readonly scale: Float32Array;
  readonly kernels: HitKernels;
  /** Those with a close mic. */
  readonly drums: readonly string[];
}

const NEAR_S = 0.002;
/** The far overhead hears later than both together, by up to some 2 m. */
const LATER_S = 0.003;
/** Rides are soft in overheads. */
const FAR_THRESHOLD_DB = 3;

/** Refines times, drops those that meet, keeps the rest in order. */
function refine(c: Candidates, x: Float32Array, rate: number, kind: Kind): Candidates {
  const time = pickOnsets(x, rate, c.time, ATTACK_BAND[kind], SWELL_S[kind]);
  const order = Array.from(time.keys()).sort((a, b) => time[a] - time[b]);
  const kept = order.filter((i, k) => k === 0 || time[i] - time[order[k - 1]] > NEAR_S);
  return {
    time: Float64Array.from(kept, (i) => time[i]),
    novelty: Float32Array.from(kept, (i) => c.novelty[i]),
    rises: Float32Array.from(kept.flatMap((i) => Array.from(c.rises.subarray(7 * i, 7 * i + 7)))),
    later: Float32Array.from(kept.flatMap((i) => Array.from(c.later.subarray(7 * i, 7 * i + 7)))),
    long: Float32Array.from(kept.flatMap((i) => Array.from(c.long.subarray(7 * i, 7 * i + 7)))),
  };
}

const db10 = (v: number) => 10 * Math.log10(v + 1e-30);

/** Increment of a candidate in given bands of a mic. */
export const addedIn = (s: Source, cells: number, i: number, mic: number, bands: readonly number[]): number => {
  let e = 0;
  for (const b of bands) e += s.added[i * cells + mic * BANDS + b];
  return e;
};

export const topMean = (values: Float64Array | number[], count = 5): number => {
  const v = Float64Array.from(values).sort();
  const top = v.subarray(Math.max(0, v.length - count));
  return top.length ? top.reduce((a, b) => a + b, 0) / top.length : 0;
};

/**
 * Reads the recording. `read(mic)` gives the samples of one mic (all of one length, `rate` in Hz); each is asked for at most twice
 * and not kept. `progress` is told 0..1 and may throw to cancel.
 */
export async function readSong(rate: number, mics: readonly SongMic[], read: (mic: number) => Float32Array | Promise<Float32Array>, progress: (done: number) => void | Promise<void> = () => {}): Promise<Song> {
  const cells = mics.length * BANDS;
  const overheads = mics.flatMap((m, i) => (m.overhead ? [i] : []));
  const groups = new Map<string, number[]>();
  mics.forEach((m, i) => {
    if (m.own) groups.set(m.own, [...(groups.get(m.own) ?? []), i]);
  });
  const plans = [...groups].map(([drum, own]) => ({ drum, kind: kindOf(drum), own, main: own[0] }));
  if (overheads.length) plans.push({ drum: CYMBALS, kind: 'cymbal', own: [...overheads], main: overheads[0] });
  const steps = plans.length + mics.length;
  let done = 0;
  const kernels = createHitKernels();
  const found: Candidates[] = [];
  const heard: Float64Array[] = [];
  for (const p of plans) {
    let x = await read(p.main);
    if (p.drum === CYMBALS && overheads.length > 1) {
      x = x.slice();
      for (const o of overheads.slice(1)) {
        const y = await read(o);
        for (let i = 0; i < x.length; i++) x[i] += y[i];
      }
    }
    kernels.load(x);
    const candidates = findCandidates(kernels, rate, RISES_IN[p.kind], p.drum === CYMBALS ? FAR_THRESHOLD_DB : undefined);
    const refined = refine(candidates, x, rate, p.kind);
    found.push(refined);
    // what is far from every mic is timed at the first overhead, and looked at where both overheads together hear it
    heard.push(p.drum === CYMBALS ? pickOnsets(await read(p.main), rate, refined.time.map((t) => t + LATER_S), ATTACK_BAND[p.kind]) : refined.time);
    await progress(++done / steps);
  }
  const after = found.map((c) => new Float32Array(c.time.length * cells));
  const before = found.map((c) => new Float32Array(c.time.length * cells));
  for (let m = 0; m < mics.length; m++) {
    kernels.load(await read(m));
    found.forEach((c, k) => {
      const powers = readSpectra(kernels, rate, c.time);
      for (let i = 0; i < c.time.length; i++) {
        after[k].set(powers.subarray(2 * i * BANDS, (2 * i + 1) * BANDS), i * cells + m * BANDS);
        before[k].set(powers.subarray((2 * i + 1) * BANDS, (2 * i + 2) * BANDS), i * cells + m * BANDS);
      }
    });
    await progress(++done / steps);
  }
  // what is always there, by cell
  const total = before.reduce((n, b) => n + b.length / cells, 0);
  const every = Math.max(1, Math.floor(total / 3000));
  const floor = new Float32Array(cells);
  const scale = new Float32Array(cells);
  for (let f = 0; f < cells; f++) {
    const column: number[] = [];
    for (const b of before) for (let i = 0; i < b.length / cells; i += every) column.push(b[i * cells + f]);
    floor[f] = quantile(column, 0.02) + 1e-14;
    scale[f] = 1 / (quantile(column, 0.5) + floor[f]);
  }
  const sources = new Map<string, Source>();
  plans.forEach((p, k) => {
    const n = found[k].time.length;
    const added = new Float32Array(n * cells);
    for (let j = 0; j < n * cells; j++) {
      added[j] = Math.max(after[k][j] - before[k][j], 0.02 * after[k][j]) + 1e-16;
      after[k][j] += floor[j % cells];
      before[k][j] += floor[j % cells];
    }
    const s: Source = { ...p, ...found[k], heard: heard[k], bands: ownBands(p.kind), n, after: after[k], before: before[k], added, closeness: null, reference: 0 };
    s.reference = topMean(Float64Array.from({ length: n }, (_, i) => addedIn(s, cells, i, s.main, s.bands)));
    s.closeness = closenessOf(s, mics, cells);
    sources.set(p.drum, s);
  });
  return { rate, mics, cells, overheads, sources, scale, kernels, drums: [...groups.keys()] };
}

function closenessOf(s: Source, mics: readonly SongMic[], cells: number): Float32Array | null {
  const others = mics.flatMap((m, i) => (m.own !== s.drum ? [i] : []));
  if (s.kind !== 'tom' || others.length < 3 || s.n === 0) return null;
  const own = Array.from({ length: s.n }, (_, i) => db10(addedIn(s, cells, i, s.main, s.bands)));
  const k = own.map((v, i) => v - quantile(others.map((m) => db10(addedIn(s, cells, i, m, s.bands))), 0.5));
  const loud = own.map((v) => v - topMean(own));
  const usual = k.filter((_, i) => loud[i] > -25 && s.novelty[i] > 8);
  // where there is little spill the loud events are the drum's own: then the rest tells what spill is like
  const level = Math.min(quantile(k, 0.3), usual.length > 5 ? quantile(usual, 0.3) : Number.POSITIVE_INFINITY);
  return Float32Array.from(k, (v) => v - level);
}
