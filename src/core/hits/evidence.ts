/**
 * For chosen candidates of one drum: how much better the mixture explains them with the drum than without it, over own mics, other mics
 * and parts of the spectrum; what share of the event in the own mic is the drum's.
 */
import { rowsOf } from './candidates';
import { BANDS } from './kinds';
import { type Patterns, divergence, fitEvents } from './mixture';
import type { Song, Source } from './song';

export interface Evidence {
  /** Divergence without the drum minus with it: own mics, all mics, the best own cell. */
  readonly gainOwn: Float64Array;
  readonly gainAll: Float64Array;
  readonly gainBest: Float64Array;
  /** Gains in the own mic's lows, mids, highs, in the overheads, in other close mics; signed logarithms. */
  readonly parts: readonly Float64Array[];
  /** Largest share of an own cell, and share of the own mic's power in the drum's range. */
  readonly share: Float64Array;
  readonly shareRange: Float64Array;
  /** Explained power in the drum's range at the own mic. */
  readonly own: Float64Array;
  /** Divergence that is left, mean over the own mic's cells and over all. */
  readonly leftOwn: Float64Array;
  readonly leftAll: Float64Array;
  readonly before: Float64Array;
  /** Rise in the drum's range at the own mic, dB, and the largest rise of the drum's own part over what was there, dB. */
  readonly rise: Float64Array;
  readonly riseOwn: Float64Array;
  /** Modelled power of the other drums in the cells of the candidate at a place in `which`. */
  othersOf(k: number): Float32Array;
}

/** Ratios of powers of so many cells multiply without leaving the range of doubles. */
const TOGETHER = 8;

const signedLog = (v: number) => Math.sign(v) * Math.log1p(Math.abs(v));

export function evidence(song: Song, s: Source, patterns: Patterns, which: readonly number[], rounds = 40): Evidence {
  const { cells, mics, overheads } = song;
  const n = which.length;
  const K = patterns.names.length;
  const mine = Uint8Array.from(patterns.names, (name) => (name === s.drum ? 1 : 0));
  const [x, b] = [rowsOf(s.after, cells, which), rowsOf(s.before, cells, which)];
  const withIt = fitEvents(song.kernels, patterns, x, b, rounds, mine.map(() => 1), song.scale);
  const without = fitEvents(song.kernels, patterns, x, b, rounds, mine.map((v) => 1 - v), song.scale);
  const column = () => new Float64Array(n);
  const e = {
    gainOwn: column(), gainAll: column(), gainBest: column(), parts: Array.from({ length: 5 }, column), share: column(), shareRange: column(), own: column(),
    leftOwn: column(), leftAll: column(), before: column(), rise: column(), riseOwn: column(), othersOf: (k: number) => modelled(k, 0, 0, cells),
  };
  /** What the patterns explain at candidate `k` in some cells: own ones (`of` = 1) or the others' (0). */
  function modelled(k: number, of: number, from: number, length: number): Float32Array {
    const sum = new Float32Array(length);
    for (let j = 0; j < K; j++) {
      if (mine[j] !== of) continue;
      const g = withIt.gains[k * K + j];
      for (let f = 0; f < length; f++) sum[f] += g * patterns.w[j * cells + from + f];
    }
    return sum;
  }
  const foreign = mics.flatMap((m, i) => (m.own && !s.own.includes(i) ? [i] : []));
  const gain = new Float64Array(cells);
  const sumOver = (list: readonly number[], from = 0, to = BANDS) => {
    let t = 0;
    for (const m of list) for (let b = from; b < to; b++) t += gain[m * BANDS + b];
    return t;
  };
  const main = [s.main];
  const every = mics.map((_, i) => i);
  const first = s.main * BANDS;
  for (let k = 0; k < n; k++) {
    const at = which[k] * cells;
    const row = k * cells;
    // divergences without the drum minus with it; of what is left only the sum, with one logarithm for a few cells
    let [leftAll, product] = [-cells, 1];
    for (let f = 0; f < cells; f++) {
      const v = s.after[at + f];
      const [m1, m0] = [withIt.model[row + f], without.model[row + f]];
      const r = v / m1;
      gain[f] = v / m0 - r + Math.log(m0 / m1);
      leftAll += r;
      product *= r;
      if (f % TOGETHER === TOGETHER - 1 || f === cells - 1) {
        leftAll -= Math.log(product);
        product = 1;
      }
    }
    const part = modelled(k, 1, first, BANDS);
    e.gainOwn[k] = Math.max(0, sumOver(s.own));
    e.gainAll[k] = Math.max(0, sumOver(every));
    e.parts[0][k] = signedLog(sumOver(main, 0, 4));
    e.parts[1][k] = signedLog(sumOver(main, 4, 8));
    e.parts[2][k] = signedLog(sumOver(main, 8, BANDS));
    e.parts[3][k] = signedLog(sumOver(overheads));
    e.parts[4][k] = signedLog(sumOver(foreign));
    let [best, share, left, riseOwn] = [0, 0, 0, 0];
    for (let b = 0; b < BANDS; b++) {
      const f = first + b;
      best = Math.max(best, gain[f]);
      share = Math.max(share, part[b] / withIt.model[row + f]);
      left += divergence(s.after[at + f], withIt.model[row + f]);
      riseOwn = Math.max(riseOwn, part[b] / s.before[at + f]);
    }
    let [own, model, a, b0] = [0, 0, 0, 0];
    for (const b of s.bands) {
      const f = first + b;
      own += part[b];
      model += withIt.model[row + f];
      a += s.after[at + f];
      b0 += s.before[at + f];
    }
    e.gainBest[k] = best;
    e.share[k] = share;
    e.shareRange[k] = own / model;
    e.own[k] = own;
    e.leftOwn[k] = left / BANDS;
    e.leftAll[k] = leftAll / cells;
    e.before[k] = withIt.before[k];
    e.rise[k] = 10 * Math.log10(a / b0);
    e.riseOwn[k] = 10 * Math.log10(riseOwn + 1e-3);
  }
  return e;
}
