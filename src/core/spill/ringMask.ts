/**
 * What de-bleed leaves, by the drum's own decay: in every third of an octave a drum may sound after a stroke as long and as loud as its other strokes do there; what
 * is louder is taken down to that. It reaches what the spatial model cannot tell apart: a drum that rings along with others sounds from its own place.
 */
import FFT from 'fft.js';
import { carriedOn } from '../clean/ring';
import { quantile } from '../hits/candidates';

const SIZE = 2048;
const HOP = SIZE / 4;
const BINS = SIZE / 2 + 1;
/** Edges of the bands from here up, a third of an octave each. */
const LOWEST_HZ = 60;
/** A stroke's peak in a band lies within this after it, ms. */
const PEAK_MS = 40;
const LONGEST_S = 4;
const LEAST_STROKES = 3;
/** Of the levels that strokes have at a time: low, since others only add. */
const QUANTILE = 0.4;
/** How far over the usual decay a stroke may lie, dB. */
const MARGIN_DB = 5;
/** Slopes that are believed, dB per ms. */
const SLOPE = { least: -0.02, most: -0.3 };
/** Decay is believed down to this over the level before strokes, and never deeper than this below the peak, dB. */
const OVER_FLOOR_DB = 9;
/** Bands in which less than this is heard before strokes are left alone, dB under the stroke's peak. */
const CLEAN_DB = -35;
const DEEPEST_DB = -45;
/** In bands where a drum hardly stands out it is believed to fall by this before the rest is carried on, dB. */
const LEAST_DECAY_DB = -3;
/** A drum is heard in a band where its strokes are this much louder than what is there before them, dB. */
const STANDS_OUT_DB = 6;
const DEEPEST_GAIN = 10 ** (-60 / 20);

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

interface BandRing {
  /** Level after a stroke by band, one value each HOP samples, dB against the stroke's peak in the band; 0 at the attack, never rising. Empty where little is left to take down. */
  readonly decayDb: readonly (readonly number[])[];
}

interface Frames {
  readonly count: number;
  readonly bands: number;
  /** count x bands. */
  readonly power: Float32Array;
}

const window = Float64Array.from({ length: SIZE }, (_, i) => Math.sqrt(0.5 - 0.5 * Math.cos((2 * Math.PI * i) / SIZE)));

/** Calls `each` with the spectrum (interleaved) of every frame; frame k is centred on sample k x HOP. */
function eachFrame(x: Float32Array, each: (k: number, spectrum: Float64Array) => void): void {
  const fft = new FFT(SIZE);
  const input = new Float64Array(SIZE);
  const spectrum = new Float64Array(2 * SIZE);
  for (let k = 0; k <= Math.ceil(x.length / HOP); k++) {
    const from = k * HOP - SIZE / 2;
    for (let i = 0; i < SIZE; i++) input[i] = window[i] * (x[from + i] ?? 0);
    fft.realTransform(spectrum, input);
    each(k, spectrum);
  }
}

function bandPower(spectrum: Float64Array, edges: readonly number[], out: Float32Array, at: number): void {
  for (let b = 0; b + 1 < edges.length; b++) {
    let p = 0;
    for (let i = edges[b]; i < edges[b + 1]; i++) p += spectrum[2 * i] ** 2 + spectrum[2 * i + 1] ** 2;
    out[at + b] = p;
  }
}

function framesOf(x: Float32Array, rate: number): Frames {
  const edges = bandEdges(rate);
  const bands = edges.length - 1;
  const count = Math.ceil(x.length / HOP) + 1;
  const power = new Float32Array(count * bands);
  eachFrame(x, (k, s) => bandPower(s, edges, power, k * bands));
  return { count, bands, power };
}

const db = (p: number) => 10 * Math.log10(p + 1e-14);

/** Peak of a stroke in a band, power. */
function peakOf(f: Frames, rate: number, k: number, b: number): number {
  let p = 0;
  for (let i = k; i <= Math.min(f.count - 1, k + Math.ceil((PEAK_MS * rate) / 1000 / HOP)); i++) p = Math.max(p, f.power[i * f.bands + b]);
  return p;
}

/** So long after its last stroke a drum is believed to have rung out, seconds; in dense playing the frames that come latest after one stand for that. */
const GONE_S = 1.5;
const LATEST_SHARE = 0.08;

/** Frames in which the drum itself is silent, or nearly. */
function silentFrames(f: Frames, rate: number, at: readonly number[]): number[] {
  const since: number[] = [];
  let k = -1;
  for (let i = 0; i < f.count; i++) {
    while (k + 1 < at.length && at[k + 1] - Math.ceil(SIZE / 2 / HOP) - 1 <= i) k++;
    // what is before the first stroke is silent, but for the first frames of the recording
    since.push(k < 0 ? (i < 8 ? 0 : Number.POSITIVE_INFINITY) : i - at[k]);
  }
  const gone = Math.min((GONE_S * rate) / HOP, quantile(since.filter(Number.isFinite), 1 - LATEST_SHARE));
  return since.flatMap((s, i) => (s >= gone && s > 0 ? [i] : []));
}

