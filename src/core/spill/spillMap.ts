/**
 * How every drum reaches every mic: level against the drum's own first mic (also by band), delay and polarity, and on how many strokes
 * that rests. Levels are medians of what strokes add; delays by generalised cross-correlation with phase transform, its cross-spectra summed over
 * strokes (C. Knapp, G. Carter, IEEE TASSP 24(4), 1976): one stroke alone is fooled by what else sounds.
 */
import FFT from 'fft.js';
import { quantile } from '../hits/candidates';
import { readSpectra } from '../hits/eventSpectra';
import { BANDS, heardBands } from '../hits/kinds';
import { createHitKernels } from '../kernels/hitKernels';

export interface SpillEntry {
  /** dB against the drum's first own mic (or first overhead), over the bands in which it is heard: 0 there, usually negative elsewhere. */
  readonly levelDb: number;
  /** The same in each of the pattern bands. */
  readonly bandsDb: readonly number[];
  /** ms after the drum's first own mic; null where no clear peak was found. */
  readonly delayMs: number | null;
  /** -1 where the mic hears the drum upside down against the drum's first own mic. */
  readonly polarity: 1 | -1;
}

export interface SpillRow {
  readonly drum: string;
  /** Index of the mic that levels and delays are against. */
  readonly main: number;
  readonly strokes: number;
  /** What a medium stroke adds to the main mic, dB, and by band: for comparing drums with each other. */
  readonly strokeDb: number;
  readonly strokeBandsDb: readonly number[];
  /** By mic. */
  readonly mics: readonly SpillEntry[];
}

/** Strokes looked at, at most; how far a delay may be, seconds. */
const MOST = 40;
const REACH_S = 0.04;
/** A peak counts that stands this many times over the correlation's usual size. */
const CLEAR = 8;

export interface SpillDrum {
  readonly drum: string;
  readonly main: number;
  /** Sure strokes, seconds. */
  readonly times: readonly number[];
  /** Where other drums were struck, seconds, rising: strokes near those are left out while enough remain. */
  readonly foreign: readonly number[];
}

/** Strokes that stand alone, the lonelier the better. */
function loneliest(d: SpillDrum): number[] {
  const gap = (t: number) => d.foreign.reduce((g, f) => (f - t > -0.03 && f - t < 0.06 ? Math.min(g, Math.abs(f - t)) : g), 1);
  return [...d.times].map((t) => ({ t, g: gap(t) })).sort((a, b) => b.g - a.g).slice(0, MOST).map((x) => x.t);
}

