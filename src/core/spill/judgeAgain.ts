/**
 * Whether a drum was struck, judged once more where both findings of hits and the de-bled mic itself can be asked: a stroke of the drum stays in its mic at the level it had
 * there, rises and rings on as the others do; what was another drum's went with it. Logistic regression, by kind of drum.
 */
import type { FoundHit } from '../hits/detectHits';
import { type BandSteps, quantile } from '../hits/candidates';
import type { Kind } from '../hits/kinds';

/** What `npm run train -- --again` learnt from made recordings. */
export interface Judge {
  /** Of the features, over all drums. */
  readonly mean: readonly number[];
  readonly scale: readonly number[];
  /** By kind: a weight for each feature, brought to mean 0 and scale 1, and a constant. */
  readonly weights: Readonly<Record<Exclude<Kind, 'cymbal'>, readonly number[]>>;
}

/** Hits nearer than this are the same stroke, seconds. */
const SAME_S = 0.02;
const PER_SECOND = 1000;
/** Band in which a drum is told from what is left of others, Hz. */
const BAND: Record<Kind, readonly [number, number]> = { kick: [30, 160], snare: [180, 8000], tom: [60, 450], hat: [3000, 15000], cymbal: [2000, 15000] };
/** Windows around an attack, ms: a stroke's level, what was there before, how it goes on. */
const STROKE = [0, 40] as const;
const BEFORE = [-30, -4] as const;
const ATTACK = [0, 10] as const;
const ON = [60, 120] as const;
/** Strokes surer than this say how the drum's strokes are. */
const SURE = 0.6;

/** A stroke that either finding heard. */
export interface Candidate {
  readonly hit: FoundHit;
  readonly first: number;
  readonly again: number;
}

/** Whether both findings are sure of it. */
export const sureOf = (c: Candidate): boolean => c.first > SURE && c.again > SURE;

/** The candidates of both findings in order of time; a stroke that both heard is one, as the first tells it. */
export function candidatesOf(first: readonly FoundHit[], again: readonly FoundHit[]): Candidate[] {
  const used = new Set<FoundHit>();
  const joined = first.map((hit) => {
    const second = again.find((x) => !used.has(x) && Math.abs(x.time - hit.time) < SAME_S);
    if (second) used.add(second);
    return { hit, first: hit.certainty, again: second?.certainty ?? 0 };
  });
  return [...joined, ...again.filter((h) => !used.has(h)).map((hit) => ({ hit, first: 0, again: hit.certainty }))].sort((a, b) => a.hit.time - b.hit.time);
}

type Powers = ReturnType<BandSteps>;

const db = (p: number) => 10 * Math.log10(p + 1e-12);
const clip = (v: number, low: number, high: number) => Math.max(low, Math.min(high, v));
const logit = (c: number) => Math.log(clip(c, 0.02, 0.98) / (1 - clip(c, 0.02, 0.98)));

/** Means over windows given in ms against a time in ms. */
function meter(power: Float64Array): (at: number, window: readonly [number, number]) => number {
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
export const FEATURES = AGAINST_SURE.length + 8;
/** Which of the features is the mean of both certainties, as a log of odds. */
export const MEAN_CERTAINTY = AGAINST_SURE.length;

/**
 * What is known of each candidate: FEATURES values each, in no unit or dB. `raw`, `kept`: powers of the mic and of what de-bleed leaves of it; `others`: times of
 * other drums' strokes, rising, seconds.
 */
export function featuresOf(list: readonly Candidate[], raw: Powers, kept: Powers, others: readonly number[], kind: Kind): Float32Array {
  const [inRaw, inKept, rawBand, keptBand] = [meter(raw.all), meter(kept.all), meter(raw.band), meter(kept.band)];
  const at = list.map((c) => Math.round(c.hit.time * PER_SECOND));
  const told = at.map((t) => {
    const [level, band] = [db(inKept(t, STROKE)), db(keptBand(t, STROKE))];
    return [level, band, band - db(rawBand(t, STROKE)), db(inKept(t, ATTACK)) - level, db(inKept(t, ON)) - level, db(keptBand(t, ON)) - band, band - level];
  });
  const sure = told.filter((_, i) => sureOf(list[i]));
  const usual = AGAINST_SURE.map((_, k) => quantile((sure.length ? sure : told).map((row) => row[k]), 0.5));
  const out = new Float32Array(list.length * FEATURES);
  let [near, last] = [0, -1];
  list.forEach((c, i) => {
    const { time, strength } = c.hit;
    while (near < others.length - 1 && Math.abs(others[near + 1] - time) <= Math.abs(others[near] - time)) near++;
    const rises = [inKept, keptBand, inRaw].map((m) => clip(db(m(at[i], STROKE)) - db(m(at[i], BEFORE)), -10, 30));
    out.set(told[i].map((v, k) => (kind === 'hat' && GOES_ON.has(k) ? 0 : clip(v - usual[k], ...AGAINST_SURE[k]))), i * FEATURES);
    out.set([
      logit((c.first + c.again) / 2), ...rises,
      Math.log10(clip(others.length ? Math.abs(others[near] - time) : 1, 0.003, 0.3)),
      Math.log10(clip(last < 0 ? 1 : time - list[last].hit.time, 0.02, 1)),
      clip(20 * Math.log10(Math.max(strength, 1e-3)), -45, 0),
      c.first === 0 ? Math.max(0, rises[0]) : 0,
    ], i * FEATURES + AGAINST_SURE.length);
    if (Math.max(c.first, c.again) >= SURE) last = i;
  });
  return out;
}

/** What is known of each candidate in its drum's mic; see featuresOf. `raw`, `kept`: the mic's samples. */
export function witness(raw: Float32Array, kept: Float32Array, rate: number, kind: Kind, list: readonly Candidate[], others: readonly number[], powers: BandSteps): Float32Array {
  const told = (x: Float32Array) => powers(x, rate, PER_SECOND, BAND[kind][0], BAND[kind][1]);
  return featuresOf(list, told(raw), told(kept), others, kind);
}

/** Certainties 0..1 of rows of features: logistic regression. */
export function certaintiesAgain(judge: Judge, kind: keyof Judge['weights'], features: Float32Array): number[] {
  const w = judge.weights[kind];
  return Array.from({ length: features.length / FEATURES }, (_, r) => {
    let z = w[FEATURES];
    for (let k = 0; k < FEATURES; k++) z += (w[k] * (features[r * FEATURES + k] - judge.mean[k])) / judge.scale[k];
    return 1 / (1 + Math.exp(-z));
  });
}
