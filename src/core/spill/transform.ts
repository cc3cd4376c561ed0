/** Short-time Fourier transform with the root of a periodic Hann window both ways and half overlap: what was not changed comes back as it was. */
import { createFrames } from '../kernels/frames';

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

/** Frames that are transformed at a time. */
const ROOM = 96;

export function createTransform(): Transform {
  const kernels = createFrames(SIZE, HOP, Float64Array.from({ length: SIZE }, (_, i) => Math.sqrt(0.5 - 0.5 * Math.cos((2 * Math.PI * i) / SIZE))), ROOM);
  const begins = (first: number, offset: number) => (first - 1) * HOP - offset;
  return {
    forward(x, offset, first, frames, stride = frames) {
      const re = new Float32Array(BINS * stride);
      const im = new Float32Array(BINS * stride);
      for (let k = 0; k < frames; k += ROOM) {
        const n = Math.min(ROOM, frames - k);
        const from = begins(first + k, offset);
        const [a, z] = [Math.max(0, -from), Math.min((n + 1) * HOP, x.length - from)];
        kernels.input.fill(0);
        if (z > a) kernels.input.set(x.subarray(from + a, from + z), a);
        kernels.forward(n);
        for (let b = 0; b < BINS; b++) {
          re.set(kernels.re.subarray(b * ROOM, b * ROOM + n), b * stride + k);
          im.set(kernels.im.subarray(b * ROOM, b * ROOM + n), b * stride + k);
        }
      }
      return { bins: BINS, frames, re, im };
    },
    inverse(re, im, stride, first, frames, out, offset) {
      for (let k = 0; k < frames; k += ROOM) {
        const n = Math.min(ROOM, frames - k);
        if (n < ROOM) {
          kernels.re.fill(0);
          kernels.im.fill(0);
        }
        for (let b = 0; b < BINS; b++) {
          kernels.re.set(re.subarray(b * stride + k, b * stride + k + n), b * ROOM);
          kernels.im.set(im.subarray(b * stride + k, b * stride + k + n), b * ROOM);
        }
        kernels.inverse(n);
        const from = begins(first + k, offset);
        const [a, z] = [Math.max(0, -from), Math.min((n + 1) * HOP, out.length - from)];
        for (let i = a; i < z; i++) out[from + i] += kernels.output[i];
      }
    },
  };
}
