/**
 * Power in eleven bands shortly after and shortly before given times in one mic: 21 ms windows with short edges, both by one complex
 * transform. What a stroke adds is the difference.
 */
import FFT from 'fft.js';
import { BANDS, EDGES } from './kinds';

/** Length of a window, seconds (1024 samples at 48 kHz), and how long before the time the later one begins. */
const WINDOW_S = 1024 / 48000;
const LEAD_S = 0.001;

export interface SpectraReader {
  /** Adds nothing, allocates nothing: writes the BANDS powers after and before `time` (seconds) at `at` in `post` and `pre`. */
  read(time: number, post: Float32Array, pre: Float32Array, at: number): void;
}

export function createSpectraReader(x: Float32Array, rate: number): SpectraReader {
  const length = Math.round(WINDOW_S * rate);
  let size = 1;
  while (size < 2 * length) size *= 2;
  const fft = new FFT(size);
  const input = new Float64Array(2 * size);
  const out = new Float64Array(2 * size);
  const edge = Math.max(2, Math.round(0.001 * rate));
  const half = length >> 1;
  const after = new Float64Array(length);
  for (let i = 0; i < length; i++) after[i] = i < edge ? Math.sin((Math.PI / 2) * (i / (edge - 1))) ** 2 : i < half ? 1 : Math.cos((Math.PI / 2) * ((i - half) / (length - half - 1))) ** 2;
  const before = after.slice().reverse();
  const bins = EDGES.map((hz) => Math.min(size / 2, Math.ceil((hz * size) / rate)));
  const scale = 1 / length;
  return {
    read(time, post, pre, at) {
      const start = Math.round((time - LEAD_S) * rate);
      input.fill(0);
      for (let i = 0; i < length; i++) {
        const a = start + i;
        const b = a - length;
        if (a >= 0 && a < x.length) input[2 * i] = x[a] * after[i];
        if (b >= 0 && b < x.length) input[2 * i + 1] = x[b] * before[i];
      }
      fft.transform(out, input);
      for (let band = 0; band < BANDS; band++) {
        let [p, q] = [0, 0];
        for (let k = Math.max(1, bins[band]); k < bins[band + 1]; k++) {
          const j = size - k;
          // the spectra of the real and of the imaginary part
          const ar = out[2 * k] + out[2 * j];
          const ai = out[2 * k + 1] - out[2 * j + 1];
          const br = out[2 * k + 1] + out[2 * j + 1];
          const bi = out[2 * j] - out[2 * k];
          p += ar * ar + ai * ai;
          q += br * br + bi * bi;
        }
        post[at + band] = 0.25 * p * scale;
        pre[at + band] = 0.25 * q * scale;
      }
    },
  };
}
