/**
 * What spill there can be in a mic by what the others play, and nothing more is taken of its own drum. In every third of an octave the mic's level where its drum is silent is told from
 * the levels of the other drums and the overheads; where much more than that goes while the drum sounds, and the drum is far louder, it is the drum itself that goes. A mic that hears little
 * spill would come out worse than it was: what the model and the drums' usual decays are off by is more than what is to be taken out.
 */
import { nonNegative } from '../dsp/nonNegative';
import { quantile } from '../hits/candidates';
import { type Frames, HOP, SIZE, framesOf, giveBackBands, peakOf } from './bandFrames';

/** The drum sounds where it is no further under its loud strokes than this, dB. */
const SOUNDS_DB = -55;
const LOUD_QUANTILE = 0.9;
const LOUDEST_QUANTILE = 0.98;
const LEAST_STROKES = 3;
/** It is silent where it does not sound, but for so long before a stroke, which frames reach into, and after it, seconds. */
const BEFORE_S = 0.03;
const AFTER_S = 0.15;
/** With less silence than this the spill is not known, seconds; more frames than this tell no more. */
const ENOUGH_S = 2;
const MOST_FRAMES = 4000;
/** Rooms let the others ring on: each counts a second time, with so long a memory, seconds. */
const ROOM_S = 0.08;
/** More than this is taken than can be spill, as powers. */
const TOO_MUCH = 2;
/** A drum so far over the spill loses more by mistakes than it gains, dB. Where the silence is louder than so far under the drum, that cannot be. */
const OVER_SPILL_DB = 34;
const OVER_SILENCE_DB = 15;
/** A mic whose drum is so far over all spill is left as it came while the drum sounds, dB. */
const NONE_DB = 45;
/** What is left of a mic that hears little, so far under its loudest strokes (dB), may have lost the end of a ring: it sounds on where the mic is so many times as loud as spill can be, as powers, for so long after a stroke, seconds. */
const ENDS = { spillDb: -36, over: 30, s: 3 };
/** So far under its loudest frame a mic is switched off, dB. */
const SILENT_DB = -100;

const ratio = (db: number) => 10 ** (db / 10);

/** Which frames the drum sounds in, and in which it is silent and the mic is not; how loud the mic is there, dB against the loudest strokes. */
function whereOf(kept: Frames, raw: Frames, own: readonly number[], possible: readonly number[]): { readonly sounding: number[]; readonly silent: number[]; readonly spillDb: number } {
  const level = (f: Frames) => Float64Array.from({ length: f.count }, (_, k) => f.power.subarray(k * f.bands, (k + 1) * f.bands).reduce((a, v) => a + v, 0));
  const [left, heard] = [level(kept), level(raw)];
  const broad: Frames = { ...kept, bands: 1, power: Float32Array.from(left) };
  const peaks = own.map((f) => peakOf(broad, Math.min(kept.count - 1, Math.round(f / HOP)), 0));
  const least = quantile(peaks, LOUD_QUANTILE) * ratio(SOUNDS_DB);
  const off = heard.reduce((a, v) => Math.max(a, v), 0) * ratio(SILENT_DB);
  const [sounding, silent]: [number[], number[]] = [[], []];
  let next = 0;
  for (let k = 0; k < kept.count; k++) {
    const at = k * HOP;
    while (next < possible.length && possible[next] - BEFORE_S * kept.rate <= at) next++;
    if (left[k] > least) sounding.push(k);
    else if (heard[k] > off && (next === 0 || at >= possible[next - 1] + AFTER_S * kept.rate)) silent.push(k);
  }
  const spill = silent.reduce((a, k) => a + heard[k], 0) / Math.max(1, silent.length);
  return { sounding, silent, spillDb: 10 * Math.log10((spill + 1e-20) / (quantile(peaks, LOUDEST_QUANTILE) + 1e-20)) };
}

/** Power of each of the others in band `b`, by frame, and the same with a room's memory. */
function toldBy(others: readonly Float32Array[], f: Frames, b: number): Float64Array[] {
  const stays = Math.exp(-HOP / f.rate / ROOM_S);
  return others.flatMap((power) => {
    const now = Float64Array.from({ length: f.count }, (_, k) => power[k * f.bands + b]);
    let v = 0;
    return [now, now.map((p) => (v = stays * v + (1 - stays) * p))];
  });
}

