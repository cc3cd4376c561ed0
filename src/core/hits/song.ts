/**
 * What the finding of hits knows of a recording: its mics, the candidates of every drum, and the power of each candidate in all
 * mics and bands, after and before. Everything later works on these; the audio is read once a mic.
 */
import { roomFor } from '../dsp/room';
import { type HitKernels, createHitKernels } from '../kernels/hitKernels';
import { mergeCandidates, onlyCandidates, quantile, rowsOf } from './candidates';
import type { Lend } from '../lend';
import { type Ear, createEar, shareOut } from './ears';
import { BANDS, type Kind, kindOf, ownBands } from './kinds';
import { type SongMic, ownMics } from './ownMics';

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

/** The far overhead hears later than both together, by up to some 2 m. */
const LATER_S = 0.003;

/** A mic in which nothing rises by this much, dB, hears no drum at all: noise came to 12, the quietest drums of made recordings to 41. */
const STRUCK_DB = 20;

const db10 = (v: number) => 10 * Math.log10(v + 1e-30);

/** A source with some of its candidates only. */
export function onlySource(s: Source, cells: number, which: readonly number[]): Source {
  const rows = (v: Float32Array) => rowsOf(v, cells, which);
  return {
    ...s, ...onlyCandidates(s, which), n: which.length, heard: Float64Array.from(which, (i) => s.heard[i]), closeness: s.closeness && Float32Array.from(which, (i) => s.closeness?.[i] ?? 0),
    after: rows(s.after), before: rows(s.before), added: rows(s.added),
  };
}

/** Increment of a candidate in given bands of a mic. */
export const addedIn = (s: Source, cells: number, i: number, mic: number, bands: readonly number[]): number => {
  let e = 0;
  for (const b of bands) e += s.added[i * cells + mic * BANDS + b];
  return e;
};

/** Power that an event adds, from what is there after and before; never quite nothing. */
export const increment = (after: number, before: number): number => Math.max(after - before, 0.02 * after) + 1e-16;

export const topMean = (values: Float64Array | number[], count = 5): number => {
  const v = Float64Array.from(values).sort();
  const top = v.subarray(Math.max(0, v.length - count));
  return top.length ? top.reduce((a, b) => a + b, 0) / top.length : 0;
};

/**
 * Reads the recording. `lend` gives the samples of one mic (all of one length, `rate` in Hz); each is asked for a few times and not
 * kept. `progress` is told 0..1 and may throw to cancel.
 */
export async function readSong(
  rate: number, mics: readonly SongMic[], lend: Lend, progress: (done: number) => void | Promise<void> = () => {}, ears: readonly Ear[] = [createEar()],
): Promise<Song> {
  const cells = mics.length * BANDS;
  const overheads = mics.flatMap((m, i) => (m.overhead ? [i] : []));
  const groups = new Map(mics.flatMap((m) => (m.own ? [[m.own, ownMics(mics, m.own)] as const] : [])));
  const plans = [...groups].map(([drum, own]) => ({ drum, kind: kindOf(drum), own, main: own[0] }));
  if (overheads.length) plans.push({ drum: CYMBALS, kind: 'cymbal', own: [...overheads], main: overheads[0] });
  const sumOfOverheads = async () => {
    let x: Float32Array = new Float32Array(0);
    for (const [k, o] of overheads.entries()) {
      await lend(o, (y) => {
        if (k === 0) x = roomFor(y.length);
        for (let i = 0; i < x.length; i++) x[i] += y[i];
      });
    }
    return x;
  };
  // what stands nearer to one overhead is heard best there, what stands between them where they are added
  const listened = plans.flatMap((p, plan) => (p.drum === CYMBALS ? [...overheads, ...(overheads.length > 1 ? [-1] : [])] : [p.main]).map((mic) => ({ plan, mic, kind: p.kind, far: p.drum === CYMBALS })));
  const steps = listened.length + mics.length;
  const heardIn = await shareOut(
    ears,
    listened.map(({ mic, kind, far }) => async (ear: Ear) => (mic < 0 ? ear.seek(await sumOfOverheads(), rate, kind, far) : lend(mic, (x) => ear.seek(x, rate, kind, far)))),
    (done) => progress(done / steps),
  );
  const found = await Promise.all(
    plans.map(async (p, plan) => {
      const lists = heardIn.filter((_, k) => listened[k].plan === plan);
      if (p.drum !== CYMBALS) {
        const near = topMean(Float64Array.from(lists[0].novelty)) < STRUCK_DB ? onlyCandidates(lists[0], []) : lists[0];
        return { ...near, heard: near.time };
      }
      const { list, from } = mergeCandidates(lists);
      // what is far from every mic is timed at the first overhead
      const picked = await lend(p.main, (x) => ears[0].pick(x, rate, list.time.map((t) => t + LATER_S), p.kind));
      return { ...list, heard: picked.map((t, i) => (from[i] === 0 ? list.time[i] : t)) };
    }),
  );
  const after = found.map((c) => new Float32Array(c.time.length * cells));
  const before = found.map((c) => new Float32Array(c.time.length * cells));
  const looking = mics.map((_, m) => async (ear: Ear) => {
    const all = await lend(m, (x) => ear.powers(x, rate, found.map((c) => c.time)));
    all.forEach((powers, k) => {
      for (let i = 0; i < found[k].time.length; i++) {
        after[k].set(powers.subarray(2 * i * BANDS, (2 * i + 1) * BANDS), i * cells + m * BANDS);
        before[k].set(powers.subarray((2 * i + 1) * BANDS, (2 * i + 2) * BANDS), i * cells + m * BANDS);
      }
    });
  });
  await shareOut(ears, looking, (done) => progress((listened.length + done) / steps));
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
      added[j] = increment(after[k][j], before[k][j]);
      after[k][j] += floor[j % cells];
      before[k][j] += floor[j % cells];
    }
    const s: Source = { ...p, ...found[k], bands: ownBands(p.kind), n, after: after[k], before: before[k], added, closeness: null, reference: 0 };
    s.reference = topMean(Float64Array.from({ length: n }, (_, i) => addedIn(s, cells, i, s.main, s.bands)));
    s.closeness = closenessOf(s, mics, cells);
    sources.set(p.drum, s);
  });
  return { rate, mics, cells, overheads, sources, scale, kernels: createHitKernels(), drums: [...groups.keys()] };
}

function closenessOf(s: Source, mics: readonly SongMic[], cells: number): Float32Array | null {
  const others = mics.flatMap((m, i) => (m.own !== s.drum ? [i] : []));
  if (s.kind !== 'tom' || others.length < 3 || s.n === 0) return null;
  const own = Array.from({ length: s.n }, (_, i) => db10(addedIn(s, cells, i, s.main, s.bands)));
  const k = own.map((v, i) => v - quantile(others.map((m) => db10(addedIn(s, cells, i, m, s.bands))), 0.5));
  const top = topMean(own);
  const loud = own.map((v) => v - top);
  const usual = k.filter((_, i) => loud[i] > -25 && s.novelty[i] > 8);
  // where there is little spill the loud events are the drum's own: then the rest tells what spill is like
  const level = Math.min(quantile(k, 0.3), usual.length > 5 ? quantile(usual, 0.3) : Number.POSITIVE_INFINITY);
  return Float32Array.from(k, (v) => v - level);
}
