/**
 * Cymbals that only overheads hear, told apart in fine bands: what sure strokes of every drum add there makes a dictionary, and each moment is explained as
 * a non-negative mix of it (mixture.ts), with the cymbal and without. Eleven bands cannot tell a ride under a snare from the snare's own rattle; four times as many often can.
 */
import type { HitKernels } from '../kernels/hitKernels';
import { quantile } from './candidates';
import { type Patterns, divergence, fitEvents } from './mixture';
import { logMedianPatterns } from './patterns';
import { increment } from './song';

export interface Moments {
  /** Bands of all overheads, one overhead after the other. */
  readonly cells: number;
  /** Of one overhead. */
  readonly bands: number;
  /** Power after and before, moments x cells; never quite nothing. */
  readonly after: Float32Array;
  readonly before: Float32Array;
}

/** Places of a drum's sure strokes among the moments. */
export interface Known {
  readonly drum: string;
  readonly at: readonly number[];
}

/** What speaks for one drum, one number a moment. */
export interface FineEvidence {
  /** Divergence without the drum minus with it, over all cells; and against its median at the drum's sure strokes. */
  readonly gain: Float64Array;
  readonly gainShare: Float64Array;
  /** Share of cells that are explained better with the drum. */
  readonly better: Float64Array;
  /** What the drum adds against its median at sure strokes, dB; its share of all that is explained. */
  readonly levelDb: Float64Array;
  readonly share: Float64Array;
  /** Divergence that is left, a cell. */
  readonly left: Float64Array;
  /** How the rises (dB) resemble those of sure strokes, which come to 1. */
  readonly match: Float64Array;
  /** Share of what was there before that goes on. */
  readonly before: Float64Array;
}

/** From so many sure strokes on a drum gets two patterns. */
const TWO_PATTERNS = 16;
const ROUNDS = 12;

const clip = (v: number, lo: number, hi: number) => Math.min(hi, Math.max(lo, v));
const db10 = (v: number) => 10 * Math.log10(v);
const median = (v: ArrayLike<number>) => quantile(v, 0.5);

/** Median rise (dB) of every cell at a drum's strokes, falls left out. */
export const usualRises = (m: Moments, at: readonly number[]): Float64Array =>
  Float64Array.from({ length: m.cells }, (_, f) => Math.max(0, median(at.map((i) => db10(m.after[i * m.cells + f] / m.before[i * m.cells + f])))));

/** How much the rises (dB) at a moment resemble usual ones. */
export function resemblance(m: Moments, i: number, usual: Float64Array): number {
  let sum = 0;
  for (let f = 0; f < m.cells; f++) sum += usual[f] * db10(m.after[i * m.cells + f] / m.before[i * m.cells + f]);
  return sum;
}

/** What known strokes add to each cell, a pattern or two a drum; `scale` brings powers near 1. */
function dictionary(m: Moments, known: readonly Known[]): { readonly taught: readonly Known[]; readonly patterns: Patterns; readonly scale: Float32Array } {
  const { cells, after, before } = m;
  const n = after.length / cells;
  const scale = Float32Array.from({ length: cells }, (_, f) => 1 / median(Float64Array.from({ length: n }, (_, i) => before[i * cells + f])));
  const taught = known.filter((k) => k.at.length > 0);
  const learnt = taught.map((k) => logMedianPatterns(k.at.map((i) => Float32Array.from({ length: cells }, (_, f) => increment(after[i * cells + f], before[i * cells + f]))), k.at.length >= TWO_PATTERNS ? 2 : 1));
  const names = learnt.flatMap((list, k) => list.map(() => taught[k].drum));
  const w = new Float32Array(names.length * cells);
  learnt.flat().forEach((p, k) => {
    w.set(p, k * cells);
  });
  return { taught, patterns: { names, cells, w }, scale };
}

/** Thirds of the bands, low to high. */
const THIRDS = 3;
const [LEAST_DB, MOST_DB] = [-10, 30];

/**
 * What of each moment all known drums together do not explain, ten numbers a row. For each third of the bands: divergence of the cells that are louder than
 * explained, a cell (logarithm); mean rise; mean over what is explained (both tens of dB). Last how much the cells differ in what they have over it: cymbals have lines.
 */
