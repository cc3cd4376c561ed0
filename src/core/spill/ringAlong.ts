/**
 * Toms ring along with what else is struck: their heads answer kick, snare and other toms from their own place and for longer than a frame lasts, so that neither the
 * place nor the frame tells it from their own strokes. But what makes them ring is heard cleanly elsewhere: in every low bin the tom's mic is predicted from the frames before of
 * the other drums in their own mics (delayed linear prediction, weighted by what it leaves, as in T. Nakatani et al., IEEE TASLP 18(7), 2010), and the prediction is taken away
 * before drums are told apart.
 */
import { solve } from '../dsp/hermitian';
import { kindOf } from '../hits/kinds';
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
  const [ur, ui] = [new Float64Array(n * T), new Float64Array(n * T)];
  refs.forEach((r, q) => {
    for (let l = 0; l <= reach; l++) {
      const o = (q * width + l) * T;
      for (let t = l; t < T; t++) {
        ur[o + t] = r.re[t - l];
        ui[o + t] = r.im[t - l];
      }
    }
  });
  let mean = 0;
  for (let t = 0; t < T; t++) mean += (x.re[t] ** 2 + x.im[t] ** 2) / T;
  if (mean < 1e-20) return out;
  const [left, right] = [Float64Array.from(own.re.subarray(0, T)), Float64Array.from(own.im.subarray(0, T))];
  const [wr, wi] = [new Float64Array(T), new Float64Array(T)];
  const weight = new Float64Array(T);
  const [ar, ai] = [new Float64Array(n * n), new Float64Array(n * n)];
  const [br, bi] = [new Float64Array(n), new Float64Array(n)];
  for (let round = 0; round < WEIGHTED; round++) {
    for (let t = 0; t < T; t++) weight[t] = since[t] < reach ? 0 : 1 / Math.max(left[t] ** 2 + right[t] ** 2, LEAST_LEFT * mean);
    let trace = 0;
    for (let i = 0; i < n; i++) {
      const o = i * T;
      let [p, q] = [0, 0];
      for (let t = 0; t < T; t++) {
        wr[t] = weight[t] * ur[o + t];
        wi[t] = weight[t] * ui[o + t];
        p += wr[t] * x.re[t] + wi[t] * x.im[t];
        q += wr[t] * x.im[t] - wi[t] * x.re[t];
      }
      br[i] = p;
      bi[i] = q;
      // four sums side by side: each waits for its last addition, all of them no longer
      for (let j = 0; j <= i; j += 4) {
        const [k0, k1, k2, k3] = [j, Math.min(j + 1, i), Math.min(j + 2, i), Math.min(j + 3, i)].map((q) => q * T);
        let a0 = 0;
        let a1 = 0;
        let a2 = 0;
        let a3 = 0;
        let b0 = 0;
        let b1 = 0;
        let b2 = 0;
        let b3 = 0;
        for (let t = 0; t < T; t++) {
          const p = wr[t];
          const q = wi[t];
          a0 += p * ur[k0 + t] + q * ui[k0 + t];
          b0 += p * ui[k0 + t] - q * ur[k0 + t];
          a1 += p * ur[k1 + t] + q * ui[k1 + t];
          b1 += p * ui[k1 + t] - q * ur[k1 + t];
          a2 += p * ur[k2 + t] + q * ui[k2 + t];
          b2 += p * ui[k2 + t] - q * ur[k2 + t];
          a3 += p * ur[k3 + t] + q * ui[k3 + t];
          b3 += p * ui[k3 + t] - q * ur[k3 + t];
        }
        ar.set([a0, a1, a2, a3].slice(0, i + 1 - j), i * n + j);
        ai.set([b0, b1, b2, b3].slice(0, i + 1 - j), i * n + j);
      }
      trace += ar[i * n + i] / n;
    }
    if (trace < 1e-20) return out;
    for (let i = 0; i < n; i++) ar[i * n + i] += REGULAR * trace;
    solve(n, ar, ai, br, bi);
    if (round + 1 === WEIGHTED) break;
    for (let t = 0; t < T; t++) {
      let [a, b] = [x.re[t], x.im[t]];
      for (let i = 0; i < n; i++) {
        a -= br[i] * ur[i * T + t] - bi[i] * ui[i * T + t];
        b -= br[i] * ui[i * T + t] + bi[i] * ur[i * T + t];
      }
      left[t] = a;
      right[t] = b;
    }
  }
  for (let q = 0; q < refs.length; q++) {
    for (let l = 1; l <= reach; l++) out.set([br[q * width + l], bi[q * width + l]], (q * taps + l - 1) * 2);
  }
  return out;
}

/** What one of the refs makes ring, added to `out` (times `sign`); `since` as in fitAlong. `filter`: its taps x (re, im). */
export function addAlong(filter: Float32Array, ref: Line, since: Int32Array, taps: number, out: Line, sign: number): void {
  for (let t = 0; t < since.length; t++) {
    let [a, b] = [0, 0];
    for (let l = 1; l <= Math.min(taps, since[t], t); l++) {
      const [p, q] = [filter[2 * l - 2], filter[2 * l - 1]];
      a += p * ref.re[t - l] - q * ref.im[t - l];
      b += p * ref.im[t - l] + q * ref.re[t - l];
    }
    out.re[t] += sign * a;
    out.im[t] += sign * b;
  }
}
