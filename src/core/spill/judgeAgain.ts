/**
 * Whether a drum was struck, judged once more where both findings of hits and the de-bled mic itself can be asked: a stroke of the drum stays in its mic at the level it had
 * there, rises and rings on as the others do; what was another drum's went with it. Logistic regression, by kind of drum.
 */
import { type BandSteps, quantile } from '../hits/candidates';
import type { FoundHit } from '../hits/detectHits';
import type { NearEar } from '../hits/ears';
import type { Grain } from '../hits/eventSpectra';
import type { Kind } from '../hits/kinds';

/** What `npm run train -- --again` learnt from made recordings. */
export interface Weighing {
  /** Of the features, over all drums. */
  readonly mean: readonly number[];
  readonly scale: readonly number[];
  /** By kind of drum, or by cymbal: a weight for each feature, brought to mean 0 and scale 1, and a constant. */
  readonly weights: Readonly<Record<string, readonly number[]>>;
}

export interface Judge {
  /** Drums with close mics, by kind. */
  readonly near: Weighing;
  /** Cymbals that only the overheads hear, by name (farFeatures). */
  readonly far: Weighing;
}

/** Hits nearer than this are the same stroke, seconds. */
export const SAME_S = 0.02;
const PER_SECOND = 1000;
/** Band in which a drum is told from what is left of others, Hz. */
const BAND: Record<Kind, readonly [number, number]> = { kick: [30, 160], snare: [180, 8000], tom: [60, 450], hat: [3000, 15000], cymbal: [2000, 15000] };
/** Windows around an attack, ms: a stroke's level, what was there before, how it goes on. */
const STROKE = [0, 40] as const;
const BEFORE = [-30, -4] as const;
const ATTACK = [0, 10] as const;
const ON = [60, 120] as const;
const FIRST = [0, 5] as const;
const JUST_BEFORE = [-8, -2] as const;
const BODY = [10, 40] as const;
const AFTER = [40, 80] as const;
/** Strokes surer than this say how the drum's strokes are. */
const SURE = 0.6;

/** Spectra just after and before a stroke, by which it is held against the drum's sure ones. */
export const STROKE_GRAIN: Grain = { edges: [40, 110, 250, 600, 1500, 4000, 9000, 16000], windowS: 1024 / 48000 };
const BANDS = STROKE_GRAIN.edges.length - 1;

/** A stroke that either finding heard. */
export interface Candidate {
  readonly hit: FoundHit;
  readonly first: number;
  readonly again: number;
}

/** A person's stroke: what a finding says is never quite certain. */
export const SAID = 1;
/** Strokes surer than this are moved to where their attacks begin. */
const LIKELY = 0.4;
/** In a de-bled mic no more than the drum itself swells before its attack: a stroke may be moved back by so much more than in a raw one, seconds. */
const BACK_S = 0.004;
/** Never so near to the stroke before, seconds. */
const APART_S = 0.008;

/** Tells where strokes at these times begin; see alignAttacks. */
export type Align = (times: readonly number[], strengths: readonly number[], earlierS: number) => number[] | Promise<number[]>;

/** The candidates, in order of time, with likely ones moved back to where they begin in the de-bled mic: attacks under other drums' are told late in the raw one. None is moved later, and none that a person set. */
export async function movedBack(list: readonly Candidate[], align: Align): Promise<Candidate[]> {
  const likely = list.flatMap((c, i) => (Math.max(c.first, c.again) > LIKELY ? [i] : []));
  const times = await align(likely.map((i) => list[i].hit.time), likely.map((i) => (list[i].hit.strength * (list[i].first + list[i].again)) / 2), BACK_S);
  const begin = new Map(likely.map((i, k) => [i, times[k]]));
  let last = Number.NEGATIVE_INFINITY;
  return list.map((c, i) => {
    const time = begin.get(i) ?? c.hit.time;
    const moved = c.first !== SAID && time < c.hit.time && time - last >= APART_S ? { ...c, hit: { ...c.hit, time } } : c;
    last = moved.hit.time;
    return moved;
  });
}

/** Whether both findings are sure of it. */
export const sureOf = (c: Candidate): boolean => c.first > SURE && c.again > SURE;

/** A stroke that the second finding tells later than the first by more than this, seconds, begins where the second says: the first took another drum's attack for it. Of 232 in 40 made recordings 221 did; of those told as much earlier half. */
const LATER_S = 0.003;