/** `read(mic)` gives the samples of a mic (all of one length); each is asked for once or twice. Drums without strokes are left out. */
export async function spillMap(rate: number, micCount: number, read: (mic: number) => Float32Array | Promise<Float32Array>, drums: readonly SpillDrum[]): Promise<SpillRow[]> {
  const played = drums.filter((d) => d.times.length > 0).map((d) => ({ ...d, picked: loneliest(d) }));
  let size = 1;
  while (size < 0.17 * rate) size *= 2;
  const fft = new FFT(size);
  const input = new Float64Array(2 * size);
  const lead = Math.round(0.005 * rate);
  const window = size - Math.round(REACH_S * rate) * 2;
  const windowOf = (length: number) => Float64Array.from({ length }, (_, i) => Math.sin((Math.PI * (i + 0.5)) / length) ** 0.5);
  const [short, long] = [windowOf(Math.min(window, Math.round(0.06 * rate))), windowOf(window)];
  const out = new Float64Array(2 * size);
  /** Spectra up to half the rate from each time on, two by one transform: the second as imaginary part of the first. */
  const spectra = (x: Float32Array, times: readonly number[], w: Float64Array): Float64Array[] => {
    const all: Float64Array[] = [];
    for (let n = 0; n < times.length; n += 2) {
      input.fill(0);
      times.slice(n, n + 2).forEach((t, part) => {
        const from = Math.round(t * rate) - lead;
        for (let i = Math.max(0, -from); i < w.length && from + i < x.length; i++) input[2 * i + part] = x[from + i] * w[i];
      });
      fft.transform(out, input);
      const [a, b] = [new Float64Array(size + 2), new Float64Array(size + 2)];
      for (let k = 0; k <= size / 2; k++) {
        const j = 2 * ((size - k) % size);
        a[2 * k] = (out[2 * k] + out[j]) / 2;
        a[2 * k + 1] = (out[2 * k + 1] - out[j + 1]) / 2;
        b[2 * k] = (out[2 * k + 1] + out[j + 1]) / 2;
        b[2 * k + 1] = (out[j] - out[2 * k]) / 2;
      }
      all.push(a, b);
    }
    return all.slice(0, times.length);
  };
  const mainSpectra: Float64Array[][] = [];
  for (const d of played) {
    const x = await read(d.main);
    mainSpectra.push(spectra(x, d.picked, short));
  }
  const added: Float64Array[][] = played.map(() => []);
  const delays: { delayMs: number | null; polarity: 1 | -1 }[][] = played.map(() => []);
  const kernels = createHitKernels();
  for (let m = 0; m < micCount; m++) {
    const x = await read(m);
    kernels.load(x);
    played.forEach((d, k) => {
      const rows = new Float64Array(d.picked.length * BANDS);
      const powers = readSpectra(kernels, rate, d.picked);
      d.picked.forEach((_, i) => {
        for (let b = 0; b < BANDS; b++) {
          const [post, pre] = [powers[2 * i * BANDS + b], powers[(2 * i + 1) * BANDS + b]];
          rows[i * BANDS + b] = Math.max(post - pre, 0.02 * post) + 1e-16;
        }
      });
      added[k][m] = rows;
      delays[k][m] = m === d.main ? { delayMs: 0, polarity: 1 } : delayOf(spectra(x, d.picked, long).map((there, i) => [mainSpectra[k][i], there]), fft, size, rate);
    });
  }
  return played.map((d, k) => {
    const own = added[k][d.main];
    const n = d.picked.length;
    const stroke = (bands: readonly number[]) => quantile(Array.from({ length: n }, (_, i) => 10 * Math.log10(bands.reduce((s, b) => s + own[i * BANDS + b], 0))), 0.5);
    const all = Array.from({ length: BANDS }, (_, b) => b);
    const heard = heardBands(d.drum);
    return {
      drum: d.drum,
      main: d.main,
      strokes: d.times.length,
      strokeDb: stroke(heard),
      strokeBandsDb: all.map((b) => stroke([b])),
      mics: added[k].map((rows, m) => {
        const ratio = (bands: number[]) => quantile(Array.from({ length: n }, (_, i) => 10 * Math.log10(bands.reduce((s, b) => s + rows[i * BANDS + b], 0) / bands.reduce((s, b) => s + own[i * BANDS + b], 0))), 0.5);
        return { levelDb: ratio(heard), bandsDb: all.map((b) => ratio([b])), ...delays[k][m] };
      }),
    };
  });
}

/** Delay of the second signals against the first ones, from pairs of spectra. */
function delayOf(pairs: readonly (readonly [Float64Array, Float64Array])[], fft: FFT, size: number, rate: number): { delayMs: number | null; polarity: 1 | -1 } {
  // whitened, where drums have something to say
  const from = Math.ceil((80 * size) / rate);
  const to = Math.floor((12000 * size) / rate);
  const sum = new Float64Array(2 * size);
  for (const [a, b] of pairs) {
    let energy = 1e-20;
    for (let k = 2 * from; k <= 2 * to; k += 2) energy += Math.sqrt((a[k] * a[k] + a[k + 1] * a[k + 1]) * (b[k] * b[k] + b[k + 1] * b[k + 1]));
    const g = 1 / energy;
    for (let k = 2 * from; k <= 2 * to; k += 2) {
      // conjugate of the first times the second; every stroke counts alike
      sum[k] += g * (a[k] * b[k] + a[k + 1] * b[k + 1]);
      sum[k + 1] += g * (a[k] * b[k + 1] - a[k + 1] * b[k]);
    }
  }
  const cross = new Float64Array(2 * size);
  for (let k = from; k <= to; k++) {
    const g = 1 / (Math.hypot(sum[2 * k], sum[2 * k + 1]) || 1);
    const j = 2 * (size - k);
    [cross[2 * k], cross[2 * k + 1], cross[j], cross[j + 1]] = [g * sum[2 * k], g * sum[2 * k + 1], g * sum[2 * k], -g * sum[2 * k + 1]];
  }
  const out = new Float64Array(2 * size);
  fft.inverseTransform(out, cross);
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
