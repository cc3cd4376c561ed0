/**
 * Many dry signals through many rooms at once: each output is a sum of inputs convolved with impulse responses (at most 32768 samples),
 * by overlap-add. Sums are made in the frequency domain and two outputs share one inverse transform, so that a drum more or a mic
 * more costs little. Measured: 6 s where adding every reflection took 50, for 11 mics and 7 drums of 54 s.
 */
import FFT from 'fft.js';

const SIZE = 65536;
const HOP = SIZE / 2;
const HALF = SIZE / 2 + 1;

export interface RoomOutput {
  /** Is added to. */
  readonly out: Float32Array;
  readonly terms: readonly { readonly input: number; readonly ir: Float32Array }[];
}

/** All inputs have the length of the outputs. `progress` is told 0..1. */
export function mixRooms(inputs: readonly Float32Array[], outputs: readonly RoomOutput[], progress: (done: number) => void = () => {}): void {
  const fft = new FFT(SIZE);
  const full = new Float64Array(SIZE * 2);
  const time = new Float64Array(SIZE * 2);
  const buffer = new Float64Array(SIZE);
  const spectrumOf = (x: Float32Array): Float32Array => {
    buffer.fill(0);
    buffer.set(x.subarray(0, HOP));
    fft.realTransform(full, buffer);
    return Float32Array.from(full.subarray(0, 2 * HALF));
  };
  const rooms = outputs.map((o) => o.terms.map((t) => ({ input: t.input, h: spectrumOf(t.ir) })));
  const frames = inputs[0]?.length ?? 0;
  const blocks = Math.ceil(frames / HOP);
  const sums = [new Float64Array(2 * HALF), new Float64Array(2 * HALF)];
  for (let b = 0; b < blocks; b++) {
    const spectra = inputs.map((x) => spectrumOf(x.subarray(b * HOP, (b + 1) * HOP)));
    for (let o = 0; o < outputs.length; o += 2) {
      for (let k = 0; k < 2; k++) {
        const sum = sums[k].fill(0);
        for (const { input, h } of rooms[o + k] ?? []) {
          const x = spectra[input];
          for (let i = 0; i < 2 * HALF; i += 2) {
            sum[i] += x[i] * h[i] - x[i + 1] * h[i + 1];
            sum[i + 1] += x[i] * h[i + 1] + x[i + 1] * h[i];
          }
        }
      }
      // A + iB, of which A and B are the real and imaginary parts in time
      const [A, B] = sums;
      for (let k = 0; k < HALF; k++) {
        full[2 * k] = A[2 * k] - B[2 * k + 1];
        full[2 * k + 1] = A[2 * k + 1] + B[2 * k];
        if (k > 0 && k < HALF - 1) {
          const j = 2 * (SIZE - k);
          full[j] = A[2 * k] + B[2 * k + 1];
          full[j + 1] = -A[2 * k + 1] + B[2 * k];
        }
      }
      fft.inverseTransform(time, full);
      for (let k = 0; k < 2 && o + k < outputs.length; k++) {
        const { out } = outputs[o + k];
        const n = Math.min(SIZE, out.length - b * HOP);
        for (let i = 0; i < n; i++) out[b * HOP + i] += time[2 * i + k];
      }
    }
    progress((b + 1) / blocks);
  }
}
