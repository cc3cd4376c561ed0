/**
 * Brings the times of a drum's hits to the first movement of its strokes. The first rise of a soft stroke is buried in spill, so that what is picked there comes
 * late by whatever the drum takes to swell; but strokes of a drum that are about as hard swell alike. From its clear strokes the shape of the attack is learnt (power per quarter
 * millisecond), every stroke is laid over it where the levels differ least, and told where the shape begins.
 */
import { type BandSteps, bandSteps, quantile } from './candidates';
import type { Kind } from './kinds';

/** Windows of the shape: per second, and so many after the attack. */
const HOPS = 4000;
const AFTER = 48;
/** How far a stroke may be moved, windows: earlier, later. */
const EARLIER = 36;
const LATER = 16;
/** Strokes the shape is learnt from: fewer say nothing, more say no more. */
const LEAST = 5;
const MOST = 40;
const ROUNDS = 4;
/** From so many strokes on the softer ones have a shape of their own: sticks that fall from low swell in another way. */
const TWO_SHAPES = 40;
const SOFT_SHARE = 0.4;
/** Strengths overlap: a shape of the other group counts where what is wrong with it is less than this share. */
const OTHERS = 0.9;
/** Largest difference of a window that counts, as a natural logarithm of power. */
const MOST_WRONG = 2;
/** The shape holds `before` windows ahead of the picks. It begins where it first comes to this share of its largest window and stands this many times over what is before it, by so many windows each. */
export interface Begins {
  readonly before: number;
  readonly share: number;
  readonly standsOut: number;
  readonly windows: number;
  /** What it has to stand out of: from and to windows after the pick; of several the one that gives the earliest beginning. */
  readonly over: readonly (readonly [from: number, to: number])[];
}
const BEGINS: Begins = { before: 24, share: 10 ** -3.3, standsOut: 2.5, windows: 1, over: [[-24, -16]] };
/** A faint first movement, which only a de-bled mic can show: a snare's soft strokes stir before the blow, a kick's beater before the head. */
export const FAINT: Readonly<Partial<Record<Kind, Begins>>> = {
  snare: { before: 24, share: 10 ** -3.5, standsOut: 4, windows: 2, over: [[-24, -16]] },
  kick: { before: 40, share: 10 ** -4.1, standsOut: 4, windows: 2, over: [[-40, -27], [-24, -16]] },
};
/** A pick no later than this after the beginning, and no earlier than that before it, is finer than the windows: it stays. Seconds. */
const FINE_LATE_S = 0.0014;
const FINE_EARLY_S = 0.002;
/** No stroke is moved back by more than such a drum swells and this, seconds. */
const MOST_EARLIER_S = 0.002;
/** A pick earlier than the shape's beginning is right where from there on the sound is this share of the stroke's largest window, and so many times what was there before. */
const SWELLS = 10 ** -1.6;
const STANDS_OUT_SWELL = 4;

/** What of a shape's word is believed, by what the mic does between pick and beginning, dB against what was there before the earlier of the two. */
export interface Trust {
  /** Strokes move earlier if so much rises there in the median: soft toms' shapes may begin with what is struck beside them. */
  readonly earlier?: number;
  /** A stroke does not move later where the mic rises by this much there: half-open hats swell so; another drum's attack, picked for a hat's, is far more, noise less. */
  readonly stays?: readonly [from: number, to: number];
}
/**
 * Of toms: in eight recordings the median was -7 to .3 dB where strokes seemed to begin earlier than they did, mostly by the 3 ms that a tom may swell, and 1 dB in one where they did. Of hats: 1 to 8 dB between pick and a beginning told later was a swell of the hat's own in
 * 29 cases of 30; more was another drum's attack, 23 times of 23.
 */
export const TRUST: Readonly<Partial<Record<Kind, Trust>>> = { tom: { earlier: 0.6 }, hat: { stays: [1, 8] } };

interface Shape {
  /** Windows from `before` ahead of the picks on; the mean of strokes of unit sum, what was there before taken off. */
  readonly power: Float64Array;
  readonly before: number;
}

