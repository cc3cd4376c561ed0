/**
 * Places where something may have been struck, in one mic: the mean square per millisecond in seven bands, its rise in dB from the
 * windows before to the windows after, the mean of the two largest rises, local maxima of that. Generous on purpose: who struck
 * is decided later from all mics. Spectral-flux detectors on one mic alone find spill as well as strokes.
 */
import { DENORMAL_GUARD, biquadCoefficients } from '../dsp/biquad';
import { powerSteps } from '../dsp/power';
import { putInPlace } from '../dsp/search';
import type { HitKernels } from '../kernels/hitKernels';
import { RISE_BANDS } from './kinds';

/** Per second. */
export const HOPS = 1000;
/** Windows before and after, hops, by band: low bands need longer ones. */
const BEFORE = [10, 8, 6, 5, 4, 4, 4];
const AFTER = [8, 6, 5, 4, 3, 3, 3];
const APART = 8;
/** Bands in the kernel's output. */
const LANES = 8;
/** What still sounds later tells a struck drum from a click of spill: hops after the candidate. */
const LATER = [60, 110] as const;
/** What sounds this late is a cymbal's, or the next stroke. */
const LONG = [150, 300] as const;

export interface Candidates {
  /** Seconds. */
  readonly time: Float64Array;
  /** Mean of the two largest band rises, dB. */
  readonly novelty: Float32Array;
  /** Rise of every band, dB: seven a candidate. */
  readonly rises: Float32Array;
  /** The same from before to 60 to 110 ms after. */
  readonly later: Float32Array;
  /** The same to 150 to 300 ms after. */
  readonly long: Float32Array;
}

/** A signal within a band (Hz) of 12 dB per octave each side. What it gives may be written over by the next call. */
export type BandFilter = (x: Float32Array, rate: number, lowHz: number, highHz: number) => Float32Array;

/** Both sections in one loop, whose two chains a processor works on at once. */
export const bandPass: BandFilter = (x, rate, lowHz, highHz) => {
  const out = new Float32Array(x.length);
  const h = biquadCoefficients('highpass', rate, lowHz);
  const l = biquadCoefficients('lowpass', rate, Math.min(highHz, 0.45 * rate));
  const { b0, b1, b2, a1, a2 } = h;
  const { b0: d0, b1: d1, b2: d2, a1: c1, a2: c2 } = l;
  let [p, q, r, s] = [0, 0, 0, 0];
  for (let i = 0; i < x.length; i++) {
    const v = x[i] + DENORMAL_GUARD;
    const y = b0 * v + p;
    p = b1 * v - a1 * y + q;
    q = b2 * v - a2 * y;
    const z = d0 * y + r;
    r = d1 * y - c1 * z + s;
    s = d2 * y - c2 * z;
    out[i] = z;
  }
  return out;
};

/** Mean squares per step of a signal within a band, and of all of it, as `powerSteps` gives them. */
export type BandSteps = (x: Float32Array, rate: number, perSecond: number, lowHz: number, highHz: number) => { readonly band: Float64Array; readonly all: Float64Array };

export const bandSteps: BandSteps = (x, rate, perSecond, lowHz, highHz) => ({ band: powerSteps(bandPass(x, rate, lowHz, highHz), rate, perSecond), all: powerSteps(x, rate, perSecond) });

/** The value at a share 0..1 of the sorted values. */
export function quantile(values: ArrayLike<number>, share: number): number {
  const v = new Float64Array(values);
  if (v.length === 0) return 0;
  const at = share * (v.length - 1);
  const i = Math.floor(at);
  putInPlace(v, i);
  if (at === i) return v[i];
  let next = v[i + 1];
  for (let k = i + 2; k < v.length; k++) if (v[k] < next) next = v[k];
  return v[i] + (at - i) * (next - v[i]);
}

