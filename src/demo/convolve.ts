/** Convolution of long signals with a room's tail by overlap-add; the spectrum of the input is computed once for many tails. */
import FFT from 'fft.js';

const SIZE = 65536;

export interface Convolver {
  /** Adds the input convolved with `ir` (at most 32768 samples), times `gain`, to `out`. */
  add(ir: Float32Array, gain: number, out: Float32Array): void;
}

/** `input` in samples; memory: its spectra, four times its size in doubles. */
export function createConvolver(input: Float32Array): Convolver {
  const fft = new FFT(SIZE);
  const hop = SIZE / 2;
  const blocks = Math.ceil(input.length / hop);
  const spectra: Float32Array[] = [];
  const buffer = new Float64Array(SIZE);
  const spectrum = new Float64Array(SIZE * 2);
  for (let b = 0; b < blocks; b++) {
    buffer.fill(0);
    buffer.set(input.subarray(b * hop, (b + 1) * hop));
    fft.realTransform(spectrum, buffer);
    fft.completeSpectrum(spectrum);
    spectra.push(Float32Array.from(spectrum));
  }
  return {
    add(ir, gain, out) {
      const H = new Float64Array(SIZE * 2);
      buffer.fill(0);
      buffer.set(ir.subarray(0, hop));
      fft.realTransform(H, buffer);
      fft.completeSpectrum(H);
      const time = new Float64Array(SIZE * 2);
      for (let b = 0; b < blocks; b++) {
        const X = spectra[b];
        for (let i = 0; i < SIZE * 2; i += 2) {
          spectrum[i] = X[i] * H[i] - X[i + 1] * H[i + 1];
          spectrum[i + 1] = X[i] * H[i + 1] + X[i + 1] * H[i];
        }
        fft.inverseTransform(time, spectrum);
        const n = Math.min(SIZE, out.length - b * hop);
        for (let i = 0; i < n; i++) out[b * hop + i] += gain * time[2 * i];
      }
    },
  };
}