/**
 * `times` in seconds, rising; `strengths` alike. `x` is the drum's own mic, `band` where its attack is heard, Hz, `swellS` how long before its pick such a drum may begin to swell: what comes
 * earlier in the shape is what is often struck together with it. `earlierS`: no stroke is moved back by more than that and this, seconds. `as`: what counts as a beginning; `trust`: what of it is believed. Gives new times.
 */
export function alignAttacks(x: Float32Array, rate: number, times: readonly number[], strengths: readonly number[], band: readonly [number, number], swellS: number, powers: BandSteps = bandSteps, earlierS = MOST_EARLIER_S, as: Begins = BEGINS, trust: Trust = {}): number[] {
  const { before } = as;
  const e = powers(x, rate, HOPS, band[0], band[1]).band.map((v) => v + 1e-14);
  const logs = e.map(Math.log);
  const all = Array.from(times.keys());
  const soft = new Set([...all].sort((a, b) => strengths[a] - strengths[b]).slice(0, times.length >= TWO_SHAPES ? Math.floor(SOFT_SHARE * times.length) : 0));
  const groups = [all.filter((i) => !soft.has(i)), all.filter((i) => soft.has(i))];
  const n = e.length;
  const at = times.map((t) => Math.floor(t * HOPS + 0.5));
  const quiet = at.map((k) => quantile(e.subarray(Math.max(0, k - 120), Math.max(1, k - 24)), 0.6) + 1e-13);
  const inside = (k: number) => k - before - EARLIER >= 0 && k + AFTER + LATER < n;
  const shapes = groups.map((group) => shapesOf(e, logs, times, at, quiet, group.filter((i) => inside(at[i])), strengths, before).map((shape) => ({ shape, begin: Math.max(beginningOf(shape, as), before - Math.round(swellS * HOPS)) })));
  const placed = times.map((t, i) => {
    if (!inside(at[i])) return t;
    const mine = soft.has(i) ? 1 : 0;
    let [least, moved] = [Number.POSITIVE_INFINITY, t];
    for (const g of [mine, 1 - mine]) {
      if (g !== mine && least === Number.POSITIVE_INFINITY) break;
      for (const { shape, begin } of shapes[g]) {
        const fit = fitShift(e, logs, at[i], quiet[i], shape);
        if (fit.cost >= (g === mine ? least : OTHERS * least)) continue;
        least = fit.cost;
        moved = (at[i] + fit.shift - before + begin) / HOPS;
      }
    }
    if (t - moved <= FINE_LATE_S && moved - t <= FINE_EARLY_S) return t;
    // further back is another drum's
    if (t - moved > swellS + earlierS) return t;
    if (moved > t && swellsFrom(e, at[i], Math.round(moved * HOPS), quiet[i])) return t;
    if (moved > t && trust.stays) {
      const rise = riseBetween(e, t, moved);
      if (rise > trust.stays[0] && rise < trust.stays[1]) return t;
    }
    return moved;
  });
  const rises = placed.flatMap((p, i) => (p < times[i] ? [riseBetween(e, p, times[i])] : []));
  const believed = trust.earlier === undefined || (rises.length > 0 && quantile(rises, 0.5) >= trust.earlier);
  return believed ? placed : placed.map((p, i) => Math.max(p, times[i]));
}

