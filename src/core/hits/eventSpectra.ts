/**
 * Power in bands shortly after and shortly before given times in one mic: windows with short edges, both by one complex transform. What a stroke adds is
 * the difference.
 */
import type { HitKernels } from '../kernels/hitKernels';
import { EDGES } from './kinds';

/** Bands and windows of spectra. */
export interface Grain {
  /** Edges of the bands, Hz. */
  readonly edges: readonly number[];
  /** Length of a window, seconds. */
  readonly windowS: number;
}

/** What patterns of drums in all mics rest on: 21 ms (1024 samples at 48 kHz), eleven bands. */
export const COARSE: Grain = { edges: EDGES, windowS: 1024 / 48000 };

/** What cymbals are told apart by in the overheads: 43 ms, twelve bands an octave from 1.2 to 15 kHz. */
export const FINE: Grain = { edges: Array.from({ length: 45 }, (_, k) => 1200 * 2 ** (k / 12)), windowS: 2048 / 48000 };

/** How long before the time the later window begins, seconds. */
const LEAD_S = 0.001;

/** For each of `times` (seconds), in the mic that `kernels` have loaded: the powers after, one a band, then those before. */
export function readSpectra(kernels: HitKernels, rate: number, times: ArrayLike<number>, grain: Grain = COARSE): Float32Array {
  const length = Math.round(grain.windowS * rate);
  let size = 1;
  while (size < 2 * length) size *= 2;
  const edge = Math.max(2, Math.round(0.001 * rate));
  const half = length >> 1;
  const window = new Float32Array(length);
  for (let i = 0; i < length; i++) window[i] = i < edge ? Math.sin((Math.PI / 2) * (i / (edge - 1))) ** 2 : i < half ? 1 : Math.cos((Math.PI / 2) * ((i - half) / (length - half - 1))) ** 2;
  const bins = grain.edges.map((hz) => Math.min(size / 2, Math.ceil((hz * size) / rate)));
  return kernels.spectra(Int32Array.from(times, (t) => Math.round((t - LEAD_S) * rate)), { length, size, window, bins });
}