export function unlikeKnown(kernels: HitKernels, m: Moments, known: readonly Known[]): Float32Array {
  const { cells, bands, after, before } = m;
  const { patterns, scale } = dictionary(m, known);
  const { model } = fitEvents(kernels, patterns, after, before, ROUNDS, Uint8Array.from(patterns.names, () => 1), scale);
  const third = Uint8Array.from({ length: cells }, (_, f) => Math.floor((THIRDS * (f % bands)) / bands));
  const size = third.reduce((n, t) => n.with(t, n[t] + 1), new Float64Array(THIRDS));
  const width = 3 * THIRDS + 1;
  const out = new Float32Array((after.length / cells) * width);
  for (let i = 0; i < after.length / cells; i++) {
    const row = out.subarray(i * width, (i + 1) * width);
    let [sum, squares] = [0, 0];
    for (let f = 0; f < cells; f++) {
      const [t, v, y] = [third[f], after[i * cells + f], model[i * cells + f]];
      const over = clip(db10(v / y), LEAST_DB, MOST_DB);
      if (v > y) row[t] += divergence(v, y) / size[t];
      row[THIRDS + t] += db10(v / before[i * cells + f]) / (10 * size[t]);
      row[2 * THIRDS + t] += over / (10 * size[t]);
      sum += Math.max(0, over);
      squares += Math.max(0, over) ** 2;
    }
    for (let t = 0; t < THIRDS; t++) row[t] = Math.log1p(row[t]);
    row[3 * THIRDS] = Math.sqrt(Math.max(0, squares / cells - (sum / cells) ** 2)) / 10;
  }
  return out;
}

/** Evidence for each of `drums`; null for those without a known stroke. */
export function fineEvidence(kernels: HitKernels, m: Moments, known: readonly Known[], drums: readonly string[]): (FineEvidence | null)[] {
  const { cells, after, before } = m;
  const n = after.length / cells;
  const { taught, patterns, scale } = dictionary(m, known);
  const { names, w } = patterns;
  const K = names.length;
  if (!drums.some((d) => names.includes(d))) return drums.map(() => null);
  const full = fitEvents(kernels, patterns, after, before, ROUNDS, Uint8Array.from(names, () => 1), scale);
  return drums.map((drum) => {
    const at = taught.find((k) => k.drum === drum)?.at;
    if (!at) return null;
    const mine = Uint8Array.from(names, (name) => (name === drum ? 1 : 0));
    const without = fitEvents(kernels, patterns, after, before, ROUNDS, mine.map((v) => 1 - v), scale);
    const usual = usualRises(m, at);
    const column = () => new Float64Array(n);
    const e = { gain: column(), better: column(), own: column(), share: column(), left: column(), match: column() };
    for (let i = 0; i < n; i++) {
      let [gain, better, own, model, left] = [0, 0, 0, 0, 0];
      for (let f = 0; f < cells; f++) {
        const v = after[i * cells + f];
        const y = full.model[i * cells + f];
        const d = divergence(v, y);
        const by = divergence(v, without.model[i * cells + f]) - d;
        gain += by;
        if (by > 0) better++;
        for (let k = 0; k < K; k++) if (mine[k]) own += full.gains[i * K + k] * w[k * cells + f];
        model += y;
        left += d;
      }
      e.gain[i] = Math.max(0, gain);
      e.better[i] = better / cells;
      e.own[i] = own;
      e.share[i] = own / model;
      e.left[i] = left / cells;
      e.match[i] = resemblance(m, i, usual);
    }
    const typical = (v: Float64Array) => median(at.map((i) => v[i])) + 1e-9;
    const level = median(at.map((i) => e.own[i])) + 1e-30;
    return {
      gain: e.gain, gainShare: e.gain.map((v) => v / typical(e.gain)), better: e.better, levelDb: e.own.map((v) => db10(v / level + 1e-6)), share: e.share, left: e.left,
      match: e.match.map((v) => v / typical(e.match)), before: Float64Array.from(full.before),
    };
  });
}
