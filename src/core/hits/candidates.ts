/**
 * Places where something may have been struck, in one mic: the mean square per millisecond in seven bands, its rise in dB from the
 * windows before to the windows after, the mean of the two largest rises, local maxima of that. Generous on purpose: who struck
 * is decided later from all mics. Spectral-flux detectors on one mic alone find spill as well as strokes.
 */
import { biquadCoefficients, createBiquad } from '../dsp/biquad';
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

/** `x` filtered to a band of 24 dB per octave each side, in place of a copy. */
export function bandPass(x: Float32Array, rate: number, lowHz: number, highHz: number, out: Float32Array): void {
  createBiquad(biquadCoefficients('highpass', rate, lowHz)).process(x, out, x.length);
  createBiquad(biquadCoefficients('lowpass', rate, Math.min(highHz, 0.45 * rate))).process(out, out, x.length);
}

/** The value at a share 0..1 of the sorted values. */
export function quantile(values: ArrayLike<number>, share: number): number {
  const v = Float64Array.from(values).sort();
  if (v.length === 0) return 0;
  const at = share * (v.length - 1);
  const i = Math.floor(at);
  return v[i] + (at - i) * ((v[i + 1] ?? v[i]) - v[i]);
}

/** In the mic that `kernels` have loaded. `bands`: which of RISE_BANDS count. Silence gives none. */
export function findCandidates(kernels: HitKernels, rate: number, bands: readonly number[], thresholdDb = 4.5): Candidates {
  const power = kernels.bandPowers(rate, HOPS, RISE_BANDS);
  const later: Float32Array[] = [];
  const long: Float32Array[] = [];
  const rises = RISE_BANDS.map((_, b) => {
    const n = power.length / LANES;
    const sum = new Float64Array(n + 1);
    for (let i = 0; i < n; i++) sum[i + 1] = sum[i] + power[i * LANES + b];
    const every = n > 20000 ? 8 : 1;
    const floor = 2 * quantile(Float64Array.from({ length: Math.ceil(n / every) }, (_, i) => power[i * every * LANES + b]), 0.05) + 1e-14;
    const out = new Float32Array(n);
    const late = new Float32Array(n);
    const lasting = new Float32Array(n);
    later.push(late);
    long.push(lasting);
    const still = (i: number, window: readonly [number, number], before: number) => {
      const [a, z] = [Math.min(n, i + window[0]), Math.min(n, i + window[1])];
      return z > a ? 10 * Math.log10(((sum[z] - sum[a]) / (z - a) + floor) / (before + floor)) : 0;
    };
    for (let i = 0; i < n; i++) {
      const after = (sum[Math.min(n, i + AFTER[b])] - sum[i]) / AFTER[b];
      const before = (sum[i] - sum[Math.max(0, i - BEFORE[b])]) / BEFORE[b];
      out[i] = 10 * Math.log10((after + floor) / (before + floor));
      late[i] = still(i, LATER, before);
      lasting[i] = still(i, LONG, before);
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
    long: Float32Array.from(at.flatMap((i) => long.map((r) => r[i]))),
  };
}