/** One shape, or two, of strokes (indices) that are about as hard; none where too few of them stand out. */
function shapesOf(e: Float64Array, logs: Float64Array, times: readonly number[], at: readonly number[], quiet: readonly number[], able: readonly number[], strengths: readonly number[], before: number): Shape[] {
  const alone = (i: number) => i === 0 || at[i] - at[i - 1] > 0.04 * HOPS;
  const standing = (list: readonly number[]) =>
    list
      .filter(alone)
      .map((i) => {
        let p = 0;
        for (let k = at[i]; k < at[i] + AFTER; k++) p = Math.max(p, e[k]);
        return { i, stands: (strengths[i] ** 2 * p) / quiet[i] };
      })
      .sort((a, b) => b.stands - a.stands)
      .slice(0, Math.min(MOST, Math.max(LEAST, Math.ceil(list.length / 3))))
      .map((q) => q.i);
  const learn = (list: readonly number[]): Shape | null => {
    const clear = standing(list);
    if (clear.length < LEAST) return null;
    const shift = new Int32Array(times.length);
    let shape = shapeOf(e, clear, at, shift, quiet, before);
    for (let r = 0; r < ROUNDS; r++) {
      const found = clear.map((i) => fitShift(e, logs, at[i], quiet[i], shape).shift);
      // the shape stays where the picks are on the whole
      const middle = Math.round(quantile(found, 0.5));
      if (found.every((v, j) => v - middle === shift[clear[j]])) break;
      clear.forEach((i, j) => {
        shift[i] = found[j] - middle;
      });
      shape = shapeOf(e, clear, at, shift, quiet, before);
    }
    return shape;
  };
  const first = learn(able);
  return first ? twoShapes(first, able, (i, shape) => fitShift(e, logs, at[i], quiet[i], shape).cost, learn) : [];
}

/** A second shape must take so many strokes, and lower what is wrong with them on the whole to this. */
const SECOND = { least: 2 * LEAST, better: 0.85 };
/** It is sought among so many strokes at most: more say no more. */
const SOUGHT_AMONG = 60;
/** So often the strokes of the second shape are told anew. */
const SECOND_ROUNDS = 2;

/** The shape, and a second one where enough strokes that the first fits badly have one in common: sticks and places differ. */
function twoShapes(first: Shape, all: readonly number[], cost: (i: number, shape: Shape) => number, learn: (list: readonly number[]) => Shape | null): Shape[] {
  if (all.length < 2 * SECOND.least) return [first];
  if (all.length > SOUGHT_AMONG) {
    const every = all.length / SOUGHT_AMONG;
    return twoShapes(first, Array.from({ length: SOUGHT_AMONG }, (_, k) => all[Math.floor(k * every)]), cost, learn);
  }
  const old = new Map(all.map((i) => [i, cost(i, first)]));
  let mine = [...all].sort((a, b) => (old.get(b) as number) - (old.get(a) as number)).slice(0, all.length >> 1);
  let second: Shape | null = null;
  for (let r = 0; r < SECOND_ROUNDS; r++) {
    second = learn(mine);
    if (!second) return [first];
    const shape = second;
    mine = all.filter((i) => cost(i, shape) < (old.get(i) as number));
    if (mine.length < SECOND.least) return [first];
  }
  const last = second as Shape;
  const sum = (of: (i: number) => number) => mine.reduce((s, i) => s + of(i), 0);
  return sum((i) => cost(i, last)) < SECOND.better * sum((i) => old.get(i) as number) ? [first, last] : [first];
}

/** Whether the stroke itself already sounds from window `from` to `to`: nearly as loud as it becomes, and well over what was there before. */
function swellsFrom(e: Float64Array, from: number, to: number, quiet: number): boolean {
  let peak = 0;
  for (let k = from; k < Math.min(e.length, to + AFTER); k++) peak = Math.max(peak, e[k]);
  const swell = quantile(e.subarray(from + 1, Math.max(from + 2, to)), 0.5);
  return swell > SWELLS * peak && swell > STANDS_OUT_SWELL * quiet;
}

function shapeOf(e: Float64Array, which: readonly number[], at: readonly number[], shift: Int32Array, quiet: readonly number[], before: number): Shape {
  const rows = which.map((i) => {
    const from = at[i] + shift[i] - before;
    const row = Float64Array.from({ length: before + AFTER }, (_, k) => Math.max(0, e[from + k] - quiet[i]));
    const sum = row.reduce((a, b) => a + b, 0) || 1;
    return row.map((v) => v / sum);
  });
  return { before, power: Float64Array.from({ length: before + AFTER }, (_, k) => quantile(rows.map((r) => r[k]), 0.5)) };
}