/** The candidates of both findings in order of time; a stroke that both heard is one, as the first tells it, but for its time where LATER_S says so. What a person said stays. */
export function candidatesOf(first: readonly FoundHit[], again: readonly FoundHit[]): Candidate[] {
  const used = new Set<FoundHit>();
  const seconds = new Map<FoundHit, FoundHit>();
  // those at one time first: a doubtful one a little earlier is not the same
  for (const apart of [LATER_S, SAME_S]) {
    for (const hit of first) {
      const second = seconds.has(hit) ? undefined : again.find((x) => !used.has(x) && Math.abs(x.time - hit.time) < apart);
      if (!second) continue;
      used.add(second);
      seconds.set(hit, second);
    }
  }
  const joined = first.map((hit) => {
    const second = seconds.get(hit);
    const later = second && hit.certainty !== SAID && second.time - hit.time > LATER_S;
    return { hit: later ? { ...hit, time: second.time } : hit, first: hit.certainty, again: second?.certainty ?? 0 };
  });
  return [...joined, ...again.filter((h) => !used.has(h)).map((hit) => ({ hit, first: 0, again: hit.certainty }))].sort((a, b) => a.hit.time - b.hit.time);
}

const db = (p: number) => 10 * Math.log10(p + 1e-12);
const clip = (v: number, low: number, high: number) => Math.max(low, Math.min(high, v));
const logit = (c: number) => Math.log(clip(c, 0.02, 0.98) / (1 - clip(c, 0.02, 0.98)));

/** Means over windows given in ms against a time in ms. */
export function meter(power: Float64Array): (at: number, window: readonly [number, number]) => number {
  const sum = new Float64Array(power.length + 1);
  for (let i = 0; i < power.length; i++) sum[i + 1] = sum[i] + power[i];
  return (at, [from, to]) => {
    const [a, z] = [clip(at + from, 0, power.length), clip(at + to, 0, power.length)];
    return z > a ? (sum[z] - sum[a]) / (z - a) : 0;
  };
}

/** Ranges of what is told against the drum's sure strokes, dB: level, level in its band, what is kept of the raw mic there, attack, how it goes on, the same in its band, share of the band. */
const AGAINST_SURE: readonly (readonly [number, number])[] = [[-45, 15], [-45, 15], [-30, 6], [-15, 10], [-20, 20], [-20, 20], [-20, 20]];
/** Of these, how a stroke goes on: closed and open hats differ in it more than hats from cymbals, so of those it is not asked. */
const GOES_ON = new Set([3, 4, 5]);
/** Beside these: certainty of both findings together, three rises, how near another drum's stroke is, how long ago the last own one, strength, the rise of what the first finding did not hear. */
const AROUND = 8;
/** Certainty by each finding, whether either heard nothing, how long until the next own stroke, level against the last one, likeness of spectrum twice, how sharply it comes, swells and falls. */
const CLOSELY = 11;
/** In each band: what is added against sure strokes, what of the raw mic is kept against them, how it rises. */
const IN_BANDS = 3 * BANDS;
/** Bands of STROKE_GRAIN in which a drum's strokes are heard, first and end: elsewhere little may be kept of a mic in which it was struck. */
const HEARD_IN: Record<Kind, readonly [number, number]> = { kick: [0, 3], tom: [0, 3], snare: [1, BANDS], hat: [0, BANDS], cymbal: [0, BANDS] };
export const FEATURES = AGAINST_SURE.length + AROUND + CLOSELY + IN_BANDS;
/** Of cymbals: what is heard in bands says nothing more of them, and the other cymbal does. */
export const FAR_FEATURES = FEATURES - IN_BANDS + 1;
/** Of each feature 1 where more of it never speaks against a stroke, -1 where never for one, otherwise 0. */
export const SIGNS: readonly number[] = [
  ...[1, 1, 1, 0, 0, 0, 0],
  ...[1, 1, 1, 0, 1, 0, 0, 0],
  ...[1, 1, -1, -1, 0, 0, 1, -1, 1, 0, 0],
  ...Array.from({ length: IN_BANDS }, () => 1),
];
export const FAR_SIGNS: readonly number[] = [...SIGNS.slice(0, FAR_FEATURES - 1), -1];
/** Which of the features is the mean of both certainties, as a log of odds. */
export const MEAN_CERTAINTY = AGAINST_SURE.length;
/** Which is how like the drum's sure strokes its spectrum is, 0..1. */
export const LIKENESS = AGAINST_SURE.length + AROUND + 6;

