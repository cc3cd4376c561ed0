/** Power of a mic in thirds of an octave over short frames, and the mic again with such bands turned down. */
import { type FrameKernels, createFrames } from '../kernels/frames';

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

/** Frames that are transformed at a time. */
const ROOM = 64;
let kept: FrameKernels | null = null;
const kernels = (): FrameKernels => {
  kept ??= createFrames(SIZE, HOP, window, ROOM);
  return kept;
};
/** Where frame `k` begins. */
const beginOf = (k: number) => k * HOP - SIZE / 2;

/** A sound that is read in pieces: samples from one on, as many as there is room for. */
interface Sound {
  readonly length: number;
  read(from: number, into: Float32Array): void;
}

const as = (x: Float32Array): Sound => ({ length: x.length, read: (from, into) => into.set(x.subarray(from, from + into.length)) });

/** What has been taken from `raw` where `kept` is left: whole songs of it would be memory for nothing. */
const takenFrom = (raw: Float32Array, kept: Float32Array): Sound => ({
  length: kept.length,
  read(from, into) {
    for (let i = 0; i < into.length; i++) into[i] = raw[from + i] - kept[from + i];
  },
});

/** Spectra of `n` frames from `first` on, in the kernels. */
function transformFrom(x: Sound, first: number, n: number): FrameKernels {
  const t = kernels();
  const from = beginOf(first);
  const [a, z] = [Math.max(0, -from), Math.min(t.input.length, x.length - from)];
  t.input.fill(0);
  if (z > a) x.read(from + a, t.input.subarray(a, z));
  t.forward(n);
  return t;
}

/** `left`: of what has been taken from `raw` where that is left. */
export function framesOf(raw: Float32Array, rate: number, left?: Float32Array): Frames {
  const x = left ? takenFrom(raw, left) : as(raw);
  const edges = bandEdges(rate);
  const bands = edges.length - 1;
  const count = framesIn(x.length);
  const power = new Float32Array(count * bands);
  for (let first = 0; first < count; first += ROOM) {
    const n = Math.min(ROOM, count - first);
    const t = transformFrom(x, first, n);
    t.bandPowers(n, edges);
    for (let k = 0; k < n; k++) for (let b = 0; b < bands; b++) power[(first + k) * bands + b] = t.byBand[b * ROOM + k];
  }
  return { rate, count, bands, power };
}

/** Peak in a band of a stroke at frame `k`, power. */
export function peakOf(f: Frames, k: number, b: number): number {
  let p = 0;
  for (let i = k; i <= Math.min(f.count - 1, k + Math.ceil((PEAK_MS * f.rate) / 1000 / HOP)); i++) p = Math.max(p, f.power[i * f.bands + b]);
  return p;
}

/** What the windows of the frame before the first and after the last would have added up to at a sample: without it the first and last 10 ms would come out softer. */
function missing(sample: number, count: number): number {
  if (sample >= HOP && sample < beginOf(count)) return 0;
  const of = (k: number) => {
    const at = sample - beginOf(k);
    return at >= 0 && at < SIZE ? window[at] ** 2 : 0;
  };
  return of(-1) + of(count);
}

/** Frames that lie over each other anywhere. */
const LAPS = SIZE / HOP;
/** What a frame that stays adds of every sample under it. */
const whole = window.map((w) => 0.5 * w ** 2);

/** Writes the gain of every band, 0..1. */
export type Gains = (frame: number, out: Float64Array) => void;

/** `x` with the bands of every frame times what `gains` writes for them; where all are 1 it is left as it is. `write` gets it in order, and may write where `x` has been read before. */
function turned(x: Sound, rate: number, gains: Gains, write: (at: number, samples: Float32Array) => void): void {
  const edges = bandEdges(rate);
  const bands = edges.length - 1;
  const gain = new Float64Array(bands);
  const all = new Float32Array(bands * ROOM);
  const stays = new Uint8Array(ROOM);
  const piece = new Float32Array(HOP);
  const count = framesIn(x.length);
  const most = Math.min(ROOM, count);
  // the sum of frames from where the first of them begins: what lies before the next ones is whole, and nothing reads `x` there again
  const sum = new Float32Array((most - 1) * HOP + SIZE);
  for (let first = 0; first < count; first += ROOM) {
    const n = Math.min(ROOM, count - first);
    const from = beginOf(first);
    let changed = false;
    all.fill(0);
    for (let k = 0; k < n; k++) {
      gains(first + k, gain);
      stays[k] = gain.some((g) => g !== 1) ? 0 : 1;
      if (stays[k]) continue;
      changed ||= gain.some((g) => g !== 0);
      for (let b = 0; b < bands; b++) all[b * ROOM + k] = gain[b];
    }
    // frames that stay need no way there and back, silent ones add nothing; what lies under such alone is as it was
    const asItWas = (j: number) => j >= LAPS - 1 && j < n && stays.subarray(j - LAPS + 1, j + 1).every((v) => v === 1);
    for (let j = 0; j < n + LAPS - 1; j++) {
      const at = j * HOP;
      const [begin, end] = [Math.max(0, -from - at), Math.min(HOP, x.length - from - at)];
      if (end <= begin) continue;
      if (asItWas(j)) {
        x.read(from + at + begin, sum.subarray(at + begin, at + end));
        continue;
      }
      let read = false;
      for (let k = Math.max(0, j - LAPS + 1); k <= Math.min(n - 1, j); k++) {
        if (!stays[k]) continue;
        if (!read) x.read(from + at + begin, piece.subarray(begin, end));
        read = true;
        const w = (j - k) * HOP;
        for (let i = begin; i < end; i++) sum[at + i] += whole[w + i] * piece[i];
      }
    }
    if (changed) {
      const t = transformFrom(x, first, n);
      t.byBand.set(all);
      t.turnBands(n, edges);
      t.inverse(n);
      const reached = (n - 1) * HOP + SIZE;
      for (let i = 0; i < reached; i++) sum[i] += 0.5 * t.output[i];
    }
    const done = first + n < count ? n * HOP : sum.length;
    // only at both ends some of the windows are missing
    const [begin, end] = [Math.max(0, -from), Math.min(done, x.length - from)];
    const [head, tail] = [Math.min(end, Math.max(begin, HOP - from)), Math.max(begin, Math.min(end, beginOf(count) - from))];
    for (let i = begin; i < head; i++) sum[i] /= 1 - 0.5 * missing(from + i, count);
    for (let i = Math.max(head, tail); i < end; i++) sum[i] /= 1 - 0.5 * missing(from + i, count);
    if (end > begin) write(from + begin, sum.subarray(begin, end));
    sum.copyWithin(0, done);
    sum.fill(0, sum.length - done);
  }
}

/** `x` with the bands of every frame times what `gains` writes for them; where all are 1 it is left as it is. `out` may be `x` itself. */
export function withGains(x: Float32Array, rate: number, gains: Gains, out: Float32Array = new Float32Array(x.length)): Float32Array {
  turned(as(x), rate, gains, (at, samples) => out.set(samples, at));
  return out;
}

/** Gives `kept` back, in itself, what has been taken from `raw`, its bands times what `gains` writes for them. */
export function giveBackBands(raw: Float32Array, kept: Float32Array, rate: number, gains: Gains): void {
  turned(takenFrom(raw, kept), rate, gains, (at, samples) => {
    for (let i = 0; i < samples.length; i++) kept[at + i] += samples[i];
  });
}
