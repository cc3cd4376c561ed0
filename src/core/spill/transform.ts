/** Short-time Fourier transform with the root of a periodic Hann window both ways and half overlap: what was not changed comes back as it was. */
import FFT from 'fft.js';

export interface Spectrogram {
  readonly bins: number;
  /** Frames: frame k is centred on sample k x size / 2. */
  readonly frames: number;
  /** bins x frames, frames of a bin side by side. */
  readonly re: Float32Array;
  readonly im: Float32Array;
}

export const SIZE = 4096;
export const HOP = SIZE / 2;
export const BINS = SIZE / 2 + 1;

/** Bins from here up are not told apart one by one: little of a drum is there, and they would be a third of the work. */
const TOLD_APART_HZ = 16000;

/** How many bins from the lowest up are learnt and separated. */
export const learntBins = (rate: number): number => Math.min(BINS, Math.ceil((TOLD_APART_HZ * SIZE) / rate));

/** Frames that cover so many samples. */
export const framesOf = (samples: number): number => Math.ceil(samples / HOP) + 1;

export interface Transform {
  /** Frames `first` to `first + frames` of `x`, whose sample 0 is at `offset` in the recording; outside of it there is silence. `stride`: room for frames per bin. */
  forward(x: Float32Array, offset: number, first: number, frames: number, stride?: number): Spectrogram;
  /** Adds frames `first` and following to `out`, whose sample 0 is at `offset` in the recording. `re`, `im`: bins x `stride`. */
  inverse(re: Float32Array, im: Float32Array, stride: number, first: number, frames: number, out: Float32Array, offset: number): void;
}

export function createTransform(): Transform {
  const fft = new FFT(SIZE);
  const window = Float64Array.from({ length: SIZE }, (_, i) => Math.sqrt(0.5 - 0.5 * Math.cos((2 * Math.PI * i) / SIZE)));
  const input = new Float64Array(SIZE);
  const spectrum = new Float64Array(2 * SIZE);
  const time = new Float64Array(2 * SIZE);
  return {
    forward(x, offset, first, frames, stride = frames) {
      const re = new Float32Array(BINS * stride);
      const im = new Float32Array(BINS * stride);
      for (let k = 0; k < frames; k++) {
        const from = (first + k) * HOP - HOP - offset;
        for (let i = 0; i < SIZE; i++) input[i] = window[i] * (x[from + i] ?? 0);
        fft.realTransform(spectrum, input);
        for (let b = 0; b < BINS; b++) {
          re[b * stride + k] = spectrum[2 * b];
          im[b * stride + k] = spectrum[2 * b + 1];
        }
      }
      return { bins: BINS, frames, re, im };
    },
    inverse(re, im, stride, first, frames, out, offset) {
      for (let k = 0; k < frames; k++) {
        for (let b = 0; b < BINS; b++) {
          spectrum[2 * b] = re[b * stride + k];
          spectrum[2 * b + 1] = im[b * stride + k];
        }
        spectrum[1] = 0;
        spectrum[SIZE + 1] = 0;
        for (let b = 1; b < BINS - 1; b++) {
          spectrum[2 * (SIZE - b)] = spectrum[2 * b];
          spectrum[2 * (SIZE - b) + 1] = -spectrum[2 * b + 1];
        }
        fft.inverseTransform(time, spectrum);
        const from = (first + k) * HOP - HOP - offset;
        const [a, z] = [Math.max(0, -from), Math.min(SIZE, out.length - from)];
        for (let i = a; i < z; i++) out[from + i] += window[i] * time[2 * i];
      }
    },
  };
}