/** Power of the spill in a band by frame, as the others tell it, learnt from frames without the drum: large and small ones count alike. */
function expected(heard: readonly number[], at: readonly number[], told: readonly Float64Array[], count: number): Float64Array {
  const n = told.length;
  const middle = quantile(heard, 0.5) + 1e-20;
  // against their means, for some hear a hundred thousand times what others do
  const scale = told.map((t) => at.reduce((a, k) => a + t[k], 0) / at.length + 1e-20);
  const [AA, Ab] = [new Float64Array(n * n), new Float64Array(n)];
  const row = new Float64Array(n);
  at.forEach((k, i) => {
    const weight = 1 / (heard[i] + middle);
    for (let j = 0; j < n; j++) row[j] = (told[j][k] / scale[j]) * weight;
    for (let j = 0; j < n; j++) {
      Ab[j] += row[j] * heard[i] * weight;
      for (let l = 0; l <= j; l++) AA[j * n + l] += row[j] * row[l];
    }
  });
  for (let j = 0; j < n; j++) for (let l = 0; l < j; l++) AA[l * n + j] = AA[j * n + l];
  const weights = nonNegative(AA, Ab);
  const out = new Float64Array(count);
  told.forEach((t, j) => {
    const w = weights[j] / scale[j];
    if (w > 0) for (let k = 0; k < count; k++) out[k] += w * t[k];
  });
  return out;
}

/** 1 where a drum's ring goes on, by how loud the mic is against `spill` (by band and frame; null where that is not asked); see ENDS. */
function soundsOn(heard: Frames, spill: readonly (Float64Array | null)[], possible: readonly number[]): Uint8Array {
  const out = new Uint8Array(heard.count);
  const asked = spill.flatMap((s, b) => (s ? [{ s, b }] : []));
  let next = 0;
  for (let k = 0; k < heard.count; k++) {
    const at = k * HOP;
    while (next < possible.length && possible[next] <= at + SIZE / 2) next++;
    if (next === 0 || at - possible[next - 1] > ENDS.s * heard.rate) continue;
    let [level, most] = [0, 0];
    for (const { s, b } of asked) {
      level += heard.power[k * heard.bands + b];
      most += s[k];
    }
    if (level > ENDS.over * most) out[k] = 1;
  }
  return out;
}

/**
 * Gives `kept` back, in itself, what was taken while its drum sounds and cannot be spill. `raw`: the mic as it came; `own`, `possible`: samples at which its drum is struck, and may be, rising;
 * `others`: power in thirds of an octave (framesOf, count x bands) of every other drum alone in its mic, and of the overheads. Where nothing of that kind was taken not a sample changes.
 * `heard`: of `raw`, where it is known. Tells how loud the mic is where its drum is silent, dB against its loudest strokes; null where that is not known.
 */
export function giveBackUnexpected(raw: Float32Array, kept: Float32Array, rate: number, own: readonly number[], possible: readonly number[], others: readonly Float32Array[], heard = framesOf(raw, rate)): number | null {
  if (own.length < LEAST_STROKES || others.length === 0) return null;
  const left = framesOf(kept, rate);
  const { count, bands } = left;
  const { sounding, silent, spillDb } = whereOf(left, heard, own, possible);
  if (silent.length * HOP < ENOUGH_S * rate || sounding.length === 0) return null;
  const at = silent.filter((_, i) => i % Math.ceil(silent.length / MOST_FRAMES) === 0);
  const taken = framesOf(raw, rate, kept);
  const inBand = Array.from({ length: bands }, (_, b) => {
    const sum = (f: Frames) => sounding.reduce((a, k) => a + f.power[k * bands + b], 0);
    const [drum, gone] = [sum(left), sum(taken)];
    const silence = at.map((k) => heard.power[k * bands + b]);
    const least = (silence.reduce((a, v) => a + v, 0) / at.length) * sounding.length;
    if (least > drum * ratio(-OVER_SILENCE_DB)) return { drum, gone, all: least, spill: null };
    const spill = expected(silence, at, toldBy(others, left, b), count);
    return { drum, gone, all: sounding.reduce((a, k) => a + spill[k], 0), spill };
  });
  const total = (of: (x: (typeof inBand)[number]) => number) => inBand.reduce((a, x) => a + of(x), 0);
  const none = total((x) => x.all) < total((x) => x.drum) * ratio(-NONE_DB);
  const most = inBand.map(({ drum, gone, all, spill }) => (none ? spill && new Float64Array(count) : gone > TOO_MUCH * all && all < drum * ratio(-OVER_SPILL_DB) ? spill : null));
  if (most.every((m) => !m)) return spillDb;
  const sounds = spillDb < ENDS.spillDb ? soundsOn(heard, inBand.map(({ spill }, b) => (most[b] ? spill : null)), possible) : new Uint8Array(count);
  for (const k of sounding) sounds[k] = 1;
  // what is beyond, with all else taken down to nothing
  giveBackBands(raw, kept, rate, (k, gain) => {
    for (let b = 0; b < bands; b++) {
      const [power, spill] = [taken.power[k * bands + b], most[b]?.[k] ?? Number.POSITIVE_INFINITY];
      gain[b] = sounds[k] && power > spill ? 1 - Math.sqrt(spill / power) : 0;
    }
  });
  return spillDb;
}