/** How a drum rings in its mic, from what de-bleed left there; `own`: frames of its strokes, rising. */
function ringOf(f: Frames, rate: number, own: readonly number[]): BandRing {
  const at = own.map((h) => Math.min(f.count - 1, Math.round(h / HOP)));
  const clear = Math.ceil(SIZE / 2 / HOP) + 1;
  const longest = Math.round((LONGEST_S * rate) / HOP);
  const stepMs = (1000 * HOP) / rate;
  const enough = Math.min(4, Math.max(2, Math.floor(own.length / 3)));
  const silent = silentFrames(f, rate, at);
  const decayDb = Array.from({ length: f.bands }, (_, b) => {
    const peaks = at.map((k) => db(peakOf(f, rate, k, b)));
    const middle = quantile(peaks, 0.5);
    const steps: number[][] = [];
    at.forEach((k, i) => {
      if (peaks[i] < middle) return;
      const end = Math.min(f.count, (at[i + 1] ?? f.count) - clear);
      for (let s = 0; s < longest && k + s < end; s++) {
        steps[s] ??= [];
        steps[s].push(db(f.power[(k + s) * f.bands + b]) - peaks[i]);
      }
    });
    const heard: number[] = [];
    for (let s = 0; s < steps.length && steps[s].length >= enough; s++) {
      const v = s * stepMs <= PEAK_MS ? 0 : quantile(steps[s], QUANTILE);
      heard.push(Math.min(v, heard[s - 1] ?? 0));
    }
    if (heard.length === 0) heard.push(0);
    const before = silent.map((k) => db(f.power[k * f.bands + b]) - middle);
    const floor = before.length >= LEAST_STROKES ? quantile(before, 0.3) + OVER_FLOOR_DB : DEEPEST_DB;
    // little is left here: nothing to take down
    if (before.length >= LEAST_STROKES && quantile(before, 0.7) < CLEAN_DB) return [];
    // no louder at strokes than before them: nothing of the drum is heard here once the stick has
    if (before.length >= LEAST_STROKES && quantile(before, 0.5) > -STANDS_OUT_DB) heard.length = Math.min(heard.length, Math.ceil(PEAK_MS / stepMs) + 1);
    return carriedOn(heard, Math.min(LEAST_DECAY_DB, Math.max(DEEPEST_DB, floor)), stepMs, SLOPE, longest);
  });
  return { decayDb };
}

/**
 * The mic with everything taken down that is louder than its drum can be there, by how it rings in the mic itself; `own`: frames of strokes, rising. With fewer than three
 * strokes there is nothing to tell that by: the mic comes back as it is.
 */
export function followRing(x: Float32Array, rate: number, own: readonly number[]): Float32Array {
  if (own.length < LEAST_STROKES) return x;
  const f = framesOf(x, rate);
  return masked(x, rate, own, ringOf(f, rate, own), f);
}

function masked(x: Float32Array, rate: number, own: readonly number[], ring: BandRing, f: Frames): Float32Array {
  const { bands, count, power } = f;
  const edges = bandEdges(rate);
  const allowed = new Float32Array(count * bands);
  const margin = 10 ** (MARGIN_DB / 10);
  for (const h of own) {
    const k = Math.min(count - 1, Math.round(h / HOP));
    for (let b = 0; b < bands; b++) {
      const peak = peakOf(f, rate, k, b) * margin;
      const decay = ring.decayDb[b];
      if (decay.length === 0) continue;
      for (let s = -SIZE / 2 / HOP; s < decay.length && k + s < count; s++) {
        if (k + s < 0) continue;
        const i = (k + s) * bands + b;
        const a = s * HOP <= (PEAK_MS * rate) / 1000 ? Number.POSITIVE_INFINITY : peak * 10 ** (decay[s] / 10);
        allowed[i] += a;
      }
    }
  }
  const out = new Float32Array(x.length);
  const fft = new FFT(SIZE);
  const full = new Float64Array(2 * SIZE);
  const time = new Float64Array(2 * SIZE);
  const gain = new Float64Array(bands);
  eachFrame(x, (k, s) => {
    let open = true;
    for (let b = 0; b < bands; b++) {
      const i = k * bands + b;
      gain[b] = ring.decayDb[b].length === 0 || power[i] <= allowed[i] ? 1 : Math.max(DEEPEST_GAIN, Math.sqrt(allowed[i] / power[i]));
      open &&= gain[b] === 1;
    }
    const from = k * HOP - SIZE / 2;
    const [a, z] = [Math.max(0, -from), Math.min(SIZE, x.length - from)];
    if (open) {
      for (let i = a; i < z; i++) out[from + i] += 0.5 * window[i] ** 2 * x[from + i];
      return;
    }
    full.fill(0);
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
  });
  return out;
}
