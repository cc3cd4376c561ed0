/**
 * Slices as a gain, sample by sample: full inside them, down in the gaps, fades at the edges, each cut moved to the nearest zero crossing of the raw mic within its reach. It
 * hears the raw mic ahead of what it turns down, by the latency that the other stages have anyway.
 */
import { firstIndex } from '../dsp/search';
import { fadeGain } from './fades';
import type { Slice } from './slices';

export interface LiveSlices {
  readonly list: readonly Slice[];
  /** Gain in gaps, linear. */
  readonly gapGain: number;
}

export interface SliceStage {
  /** Takes the next raw samples in, a few thousand at most; `atFrame` is the place of the first. */
  hear(raw: Float32Array, from: number, n: number, atFrame: number): void;
  /** Turns down `n` samples that lie at frames `atFrame` on, at least twice the longest reach behind what was heard. Allocates nothing. */
  apply(out: Float32Array, from: number, n: number, atFrame: number): void;
  /** Whether all of it will be silence, whatever is in it. */
  isSilent(atFrame: number, n: number): boolean;
  set(slices: LiveSlices | null): void;
}

const UNKNOWN = -1;
/** Kept of the raw mic, seconds: what lies between hearing and turning down, and a block. */
const MEMORY_S = 0.5;

/** The place nearest to `at` in [least, most] where the sign changes between it and the sample before; `at` where there is none. `x(frame)` gives samples. */
export function nearestZero(x: (frame: number) => number, at: number, least: number, most: number): number {
  for (let d = 0; d <= Math.max(at - least, most - at); d++) {
    if (at - d >= Math.max(1, least) && at - d <= most && x(at - d - 1) * x(at - d) <= 0) return at - d;
    if (d > 0 && at + d <= most && at + d >= Math.max(1, least) && x(at + d - 1) * x(at + d) <= 0) return at + d;
  }
  return at;
}

/** Index of the first slice that may reach past a frame. */
function firstEndingAfter(list: readonly Slice[], frame: number): number {
  return firstIndex(list.length, (i) => list[i].toRange[1] > frame);
}

export function createSliceStage(rate: number): SliceStage {
  let slices: LiveSlices | null = null;
  let froms = new Int32Array(0);
  let tos = new Int32Array(0);
  const size = Math.ceil(MEMORY_S * rate);
  const ring = new Float32Array(size);
  // frames known: [oldest, end)
  let [oldest, end] = [0, 0];
  /** Frames that the longest range spans. */
  let longest = 0;
  const x = (frame: number) => ring[frame % size];
  const known = (range: readonly [number, number]) => range[0] - 1 >= oldest && range[1] < end && range[1] - range[0] < size;
  const snapped = (cache: Int32Array, i: number, at: number, range: readonly [number, number]) => {
    if (cache[i] !== UNKNOWN) return cache[i];
    if (range[1] === range[0] || !known(range)) return at;
    cache[i] = nearestZero(x, at, range[0], range[1]);
    return cache[i];
  };
  return {
    hear(raw, from, n, atFrame) {
      // a mic that is not cut is not listened to
      if (!slices) {
        end = UNKNOWN;
        return;
      }
      if (atFrame !== end) oldest = atFrame;
      for (let i = 0; i < n; i++) ring[(atFrame + i) % size] = raw[from + i];
      end = atFrame + n;
      oldest = Math.max(oldest, end - size);
      // at once: by the time it is turned down a loop may have turned, and these samples are gone
      const { list } = slices;
      for (let i = firstEndingAfter(list, atFrame - longest); i < list.length && list[i].fromRange[0] < end; i++) {
        snapped(froms, i, list[i].from, list[i].fromRange);
        snapped(tos, i, list[i].to, list[i].toRange);
      }
    },
    apply(out, from, n, atFrame) {
      if (!slices) return;
      const { list, gapGain } = slices;
      const to = atFrame + n;
      const lo = firstEndingAfter(list, atFrame);
      let done = atFrame;
      const drop = (until: number) => {
        if (gapGain === 0 && until > done) out.fill(0, from + done - atFrame, from + until - atFrame);
        else for (let f = done; f < until; f++) out[from + f - atFrame] *= gapGain;
        done = Math.max(done, until);
      };
      for (let i = lo; i < list.length && list[i].fromRange[0] < to; i++) {
        const s = list[i];
        const begin = snapped(froms, i, s.from, s.fromRange);
        const stop = Math.max(snapped(tos, i, s.to, s.toRange), begin);
        drop(Math.min(to, begin));
        const fadeIn = Math.min(s.fadeIn, s.fullFrom - begin);
        const fadeOut = Math.min(s.fadeOut, stop - s.fullTo);
        const last = Math.min(to, stop);
        for (; done < last; done++) {
          let g = 1;
          if (done < begin + fadeIn) g = fadeGain(s.fadeInCurve, (done - begin + 1) / (fadeIn + 1));
          if (done >= stop - fadeOut) g *= fadeGain(s.fadeOutCurve, (stop - done) / (fadeOut + 1));
          if (g !== 1) out[from + done - atFrame] *= gapGain + (1 - gapGain) * g;
        }
      }
      drop(to);
    },
    isSilent(atFrame, n) {
      if (slices?.gapGain !== 0) return false;
      const i = firstEndingAfter(slices.list, atFrame);
      return i === slices.list.length || slices.list[i].fromRange[0] >= atFrame + n;
    },
    set(next) {
      if (next === slices) return;
      slices = next;
      longest = (next?.list ?? []).reduce((n, s) => Math.max(n, s.toRange[1] - s.toRange[0]), 0) + 1;
      froms = new Int32Array(next?.list.length ?? 0).fill(UNKNOWN);
      tos = new Int32Array(next?.list.length ?? 0).fill(UNKNOWN);
    },
  };
}
