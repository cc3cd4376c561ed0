/**
 * How strokes of a drum reach one mic: what they add there, and when. Delays by generalised cross-correlation with phase transform, its cross-spectra summed over
 * strokes (C. Knapp, G. Carter, IEEE TASSP 24(4), 1976): one stroke alone is fooled by what else sounds.
 */
import FFT from 'fft.js';
import { readSpectra } from '../hits/eventSpectra';
import { BANDS } from '../hits/kinds';
import { increment } from '../hits/song';
import { type FrameKernels, createFrames } from '../kernels/frames';
import type { HitKernels } from '../kernels/hitKernels';

/** How far a delay may be, seconds. */
const REACH_S = 0.04;
/** A peak counts that stands this many times over the correlation's usual size. */
const CLEAR = 8;
/** Where drums have something to say, Hz. */
const BAND = [80, 12000] as const;
/** Before the stroke, and a window that hears nothing but its beginning, seconds. */
const LEAD_S = 0.005;
const SHORT_S = 0.06;

export interface Reach {
  /** strokes x BANDS: power that the stroke adds. */
  readonly added: Float32Array;
  /** ms after the drum's first own mic; null where no clear peak was found. */
  readonly delayMs: number | null;
  /** -1 where the mic hears the drum upside down. */
  readonly polarity: 1 | -1;
}

/** Strokes of one drum, seconds, and their spectra in its first own mic; null for that mic itself. */
export interface ReachingDrum {
  readonly times: readonly number[];
  readonly spectra: Float32Array | null;
}

function frame(rate: number) {
  let size = 1;
  while (size < 0.17 * rate) size *= 2;
  const from = Math.ceil((BAND[0] * size) / rate);
  const to = Math.floor((BAND[1] * size) / rate);
  const long = size - Math.round(REACH_S * rate) * 2;
  return { size, from, to, row: 2 * (to - from + 1), long, short: Math.min(long, Math.round(SHORT_S * rate)) };
}

/** Strokes that are transformed at a time. */
const TOGETHER = 8;
let kept: { readonly size: number; readonly kernels: FrameKernels } | null = null;
function transformOf(size: number): FrameKernels {
  if (kept?.size !== size) kept = { size, kernels: createFrames(size, size, new Float32Array(size).fill(1), TOGETHER) };
  return kept.kernels;
}

/** Spectra of `x` from each time (seconds) on, within BAND: bins as real and imaginary parts, one row a time. `length` of the window in samples. */
function spectraFrom(x: Float32Array, rate: number, times: readonly number[], length: number): Float32Array {
  const { size, from, to, row } = frame(rate);
  const t = transformOf(size);
  const lead = Math.round(LEAD_S * rate);
  const w = Float64Array.from({ length }, (_, i) => Math.sin((Math.PI * (i + 0.5)) / length) ** 0.5);
  const all = new Float32Array(row * times.length);
  for (let n = 0; n < times.length; n += TOGETHER) {
    const some = times.slice(n, n + TOGETHER);
    t.input.fill(0);
    some.forEach((time, j) => {
      const start = Math.round(time * rate) - lead;
      for (let i = Math.max(0, -start); i < length && start + i < x.length; i++) t.input[j * size + i] = x[start + i] * w[i];
    });
    t.forward(some.length);
    for (let j = 0; j < some.length; j++) {
      const out = all.subarray((n + j) * row, (n + j + 1) * row);
      for (let k = from; k <= to; k++) {
        out[2 * (k - from)] = t.re[k * TOGETHER + j];
        out[2 * (k - from) + 1] = t.im[k * TOGETHER + j];
      }
    }
  }
  return all;
}

/** Spectra of strokes (seconds) in their drum's first own mic, for `reachesOf`. */
export const strokeSpectra = (x: Float32Array, rate: number, times: readonly number[]): Float32Array => spectraFrom(x, rate, times, frame(rate).short);

/** How each drum reaches the mic `x`. */
export function reachesOf(kernels: HitKernels, x: Float32Array, rate: number, drums: readonly ReachingDrum[]): Reach[] {
  kernels.load(x);
  return drums.map(({ times, spectra }) => {
    const powers = readSpectra(kernels, rate, times);
    const added = Float32Array.from({ length: times.length * BANDS }, (_, j) => {
      const at = 2 * Math.floor(j / BANDS) * BANDS + (j % BANDS);
      return increment(powers[at], powers[at + BANDS]);
    });
    return { added, ...(spectra ? delayOf(spectra, spectraFrom(x, rate, times, frame(rate).long), rate) : { delayMs: 0, polarity: 1 as const }) };
  });
}

/** Delay of the second signals against the first ones, from rows of spectra. */
function delayOf(firsts: Float32Array, seconds: Float32Array, rate: number): { delayMs: number | null; polarity: 1 | -1 } {
  const { size, from, to, row } = frame(rate);
  const sum = new Float64Array(row);
  for (let at = 0; at < firsts.length; at += row) {
    const [a, b] = [firsts.subarray(at, at + row), seconds.subarray(at, at + row)];
    let energy = 1e-20;
    for (let k = 0; k < row; k += 2) energy += Math.sqrt((a[k] * a[k] + a[k + 1] * a[k + 1]) * (b[k] * b[k] + b[k + 1] * b[k + 1]));
    const g = 1 / energy;
    for (let k = 0; k < row; k += 2) {
      // conjugate of the first times the second; every stroke counts alike
      sum[k] += g * (a[k] * b[k] + a[k + 1] * b[k + 1]);
      sum[k + 1] += g * (a[k] * b[k + 1] - a[k + 1] * b[k]);
    }
  }
  const cross = new Float64Array(2 * size);
  for (let k = from; k <= to; k++) {
    const at = 2 * (k - from);
    const g = 1 / (Math.hypot(sum[at], sum[at + 1]) || 1);
    const j = 2 * (size - k);
    [cross[2 * k], cross[2 * k + 1], cross[j], cross[j + 1]] = [g * sum[at], g * sum[at + 1], g * sum[at], -g * sum[at + 1]];
  }
  const out = new Float64Array(2 * size);
  new FFT(size).inverseTransform(out, cross);
  const reach = Math.round(REACH_S * rate);
  let [best, where, all] = [0, 0, 0];
  for (let lag = -reach; lag <= reach; lag++) {
    const v = Math.abs(out[2 * ((lag + size) % size)]);
    all += v;
    if (v > best) {
      best = v;
      where = lag;
    }
  }
  const value = out[2 * ((where + size) % size)];
  const clear = best > (CLEAR * all) / (2 * reach + 1);
  return { delayMs: clear ? (1000 * where) / rate : null, polarity: value < 0 ? -1 : 1 };
}
