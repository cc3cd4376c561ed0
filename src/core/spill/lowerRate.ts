/**
 * De-bleed of recordings at 88.2 kHz and more: its windows are so many samples, which at 48 kHz are as long as drums want them, and nothing of a drum that could be told apart lies higher. So such
 * recordings are worked on at a half or a quarter of their rate; what is above is turned down as the highest octave below is.
 */
import { HALF_BAND_REACH, doubled, halved } from '../dsp/halfBand';
import type { MicReader } from '../render';

/** From this rate on, Hz. */
const FROM_HZ = 88200;

/** How many samples of a recording become one. */
export function timesLower(rate: number): number {
  let times = 1;
  while (rate / times >= FROM_HZ) times *= 2;
  return times;
}

const lower = (x: Float32Array, times: number): Float32Array => (times > 1 ? lower(halved(x), times / 2) : x);
/** `x` at so many times its rate. */
export const raised = (x: Float32Array, times: number): Float32Array => (times > 1 ? raised(doubled(x), times / 2) : x);

/** Samples of the recording beside a stretch that its lower ones count on. */
const beside = (times: number) => HALF_BAND_REACH * 2 * times;

/** `length` samples from `from` on, silence where the recording of `frames` has none. */
export async function readWithin(reader: MicReader, frames: number, from: number, length: number): Promise<Float32Array> {
  const out = new Float32Array(length);
  const skip = Math.max(0, -from);
  const n = Math.min(length, frames - from) - skip;
  if (n > 0) await reader.read(from + skip, out.subarray(skip, skip + n));
  return out;
}

/** What de-bleed works on, at a lower rate: `frames` and `readers` of a recording. */
export function lowered<T extends { readonly frames: number; readonly readers: readonly MicReader[] }>(o: T, times: number): T {
  if (times === 1) return o;
  const pad = beside(times);
  const readers = o.readers.map((r) => ({
    async read(atFrame: number, out: Float32Array) {
      const x = await readWithin(r, o.frames, atFrame * times - pad, out.length * times + 2 * pad);
      out.set(lower(x, times).subarray(pad / times, pad / times + out.length));
    },
  }));
  return { ...o, frames: Math.ceil(o.frames / times), readers };
}

/** Levels by which the highest octave is held against what it was are taken over so long, seconds. */
const LEVEL_S = 0.005;
/** Samples at the recording's rate that are worked out at a time. */
const BLOCK = 65536;

/** Power of what is mostly in the highest octave, summed from the first sample on. */
function highSums(x: Float32Array): Float64Array {
  const sums = new Float64Array(x.length + 1);
  for (let i = 0; i < x.length; i++) sums[i + 1] = sums[i] + (x[i] - 0.5 * ((x[i - 1] ?? 0) + (x[i + 1] ?? 0))) ** 2;
  return sums;
}

/**
 * A mic at the recording's rate, `frames` long, of which `kept` is what is left at a lower one: what of `raw` is above that is turned down by as much as the highest octave of `kept` is. Where
 * nothing was taken it is `raw` but for rounding. `rate`: the recording's.
 */
export async function restored(raw: MicReader, kept: Float32Array, rate: number, times: number, frames: number): Promise<Float32Array> {
  const out = new Float32Array(frames);
  const half = Math.round((0.5 * LEVEL_S * rate) / times);
  const pad = beside(times) + half * times;
  for (let at = 0; at < frames; at += BLOCK) {
    const n = Math.min(BLOCK, frames - at);
    const x = await readWithin(raw, frames, at - pad, BLOCK + 2 * pad);
    const low = lower(x, times);
    // what the filter spreads beyond the recording's ends stays
    const left = low.slice();
    const first = (at - pad) / times;
    left.set(kept.subarray(Math.max(0, first), Math.max(0, first + low.length)), Math.max(0, -first));
    const [before, after] = [highSums(low), highSums(left)];
    const [whole, clean] = [raised(low, times), raised(left, times)];
    for (let i = 0; i < n; i++) {
      const k = Math.floor((pad + i) / times);
      const [was, is] = [before[k + half] - before[k - half], after[k + half] - after[k - half]];
      const g = is >= was ? 1 : Math.sqrt(is / was);
      out[at + i] = clean[pad + i] + g * (x[pad + i] - whole[pad + i]);
    }
  }
  return out;
}
