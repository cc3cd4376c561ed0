/**
 * Minimum and maximum of a mic for every pixel column of a view: from the peak pyramid where a pixel holds many frames, from the
 * samples themselves where it holds few.
 */
import { binFrames, PEAK_LEVELS } from '../../core/dsp/peaks';
import { type MicAudio, fetchBlock, fetchPeaks } from '../../engine/blocks';
import { BLOCK_FRAMES } from '../../engine/protocol';

/** Min/max pairs of `width` columns over frames [from, to), from a pyramid level chosen so that a column holds at least one bin. */
export function columnsFromPyramid(levels: readonly (Float32Array | undefined)[], from: number, to: number, width: number): Float32Array {
  const out = new Float32Array(width * 2);
  const perPixel = (to - from) / width;
  let level = 0;
  while (level + 1 < PEAK_LEVELS && levels[level + 1] && binFrames(level + 1) <= perPixel) level++;
  const pairs = levels[level];
  if (!pairs) return out;
  const bin = binFrames(level);
  const last = pairs.length / 2;
  for (let x = 0; x < width; x++) {
    const a = Math.max(0, Math.floor((from + x * perPixel) / bin));
    const b = Math.min(last, Math.max(a + 1, Math.ceil((from + (x + 1) * perPixel) / bin)));
    let lo = Number.POSITIVE_INFINITY;
    let hi = Number.NEGATIVE_INFINITY;
    for (let i = a; i < b; i++) {
      if (pairs[2 * i] < lo) lo = pairs[2 * i];
      if (pairs[2 * i + 1] > hi) hi = pairs[2 * i + 1];
    }
    out[2 * x] = hi < lo ? 0 : lo;
    out[2 * x + 1] = hi < lo ? 0 : hi;
  }
  return out;
}

/** The same from samples; `samples[0]` is frame `origin`. Neighbouring columns touch, so that the line has no holes. */
export function columnsFromSamples(samples: Float32Array, origin: number, from: number, to: number, width: number): Float32Array {
  const out = new Float32Array(width * 2);
  const perPixel = (to - from) / width;
  for (let x = 0; x < width; x++) {
    const a = Math.floor(from + x * perPixel) - origin;
    const b = Math.max(a + 1, Math.ceil(from + (x + 1) * perPixel) - origin);
    let lo = Number.POSITIVE_INFINITY;
    let hi = Number.NEGATIVE_INFINITY;
    for (let i = Math.max(0, a); i < Math.min(samples.length, b + 1); i++) {
      const v = samples[i];
      if (v < lo) lo = v;
      if (v > hi) hi = v;
    }
    out[2 * x] = hi < lo ? 0 : lo;
    out[2 * x + 1] = hi < lo ? 0 : hi;
  }
  return out;
}

/** Who waits for what is on its way: all of them are told, each once, and may ask again. */
const waiting = new Map<string, Set<() => void>>();

function waitFor(name: string, ready: () => void): void {
  const all = waiting.get(name) ?? new Set();
  waiting.set(name, all.add(ready));
}

function tell(name: string): void {
  const all = waiting.get(name);
  waiting.delete(name);
  for (const ready of all ?? []) ready();
}

/** Peaks of mics, fetched once for each. */
const peaks = new Map<string, (Float32Array | undefined)[]>();
const asked = new Set<string>();

const nameOf = (a: MicAudio) => `${a.content}/${a.channel}`;

/** Levels there are so far; asks for those that are missing and calls `ready` when the next one comes. */
export function peakLevels(a: MicAudio, ready: () => void): readonly (Float32Array | undefined)[] {
  const name = nameOf(a);
  const have = peaks.get(name) ?? new Array(PEAK_LEVELS).fill(undefined);
  peaks.set(name, have);
  if (have.includes(undefined)) waitFor(name, ready);
  if (!asked.has(name)) {
    asked.add(name);
    for (let level = PEAK_LEVELS - 1; level >= 0; level--) {
      fetchPeaks(a, level)
        .then((p) => {
          have[level] = p;
          tell(name);
        })
        .catch(() => asked.delete(name));
    }
  }
  return have;
}

const blocks = new Map<string, Float32Array>();
const coming = new Set<string>();
const BLOCK_LIMIT = 48;

/** Samples of frames [from, to) where all of them are here, or null; asks for what is missing and calls `ready` when some of it comes. */
export function samplesOf(a: MicAudio, from: number, to: number, ready: () => void): { samples: Float32Array; origin: number } | null {
  const first = Math.max(0, Math.floor(from / BLOCK_FRAMES));
  const last = Math.min(Math.ceil(a.frames / BLOCK_FRAMES) - 1, Math.floor(to / BLOCK_FRAMES));
  const parts: Float32Array[] = [];
  let whole = true;
  for (let seq = first; seq <= last; seq++) {
    const name = `${nameOf(a)}/${seq}`;
    const b = blocks.get(name);
    if (b) {
      blocks.delete(name);
      blocks.set(name, b);
      parts.push(b);
      continue;
    }
    whole = false;
    waitFor(name, ready);
    if (coming.has(name)) continue;
    coming.add(name);
    fetchBlock(a, seq)
      .then((data) => {
        blocks.set(name, data);
        for (const old of blocks.keys()) {
          if (blocks.size <= BLOCK_LIMIT) break;
          blocks.delete(old);
        }
        tell(name);
      })
      .catch(() => {})
      .finally(() => coming.delete(name));
  }
  if (!whole || parts.length === 0) return null;
  const origin = first * BLOCK_FRAMES;
  if (parts.length === 1) return { samples: parts[0], origin };
  const samples = new Float32Array(parts.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const p of parts) {
    samples.set(p, at);
    at += p.length;
  }
  return { samples, origin };
}