/** What one mic gives: powers in steps of a millisecond, and for each candidate powers by STROKE_GRAIN, after and before. */
export interface Told {
  readonly steps: ReturnType<BandSteps>;
  readonly spectra: Float32Array;
}

/** Shares of each band in what a stroke adds, as amplitudes: of length 1. */
function shapeOf(added: readonly number[]): number[] {
  const sum = added.reduce((a, b) => a + b, 0);
  return added.map((v) => Math.sqrt(v / sum));
}

/** In bands, by candidate: see IN_BANDS; and how like the drum's sure strokes its spectrum is, 0..1. */
function inBands(raw: Float32Array, kept: Float32Array, sure: readonly number[], count: number, [low, end]: readonly [number, number]): { values: number[]; likeness: number }[] {
  const bands = Array.from({ length: BANDS }, (_, b) => b);
  const after = (x: Float32Array, i: number, b: number) => x[2 * i * BANDS + b];
  const before = (x: Float32Array, i: number, b: number) => x[(2 * i + 1) * BANDS + b];
  const rows = Array.from({ length: count }, (_, i) => {
    const added = bands.map((b) => Math.max(0, after(kept, i, b) - before(kept, i, b)) + LEAST_POWER);
    return {
      added: added.map(db), shape: shapeOf(added),
      share: bands.map((b) => db(after(kept, i, b)) - db(after(raw, i, b))),
      rises: bands.map((b) => clip(db(after(kept, i, b)) - db(before(kept, i, b)), -10, 30)),
    };
  });
  const known = sure.length ? sure.map((i) => rows[i]) : rows;
  const usual = (of: (row: (typeof rows)[number]) => readonly number[]) => bands.map((b) => quantile(known.map((row) => of(row)[b]), 0.5));
  const [added, share] = [usual((r) => r.added), usual((r) => r.share)];
  const shape = shapeOf(bands.map((b) => (known.reduce((a, r) => a + r.shape[b], 0) / Math.max(1, known.length)) ** 2 + LEAST_POWER));
  return rows.map((r) => ({
    values: [...r.added.map((v, b) => clip(v - added[b], -50, 15)), ...r.share.map((v, b) => (b >= low && b < end ? clip(v - share[b], -30, 6) : 0)), ...r.rises],
    likeness: r.shape.reduce((a, v, b) => a + v * shape[b], 0),
  }));
}
const LEAST_POWER = 1e-13;

/**
 * What is known of each candidate: FEATURES values each, in no unit or dB. `raw`, `kept`: of the mic and of what de-bleed leaves of it; `others`: times of
 * other drums' strokes, rising, seconds.
 */