/** Levels tried, against what the windows round the pick hold. */
const LEVELS = [1, 0.6, 1.6, 0.35];
/** Shifts tried, the smallest first: what fits well early makes the rest short. */
const SHIFTS = Array.from({ length: EARLIER + LATER + 1 }, (_, i) => i - EARLIER).sort((a, b) => Math.abs(a) - Math.abs(b));

/** By how many windows the stroke picked at `k` begins later than the shape's zero, and how badly that fits. `logs` of the windows' power. */
function fitShift(e: Float64Array, logs: Float64Array, k: number, quiet: number, shape: Shape): { shift: number; cost: number } {
  const { power, before } = shape;
  const length = power.length;
  let [sum, total] = [0, 1e-30];
  for (let j = 0; j < length; j++) {
    sum += Math.max(0, e[k - before + j] - quiet);
    total += power[j];
  }
  // everything any shift looks at is explained: what lies before the shape as quiet, what lies after it as its end
  const from = k - EARLIER - before;
  const window = EARLIER + length + LATER;
  // what another drum adds just before must not count without end
  const off = (i: number, as: number) => Math.min(Math.abs(logs[from + i] - as), MOST_WRONG);
  const summed = (as: number) => {
    const t = new Float64Array(window + 1);
    for (let i = 0; i < window; i++) t[i + 1] = t[i] + off(i, as);
    return t;
  };
  const asQuiet = summed(Math.log(quiet));
  const model = new Float64Array(length);
  let [best, where] = [Number.POSITIVE_INFINITY, 0];
  for (const l of LEVELS) {
    const g = Math.max(1e-14, (l * sum) / total);
    for (let p = 0; p < length; p++) model[p] = Math.log(quiet + g * power[p]);
    const asEnd = summed(model[length - 1]);
    for (const s of SHIFTS) {
      const begin = s + EARLIER;
      let d = asQuiet[begin] + asEnd[window] - asEnd[begin + length];
      for (let p = 0; p < length && d < best; p++) {
        d += Math.min(Math.abs(logs[from + begin + p] - model[p]), MOST_WRONG);
      }
      if (d < best) {
        best = d;
        where = s;
      }
    }
  }
  return { shift: where, cost: best };
}

function beginningOf({ power, before }: Shape, { share, standsOut, windows, over }: Begins): number {
  const mean = power.map((_, k) => power.subarray(k, k + windows).reduce((a, b) => a + b, 0) / windows);
  const largest = share * Math.max(...mean);
  const begins = over.map(([from, to]) => {
    const limit = Math.max(largest, standsOut * quantile(mean.subarray(before + from, before + to), 0.9));
    return mean.findIndex((v, k) => k >= before + from && v > limit && (mean[k + 1] ?? 0) > limit);
  });
  const first = Math.min(...begins.filter((k) => k >= 0));
  return Number.isFinite(first) ? first : before;
}

/** Windows just before an earlier beginning that what follows has to rise over. */
const JUST_BEFORE = [-20, -2] as const;

/** By how much a mic rises, in the median, where strokes are said to begin `from` seconds instead of `to`: from before the earlier to between both, dB. */
export function risesBetween(x: Float32Array, rate: number, moves: readonly { readonly from: number; readonly to: number }[], band: readonly [number, number], powers: BandSteps = bandSteps): number {
  const e = powers(x, rate, HOPS, band[0], band[1]).band;
  return quantile(moves.map(({ from, to }) => riseBetween(e, from, to)), 0.5);
}

/** The same of one stroke, by the power of its windows. */
function riseBetween(e: Float64Array, from: number, to: number): number {
  const mean = (a: number, b: number) => {
    let sum = 0;
    for (let k = Math.max(0, a); k < Math.min(e.length, b); k++) sum += e[k];
    return sum / Math.max(1, b - a) + 1e-14;
  };
  const [a, z] = [Math.round(from * HOPS), Math.round(to * HOPS)];
  return 10 * Math.log10(mean(a + 1, Math.max(a + 2, z - 1)) / mean(a + JUST_BEFORE[0], a + JUST_BEFORE[1]));
}
