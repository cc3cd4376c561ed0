/**
 * Toms ring along with what else is struck: their heads answer kick, snare and other toms from their own place and for longer than a frame lasts, so that neither the
 * place nor the frame tells it from their own strokes. But what makes them ring is heard cleanly elsewhere: in every low bin the tom's mic is predicted from the frames before of
 * the other drums in their own mics (delayed linear prediction, weighted by what it leaves, as in T. Nakatani et al., IEEE TASLP 18(7), 2010), and the prediction is taken away
 * before drums are told apart.
 */
import { solve } from '../dsp/hermitian';
import { kindOf } from '../hits/kinds';
import { alongKernels } from '../kernels/alongKernels';
import type { Kit } from './kit';
import { BINS, HOP, SIZE } from './transform';

/** A mic whose drum rings along, and the drums that make it ring: places in the kit's lists. */
export interface RingsAlong {
  readonly mic: number;
  readonly drum: number;
  readonly refs: readonly number[];
}

/** Spectra of a bin, one value a frame. */
export interface Line {
  readonly re: Float32Array;
  readonly im: Float32Array;
}

/** The `q`th of spectra that stand as (re, im) x T one after the other. */
export const lineOf = (v: Float32Array, q: number, T: number): Line => ({ re: v.subarray(q * 2 * T, q * 2 * T + T), im: v.subarray(q * 2 * T + T, (q + 1) * 2 * T) });

/** Heads answer within these, Hz. */
const FROM_HZ = 23;
const UP_TO_HZ = 600;
/** How long ago a stroke may be that still makes a head ring, seconds. */
const REACH_S = 0.5;
/** No more unknowns than one for so many frames. */
const FRAMES_EACH = 8;
/** How often drums are told apart once more by what was taken away before, since toms make each other ring. */
export const STAGES = 2;
/** Rounds of weighting. */
const WEIGHTED = 2;
/** Where less than this is left of the mean power a frame counts no more. */
const LEAST_LEFT = 1e-3;
/** On the diagonal, against its mean. */
const REGULAR = 1e-3;

const EXCITES = new Set(['kick', 'snare', 'tom']);

/** Mics of toms, with the kicks, snares and toms beside. */
export function ringsAlong(kit: Kit): RingsAlong[] {
  return kit.drums.flatMap((d, drum) => {
    if (kindOf(d) !== 'tom') return [];
    const refs = kit.drums.flatMap((o, k) => (k !== drum && EXCITES.has(kindOf(o)) ? [k] : []));
    return refs.length ? kit.own[drum].map((mic) => ({ mic, drum, refs })) : [];
  });
}

/** Bins in which drums ring along: from the first to before the second. */
export const alongBins = (rate: number): readonly [number, number] => [Math.max(1, Math.round((FROM_HZ * SIZE) / rate)), Math.min(BINS, Math.ceil((UP_TO_HZ * SIZE) / rate))];

/** Frames before that are listened to. */
export const tapsOf = (rate: number): number => Math.round((REACH_S * rate) / HOP);

/** Values of one bin's filters: for each of the mics, by drum that makes it ring and frame before, re and im. */
export const filtersSize = (list: readonly RingsAlong[], taps: number): number => list.reduce((n, r) => n + r.refs.length * taps * 2, 0);

/**
 * Filters from the frames before of `refs` to `x`: refs x taps x (re, im), the frame just before first. `own`: what of x is its own drum's, as far as is known; `since`: how many frames of the
 * same stretch there are before each. What refs do in the frame itself is fitted too, and left to others.
 */
export function fitAlong(x: Line, own: Line, refs: readonly Line[], since: Int32Array, taps: number): Float32Array {
  const T = since.length;
  const reach = Math.max(1, Math.min(taps, Math.floor(T / FRAMES_EACH / refs.length) - 1));
  const width = reach + 1;
  const n = refs.length * width;
  const out = new Float32Array(refs.length * taps * 2);
  let mean = 0;
  for (let t = 0; t < T; t++) mean += (x.re[t] ** 2 + x.im[t] ** 2) / T;
  if (mean < 1e-20) return out;
  const k = alongKernels(T, refs.length, reach);
  refs.forEach((r, q) => {
    k.lines[q].re.set(r.re.subarray(0, T));
    k.lines[q].im.set(r.im.subarray(0, T));
  });
  const { weight, y } = k;
  y.re.set(own.re.subarray(0, T));
  y.im.set(own.im.subarray(0, T));
  for (let round = 0; round < WEIGHTED; round++) {
    for (let t = 0; t < T; t++) weight[t] = since[t] < reach ? 0 : 1 / Math.max(y.re[t] ** 2 + y.im[t] ** 2, LEAST_LEFT * mean);
    for (let t = 0; t < T; t++) {
      y.re[t] = weight[t] * x.re[t];
      y.im[t] = weight[t] * x.im[t];
    }
    k.correlate();
    k.gram();
    let trace = 0;
    for (let i = 0; i < n; i++) trace += k.a.re[i * n + i] / n;
    if (trace < 1e-20) return out;
    for (let i = 0; i < n; i++) k.a.re[i * n + i] += REGULAR * trace;
    solve(n, k.a.re, k.a.im, k.b.re, k.b.im);
    if (round + 1 === WEIGHTED) break;
    y.re.set(x.re.subarray(0, T));
    y.im.set(x.im.subarray(0, T));
    k.subtract();
  }
  const { re, im } = k.b;
  for (let q = 0; q < refs.length; q++) {
    for (let l = 1; l <= reach; l++) out.set([re[q * width + l], im[q * width + l]], (q * taps + l - 1) * 2);
  }
  return out;
}

/** What one of the refs makes ring, added to `out` (times `sign`); `since` as in fitAlong. `filter`: its taps x (re, im). */
export function addAlong(filter: Float32Array, ref: Line, since: Int32Array, taps: number, out: Line, sign: number): void {
  const { re, im } = ref;
  for (let t = 0; t < since.length; t++) {
    let a = 0;
    let b = 0;
    const reach = Math.min(taps, since[t], t);
    for (let l = 1, i = 0, k = t - 1; l <= reach; l++, i += 2, k--) {
      const p = filter[i];
      const q = filter[i + 1];
      a += p * re[k] - q * im[k];
      b += p * im[k] + q * re[k];
    }
    out.re[t] += sign * a;
    out.im[t] += sign * b;
  }
}