export function featuresOf(list: readonly Candidate[], raw: Told, kept: Told, others: readonly number[], kind: Kind): Float32Array {
  const [inRaw, inKept, rawBand, keptBand] = [meter(raw.steps.all), meter(kept.steps.all), meter(raw.steps.band), meter(kept.steps.band)];
  const at = list.map((c) => Math.round(c.hit.time * PER_SECOND));
  const told = at.map((t) => {
    const [level, band] = [db(inKept(t, STROKE)), db(keptBand(t, STROKE))];
    return [level, band, band - db(rawBand(t, STROKE)), db(inKept(t, ATTACK)) - level, db(inKept(t, ON)) - level, db(keptBand(t, ON)) - band, band - level];
  });
  const sure = list.flatMap((c, i) => (sureOf(c) ? [i] : []));
  const known = sure.length ? sure.map((i) => told[i]) : told;
  const usual = AGAINST_SURE.map((_, k) => quantile(known.map((row) => row[k]), 0.5));
  const spectra = inBands(raw.spectra, kept.spectra, sure, list.length, HEARD_IN[kind]);
  const strong = list.map((c) => Math.max(c.first, c.again) >= SURE);
  const next: number[] = [];
  for (let i = list.length - 1, after = -1; i >= 0; i--) {
    next[i] = after;
    if (strong[i]) after = i;
  }
  const gap = (from: number, to: number) => Math.log10(clip(from < 0 || to < 0 ? 1 : list[to].hit.time - list[from].hit.time, 0.02, 1));
  const out = new Float32Array(list.length * FEATURES);
  let [near, last] = [0, -1];
  list.forEach((c, i) => {
    const { time, strength } = c.hit;
    const t = at[i];
    while (near < others.length - 1 && Math.abs(others[near + 1] - time) <= Math.abs(others[near] - time)) near++;
    const rises = [inKept, keptBand, inRaw].map((m) => clip(db(m(t, STROKE)) - db(m(t, BEFORE)), -10, 30));
    const { likeness, values } = spectra[i];
    out.set([
      ...told[i].map((v, k) => (kind === 'hat' && GOES_ON.has(k) ? 0 : clip(v - usual[k], ...AGAINST_SURE[k]))),
      logit((c.first + c.again) / 2), ...rises,
      Math.log10(clip(others.length ? Math.abs(others[near] - time) : 1, 0.003, 0.3)),
      gap(last, i),
      clip(20 * Math.log10(Math.max(strength, 1e-3)), -45, 0),
      c.first === 0 ? Math.max(0, rises[0]) : 0,
      logit(c.first), logit(c.again), c.first === 0 ? 1 : 0, c.again === 0 ? 1 : 0,
      gap(i, next[i]),
      last < 0 ? 0 : clip(told[i][1] - told[last][1], -40, 20),
      likeness, Math.log(Math.max(0.001, 1.001 - likeness)),
      clip(db(inKept(t, FIRST)) - db(inKept(t, JUST_BEFORE)), -10, 30),
      clip(db(keptBand(t, BODY)) - db(keptBand(t, ATTACK)), -15, 15),
      clip(db(keptBand(t, AFTER)) - db(keptBand(t, STROKE)), -20, 10),
      ...values,
    ], i * FEATURES);
    if (strong[i]) last = i;
  });
  return out;
}

/** Powers of several mics added up. */
const together = (parts: readonly Told[]): Told =>
  parts.length === 1 ? parts[0] : {
    steps: { all: sumOf(parts.map((p) => p.steps.all)), band: sumOf(parts.map((p) => p.steps.band)) },
    spectra: sumOf(parts.map((p) => p.spectra)),
  };

function sumOf<T extends Float32Array | Float64Array>(lists: readonly T[]): T {
  const out = lists[0].slice() as T;
  for (const l of lists.slice(1)) for (let i = 0; i < out.length; i++) out[i] += l[i];
  return out;
}

/** What is known of each candidate in its drum's mic, or in all overheads together; see featuresOf. `raw`, `kept`: samples of each mic. */
export function witness(raw: readonly Float32Array[], kept: readonly Float32Array[], rate: number, kind: Kind, list: readonly Candidate[], others: readonly number[], ear: Pick<NearEar, 'steps' | 'powers'>): Float32Array {
  const times = Float64Array.from(list, (c) => c.hit.time);
  const told = (x: Float32Array): Told => ({ steps: ear.steps(x, rate, PER_SECOND, BAND[kind][0], BAND[kind][1]), spectra: ear.powers(x, rate, [times], STROKE_GRAIN)[0] });
  return featuresOf(list, together(raw.map(told)), together(kept.map(told)), others, kind);
}

/** Of cymbals' candidates: FEATURES but for those in bands, and how sure it is that another cymbal was struck then. `features`: FEATURES by candidate of `list`; `beside`: candidates of other cymbals. */
export function farFeatures(features: Float32Array, list: readonly Candidate[], beside: readonly Candidate[]): Float32Array {
  const out = new Float32Array(list.length * FAR_FEATURES);
  list.forEach((c, i) => {
    out.set(features.subarray(i * FEATURES, i * FEATURES + FAR_FEATURES - 1), i * FAR_FEATURES);
    out[(i + 1) * FAR_FEATURES - 1] = logit(Math.max(0, ...beside.flatMap((o) => (Math.abs(o.hit.time - c.hit.time) < SAME_S ? [(o.first + o.again) / 2] : []))));
  });
  return out;
}

/** Certainties 0..1 of rows of features: logistic regression. Null where it knows nothing of `drum`. */
export function certaintiesAgain(by: Weighing, drum: string, features: Float32Array): number[] | null {
  const w = by.weights[drum];
  if (!w) return null;
  const count = by.mean.length;
  return Array.from({ length: features.length / count }, (_, r) => {
    let z = w[count];
    for (let k = 0; k < count; k++) z += (w[k] * (features[r * count + k] - by.mean[k])) / by.scale[k];
    return 1 / (1 + Math.exp(-z));
  });
}
