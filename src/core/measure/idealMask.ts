/**
 * What a mask of the spectrogram could reach at most: every bin of the raw mic is turned down by the own drum's share of its power, which only the truth can tell. A measure of masks, nothing that cleans.
 */
import FFT from 'fft.js';

/** Windows, and their distance, samples: Hann at analysis and synthesis, a quarter apart, whose squares sum to 1.5. */
const SIZE = 2048;
const HOP = 512;
const OVERLAP = 1.5;

/** The gain of a bin by the own drum's share of its power, 0..1. The ratio mask is the share itself. */
export type GainOf = (share: number) => number;

/** `raw` and `truth` of one mic, as long as each other; what comes back is as long. */
export function idealMask(raw: Float32Array, truth: Float32Array, gainOf: GainOf = (share) => share): Float32Array {
  const fft = new FFT(SIZE);
  const window = Float64Array.from({ length: SIZE }, (_, i) => 0.5 - 0.5 * Math.cos((2 * Math.PI * i) / SIZE));
  const [own, all, back] = [new Float64Array(2 * SIZE), new Float64Array(2 * SIZE), new Float64Array(2 * SIZE)];
  const [x, y] = [new Float64Array(SIZE), new Float64Array(SIZE)];
  const out = new Float32Array(raw.length);
  for (let from = HOP - SIZE; from < raw.length; from += HOP) {
    for (let i = 0; i < SIZE; i++) {
      x[i] = window[i] * (truth[from + i] ?? 0);
      y[i] = window[i] * (raw[from + i] ?? 0);
    }
    fft.realTransform(own, x);
    fft.realTransform(all, y);
    for (let b = 0; b <= SIZE; b += 2) {
      const t = own[b] ** 2 + own[b + 1] ** 2;
      const rest = (all[b] - own[b]) ** 2 + (all[b + 1] - own[b + 1]) ** 2;
      const gain = gainOf(t / (t + rest + 1e-20));
      all[b] *= gain;
      all[b + 1] *= gain;
    }
    fft.completeSpectrum(all);
    fft.inverseTransform(back, all);
    for (let i = Math.max(0, -from); i < SIZE && from + i < out.length; i++) out[from + i] += (window[i] * back[2 * i]) / OVERLAP;
  }
  return out;
}
