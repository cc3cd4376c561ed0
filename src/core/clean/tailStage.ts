/**
 * Tail damping: after each own stroke a low-pass closes, and opens again before the next. Sound = low part + gain x (all - low part), where the low part comes
 * from a symmetric filter with the magnitude of a Butterworth low-pass of order 4 (24 dB per octave): it shifts no phase, so that nothing dips while one
 * fades into the other, and with the gain at one the samples are the very ones that came in. The price is a latency of 10 ms, always.
 */
import FFT from 'fft.js';
import { dbToGain } from '../dsp/db';
import { firstIndex } from '../dsp/search';
import { TAIL_PARAMS, type TailSettings } from '../params/sliceParams';

export interface TailHit {
  readonly frame: number;
  readonly strength: number;
}

export interface LiveTail {
  readonly settings: TailSettings;
  /** Own strokes, rising. */
  readonly hits: readonly TailHit[];
  /** Other drums' strokes, rising. */
  readonly foreign: readonly number[];
}

export interface TailStage {
  /** Frames. */
  readonly latency: number;
  /**
   * In place: takes `n` samples in and gives those of `latency` before, which lie at frames `outFrame` on; with `idle` they are
   * only delayed, since nobody will hear them. Allocates nothing.
   */
  process(io: Float32Array, from: number, n: number, outFrame: number, idle?: boolean): void;
  set(t: LiveTail | null): void;
  reset(): void;
}

const LATENCY_S = 0.01;
/** Open again this long before the next stroke, over OPEN_S. */
const AHEAD_S = 0.002;
const OPEN_S = 0.003;
const DUCK_S = 0.08;
const ORDER = 4;

export const tailLatency = (rate: number): number => Math.ceil(LATENCY_S * rate);

/** One half (centre first) of a symmetric low-pass of 2 x half + 1 taps with a Butterworth magnitude; sums to one over both halves. */
export function symmetricLowpass(rate: number, hz: number, half: number): Float64Array {
  let size = 1024;
  while (size < 8 * half) size *= 2;
  const fft = new FFT(size);
  const spectrum = new Float64Array(2 * size);
  for (let k = 0; k < size; k++) spectrum[2 * k] = 1 / Math.sqrt(1 + ((Math.min(k, size - k) * rate) / size / hz) ** (2 * ORDER));
  const time = new Float64Array(2 * size);
  fft.inverseTransform(time, spectrum);
  const out = Float64Array.from({ length: half + 1 }, (_, i) => time[2 * i] * (i < 0.6 * half ? 1 : 0.5 + 0.5 * Math.cos((Math.PI * (i - 0.6 * half)) / (0.4 * half))));
  const sum = out.reduce((s, v, i) => s + (i ? 2 * v : v), 0);
  return out.map((v) => v / sum);
}

const cosine = (u: number) => 0.5 + 0.5 * Math.cos(Math.PI * Math.min(1, Math.max(0, u)));

/** Gain of the highs at a frame: one at a stroke, falling after it. `i` is the index of the last stroke that has begun to open by then, -1 before the first. */
export function highGain(rate: number, t: LiveTail, frame: number, i: number, foreignAt: number): number {
  const { settings: s, hits, foreign } = t;
  const end = TAIL_PARAMS.depthDb.end.from;
  const floorOf = (strength: number) => {
    const depth = s.depthDb >= end && s.softDb === 0 ? Number.POSITIVE_INFINITY : s.depthDb;
    return dbToGain(-Math.max(0, depth - s.softDb * strength));
  };
  let g = 0;
  if (i < 0) g = hits.length ? floorOf(0) : 1;
  else {
    const h = hits[i];
    const floor = floorOf(h.strength);
    const since = (frame - h.frame) / rate;
    const closing = floor + (1 - floor) * cosine((since - s.fullMs / 1000) / (s.closeMs / 1000));
    // on its way up from where the stroke before had fallen to
    const opening = since < -AHEAD_S ? cosine(-(since + AHEAD_S) / OPEN_S) : 1;
    const before = i > 0 ? highGain(rate, t, h.frame - Math.ceil((AHEAD_S + OPEN_S) * rate), i - 1, -1) : floorOf(0);
    g = since < 0 ? before + (1 - before) * opening : closing;
  }
  if (s.duckDb > 0 && foreignAt >= 0) {
    const since = (frame - foreign[foreignAt]) / rate;
    const own = i >= 0 ? (frame - hits[i].frame) / rate : 1;
    // never inside the own stroke's open time
    if (since < DUCK_S && own > s.fullMs / 1000) g *= 1 - (1 - dbToGain(-s.duckDb)) * Math.min(1, (since + OPEN_S) / OPEN_S, (DUCK_S - since) / 0.02);
  }
  return g;
}

export function createTail(rate: number): TailStage {
  const latency = tailLatency(rate);
  // written twice, so that any window of 2 x latency + 1 samples lies in one piece
  const size = 2 * latency + 1;
  const ring = new Float32Array(2 * size);
  let at = 0;
  let live: LiveTail | null = null;
  let taps: Float64Array = new Float64Array(1);
  let designed = 0;
  let [own, other] = [-1, -1];
  let lastFrame = Number.NEGATIVE_INFINITY;
  /** Samples since the last that was not silence. */
  let silent = 0;
  const ahead = Math.ceil((AHEAD_S + OPEN_S) * rate);
  return {
    latency,
    process(io, from, n, first, idle = false) {
      const t = live;
      if (t && first !== lastFrame) {
        own = firstIndex(t.hits.length, (i) => t.hits[i].frame - ahead > first) - 1;
        other = firstIndex(t.foreign.length, (i) => t.foreign[i] > first) - 1;
      }
      for (let k = 0; k < n; k++) {
        ring[at] = io[from + k];
        ring[at + size] = io[from + k];
        silent = io[from + k] === 0 ? silent + 1 : 0;
        at = at === size - 1 ? 0 : at + 1;
        const mid = at + latency;
        let y = ring[mid];
        if (t && !idle && silent < size) {
          const frame = first + k;
          while (own + 1 < t.hits.length && t.hits[own + 1].frame - ahead <= frame) own++;
          while (other + 1 < t.foreign.length && t.foreign[other + 1] <= frame) other++;
          const g = highGain(rate, t, frame, own, other);
          if (g < 1) {
            let low = taps[0] * y;
            for (let j = 1; j < taps.length; j++) low += taps[j] * (ring[mid - j] + ring[mid + j]);
            y = low + g * (y - low);
          }
        }
        io[from + k] = y;
      }
      // after idling the places in the lists are sought anew
      lastFrame = idle ? Number.NEGATIVE_INFINITY : first + n;
    },
    set(next) {
      live = next?.settings.on ? next : null;
      lastFrame = Number.NEGATIVE_INFINITY;
      if (live && designed !== live.settings.lowpassHz) {
        designed = live.settings.lowpassHz;
        taps = symmetricLowpass(rate, designed, latency);
      }
    },
    reset() {
      ring.fill(0);
      at = 0;
      lastFrame = Number.NEGATIVE_INFINITY;
    },
  };
}