/** In the mic that `kernels` have loaded. `bands`: which of RISE_BANDS count. Silence gives none. */
export function findCandidates(kernels: HitKernels, rate: number, bands: readonly number[], thresholdDb = 4.5): Candidates {
  const power = kernels.bandPowers(rate, HOPS, RISE_BANDS);
  const n = power.length / LANES;
  const bandsOf = RISE_BANDS.map((_, b) => {
    const sum = new Float64Array(n + 1);
    for (let i = 0; i < n; i++) sum[i + 1] = sum[i] + power[i * LANES + b];
    const every = n > 20000 ? 8 : 1;
    const floor = 2 * quantile(Float64Array.from({ length: Math.ceil(n / every) }, (_, i) => power[i * every * LANES + b]), 0.05) + 1e-14;
    const before = (i: number) => (sum[i] - sum[Math.max(0, i - BEFORE[b])]) / BEFORE[b];
    const rise = (i: number) => 10 * Math.log10(((sum[Math.min(n, i + AFTER[b])] - sum[i]) / AFTER[b] + floor) / (before(i) + floor));
    const still = (i: number, window: readonly [number, number]) => {
      const [a, z] = [Math.min(n, i + window[0]), Math.min(n, i + window[1])];
      return z > a ? 10 * Math.log10(((sum[z] - sum[a]) / (z - a) + floor) / (before(i) + floor)) : 0;
    };
    return { sum, floor, rise, still };
  });
  // the two largest as ratios: a logarithm for each hop instead of one for each band too
  const first = new Float64Array(n).fill(1);
  const second = new Float64Array(n).fill(1);
  for (const b of bands) {
    const { sum, floor } = bandsOf[b];
    const [early, late] = [BEFORE[b], AFTER[b]];
    for (let i = 0; i < n; i++) {
      const v = ((sum[Math.min(n, i + late)] - sum[i]) / late + floor) / ((sum[i] - sum[Math.max(0, i - early)]) / early + floor);
      if (v > first[i]) {
        second[i] = first[i];
        first[i] = v;
      } else if (v > second[i]) second[i] = v;
    }
  }
  const novelty = Float32Array.from(first, (v, i) => 5 * Math.log10(v * second[i]));
  const at: number[] = [];
  for (let i = 0; i < n; i++) {
    const v = novelty[i];
    if (v <= thresholdDb) continue;
    let top = true;
    for (let k = Math.max(0, i - APART); top && k <= Math.min(n - 1, i + APART); k++) if (novelty[k] > v) top = false;
    if (top) at.push(i);
  }
  return {
    time: Float64Array.from(at, (i) => i / HOPS),
    novelty: Float32Array.from(at, (i) => novelty[i]),
    rises: Float32Array.from(at.flatMap((i) => bandsOf.map((q) => q.rise(i)))),
    later: Float32Array.from(at.flatMap((i) => bandsOf.map((q) => q.still(i, LATER)))),
    long: Float32Array.from(at.flatMap((i) => bandsOf.map((q) => q.still(i, LONG)))),
  };
}

/** Nearer than this in two signals is the same event, seconds. */
const SAME_S = 0.004;

/** Rows of `width` values, by index. */
export function rowsOf(from: Float32Array, width: number, which: readonly number[]): Float32Array {
  const out = new Float32Array(width * which.length);
  which.forEach((i, k) => {
    out.set(from.subarray(width * i, width * (i + 1)), width * k);
  });
  return out;
}

/** Candidates by index. */
export function onlyCandidates(c: Candidates, which: readonly number[]): Candidates {
  const rows = (v: Float32Array) => rowsOf(v, 7, which);
  return { time: Float64Array.from(which, (i) => c.time[i]), novelty: Float32Array.from(which, (i) => c.novelty[i]), rises: rows(c.rises), later: rows(c.later), long: rows(c.long) };
}

/** Candidates of the same source in several signals as one list in order of time; of those that meet, the most novel; and which signal each is from. */
export function mergeCandidates(lists: readonly Candidates[]): { readonly list: Candidates; readonly from: readonly number[] } {
  const joined = (of: (c: Candidates) => Float32Array) => {
    const out = new Float32Array(lists.reduce((n, c) => n + of(c).length, 0));
    let at = 0;
    for (const c of lists) {
      out.set(of(c), at);
      at += of(c).length;
    }
    return out;
  };
  const time = Float64Array.from(lists.flatMap((c) => Array.from(c.time)));
  const all: Candidates = { time, novelty: joined((c) => c.novelty), rises: joined((c) => c.rises), later: joined((c) => c.later), long: joined((c) => c.long) };
  const signal = lists.flatMap((c, k) => Array.from(c.time, () => k));
  const order = Array.from(time.keys()).sort((a, b) => time[a] - time[b]);
  const rank = new Int32Array(order.length);
  order.forEach((i, k) => {
    rank[i] = k;
  });
  const kept = new Uint8Array(order.length);
  for (const i of [...order].sort((a, b) => all.novelty[b] - all.novelty[a])) {
    let free = true;
    for (let k = rank[i] - 1; free && k >= 0 && time[i] - time[order[k]] < SAME_S; k--) if (kept[order[k]]) free = false;
    for (let k = rank[i] + 1; free && k < order.length && time[order[k]] - time[i] < SAME_S; k++) if (kept[order[k]]) free = false;
    if (free) kept[i] = 1;
  }
  const which = order.filter((i) => kept[i]);
  return { list: onlyCandidates(all, which), from: which.map((i) => signal[i]) };
}
