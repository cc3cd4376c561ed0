/**
 * Power in eleven bands shortly after and shortly before given times in one mic: 21 ms windows with short edges, both by one complex
 * transform. What a stroke adds is the difference.
 */
import type { HitKernels } from '../kernels/hitKernels';
import { EDGES } from './kinds';

/** Length of a window, seconds (1024 samples at 48 kHz), and how long before the time the later one begins. */
const WINDOW_S = 1024 / 48000;
const LEAD_S = 0.001;

/** For each of `times` (seconds), in the mic that `kernels` have loaded: the powers after, BANDS of them, then those before. */
export function readSpectra(kernels: HitKernels, rate: number, times: ArrayLike<number>): Float32Array {
  const length = Math.round(WINDOW_S * rate);
  let size = 1;
  while (size < 2 * length) size *= 2;
  const edge = Math.max(2, Math.round(0.001 * rate));
  const half = length >> 1;
  const window = new Float32Array(length);
  for (let i = 0; i < length; i++) window[i] = i < edge ? Math.sin((Math.PI / 2) * (i / (edge - 1))) ** 2 : i < half ? 1 : Math.cos((Math.PI / 2) * ((i - half) / (length - half - 1))) ** 2;
  const bins = EDGES.map((hz) => Math.min(size / 2, Math.ceil((hz * size) / rate)));
  return kernels.spectra(Int32Array.from(times, (t) => Math.round((t - LEAD_S) * rate)), { length, size, window, bins });
}
