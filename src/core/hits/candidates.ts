/**
 * Places where something may have been struck, in one mic: the mean square per millisecond in seven bands, its rise in dB from the
 * windows before to the windows after, the mean of the two largest rises, local maxima of that. Generous on purpose: who struck
 * is decided later from all mics. Spectral-flux detectors on one mic alone find spill as well as strokes.
 */
import { biquadCoefficients, createBiquad } from '../dsp/biquad';
import { RISE_BANDS } from './kinds';

/** Per second. */
export const HOPS = 1000;
/** Windows before and after, hops, by band: low bands need longer ones. */
const BEFORE = [10, 8, 6, 5, 4, 4, 4];
const AFTER = [8, 6, 5, 4, 3, 3, 3];
const APART = 8;
/** What still sounds later tells a struck drum from a click of spill: hops after the candidate. */
const LATER = [60, 110] as const;

export interface Candidates {
  /** Seconds. */
  readonly time: Float64Array;
  /** Mean of the two largest band rises, dB. */
  readonly novelty: Float32Array;
  /** Rise of every band, dB: seven a candidate. */
  readonly rises: Float32Array;
  /** The same from before to 60 to 110 ms after. */
  readonly later: Float32Array;
}

/** `x` filtered to a band of 24 dB per octave each side, in place of a copy. */
export function bandPass(x: Float32Array, rate: number, lowHz: number, highHz: number, out: Float32Array): void {
  createBiquad(biquadCoefficients('highpass', rate, lowHz)).process(x, out, x.length);
  createBiquad(biquadCoefficients('lowpass', rate, Math.min(highHz, 0.45 * rate))).process(out, out, x.length);
}

/** Mean square per hop of one band. */
function bandPower(x: Float32Array, rate: number, band: readonly [number, number], work: Float32Array): Float32Array {
  bandPass(x, rate, band[0], band[1], work);
  const hop = rate / HOPS;
  const n = Math.floor(x.length / hop);
  const out = new Float32Array(n);
  for (let i = 0; i < n; i++) {
    const [from, to] = [Math.round(i * hop), Math.round((i + 1) * hop)];
    let e = 0;
    for (let k = from; k < to; k++) e += work[k] * work[k];
    out[i] = e / (to - from);
  }
  return out;
}

/** The value at a share 0..1 of the sorted values. */
export function quantile(values: ArrayLike<number>, share: number): number {
  const v = Float64Array.from(values).sort();
  if (v.length === 0) return 0;
  const at = share * (v.length - 1);
  const i = Math.floor(at);
  return v[i] + (at - i) * ((v[i + 1] ?? v[i]) - v[i]);
}

/** `bands`: which of RISE_BANDS count. Silence gives none. */
export function findCandidates(x: Float32Array, rate: number, bands: readonly number[], thresholdDb = 4.5): Candidates {
  const work = new Float32Array(x.length);
  const later: Float32Array[] = [];
  const rises = RISE_BANDS.map((band, b) => {
    const e = bandPower(x, rate, band, work);
    const n = e.length;
    const floor = 2 * quantile(e.length > 20000 ? e.filter((_, i) => i % 8 === 0) : e, 0.05) + 1e-14;
    const sum = new Float64Array(n + 1);
    for (let i = 0; i < n; i++) sum[i + 1] = sum[i] + e[i];
    const out = new Float32Array(n);
    const late = new Float32Array(n);
    later.push(late);
    for (let i = 0; i < n; i++) {
      const after = (sum[Math.min(n, i + AFTER[b])] - sum[i]) / AFTER[b];
      const before = (sum[i] - sum[Math.max(0, i - BEFORE[b])]) / BEFORE[b];
      out[i] = 10 * Math.log10((after + floor) / (before + floor));
      const [a, z] = [Math.min(n, i + LATER[0]), Math.min(n, i + LATER[1])];
      late[i] = z > a ? 10 * Math.log10(((sum[z] - sum[a]) / (z - a) + floor) / (before + floor)) : 0;
    }
    return out;
  });
  const n = rises[0].length;
  const novelty = new Float32Array(n);
  for (let i = 0; i < n; i++) {
    let [first, second] = [0, 0];
    for (const b of bands) {
      const v = rises[b][i];
      if (v > first) {
        second = first;
        first = v;
      } else if (v > second) second = v;
    }
    novelty[i] = 0.5 * (first + second);
  }
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
    rises: Float32Array.from(at.flatMap((i) => rises.map((r) => r[i]))),
    later: Float32Array.from(at.flatMap((i) => later.map((r) => r[i]))),
  };
}
