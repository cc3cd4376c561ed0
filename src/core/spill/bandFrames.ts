/** Power of a mic in thirds of an octave over short frames, and the mic again with such bands turned down. */
import FFT from 'fft.js';

export const SIZE = 2048;
export const HOP = SIZE / 4;
const BINS = SIZE / 2 + 1;
/** Edges of the bands from here up, a third of an octave each. */
const LOWEST_HZ = 60;
/** A stroke's peak in a band lies within this after it, ms. */
export const PEAK_MS = 40;

/** First bin of every band, and one past the last. */
export function bandEdges(rate: number): number[] {
  const edges = [0];
  for (let hz = LOWEST_HZ; hz < rate / 2.2; hz *= 2 ** (1 / 3)) {
    const bin = Math.round((hz * SIZE) / rate);
    if (bin > edges[edges.length - 1]) edges.push(bin);
  }
  edges.push(BINS);
  return edges;
}

export interface Frames {
  readonly rate: number;
  /** Frame k is centred on sample k x HOP. */
  readonly count: number;
  readonly bands: number;
  /** count x bands. */
  readonly power: Float32Array;
}

const window = Float64Array.from({ length: SIZE }, (_, i) => Math.sqrt(0.5 - 0.5 * Math.cos((2 * Math.PI * i) / SIZE)));

/** Frames that cover so many samples. */
export const framesIn = (samples: number): number => Math.ceil(samples / HOP) + 1;

/** Spectra (interleaved) of single frames, each good until the next. */
function spectraOf(x: Float32Array): (k: number) => Float64Array {
  const fft = new FFT(SIZE);
  const input = new Float64Array(SIZE);
  const spectrum = new Float64Array(2 * SIZE);
  return (k) => {
    const from = k * HOP - SIZE / 2;
    const [a, z] = [Math.max(0, -from), Math.min(SIZE, x.length - from)];
    if (a > 0 || z < SIZE) input.fill(0);
    for (let i = a; i < z; i++) input[i] = window[i] * x[from + i];
    fft.realTransform(spectrum, input);
    return spectrum;
  };
}

export function framesOf(x: Float32Array, rate: number): Frames {
  const edges = bandEdges(rate);
  const bands = edges.length - 1;
  const count = framesIn(x.length);
  const power = new Float32Array(count * bands);
  const spectrum = spectraOf(x);
  for (let k = 0; k < count; k++) {
    const s = spectrum(k);
    for (let b = 0; b < bands; b++) {
      let p = 0;
      for (let i = edges[b]; i < edges[b + 1]; i++) p += s[2 * i] * s[2 * i] + s[2 * i + 1] * s[2 * i + 1];
      power[k * bands + b] = p;
    }
  }
  return { rate, count, bands, power };
}

/** Peak in a band of a stroke at frame `k`, power. */
export function peakOf(f: Frames, k: number, b: number): number {
  let p = 0;
  for (let i = k; i <= Math.min(f.count - 1, k + Math.ceil((PEAK_MS * f.rate) / 1000 / HOP)); i++) p = Math.max(p, f.power[i * f.bands + b]);
  return p;
}

/** `x` with the bands of every frame times what `gains` writes for them, 0..1; where all are 1 it is left as it is. */
export function withGains(x: Float32Array, rate: number, gains: (k: number, out: Float64Array) => void): Float32Array {
  const edges = bandEdges(rate);
  const out = new Float32Array(x.length);
  const fft = new FFT(SIZE);
  const full = new Float64Array(2 * SIZE);
  const time = new Float64Array(2 * SIZE);
  const gain = new Float64Array(edges.length - 1);
  const spectrum = spectraOf(x);
  for (let k = 0; k < framesIn(x.length); k++) {
    gains(k, gain);
    const from = k * HOP - SIZE / 2;
    const [a, z] = [Math.max(0, -from), Math.min(SIZE, x.length - from)];
    if (gain.every((g) => g === 1)) {
      for (let i = a; i < z; i++) out[from + i] += 0.5 * window[i] ** 2 * x[from + i];
      continue;
    }
    const s = spectrum(k);
    let b = 0;
    for (let i = 0; i < BINS; i++) {
      while (i >= edges[b + 1]) b++;
      full[2 * i] = s[2 * i] * gain[b];
      full[2 * i + 1] = s[2 * i + 1] * gain[b];
      if (i > 0 && i < BINS - 1) {
        full[2 * (SIZE - i)] = full[2 * i];
        full[2 * (SIZE - i) + 1] = -full[2 * i + 1];
      }
    }
    fft.inverseTransform(time, full);
    for (let i = a; i < z; i++) out[from + i] += 0.5 * window[i] * time[2 * i];
  }
  return out;
}
