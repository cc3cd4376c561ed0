import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { packed } from './bins';
import { type DebleedJob, createHand, learnModel, ownTargets, separateTargets } from './crew';
import { describeKit } from './kit';
import { holdLeak, leakMics, mostLeak } from './tomLeak';

const MICS = 4;
const NONE = Array.from({ length: MICS }, () => Number.POSITIVE_INFINITY);
type Matrix = (readonly [re: number, im: number])[][];

/** A covariance of a source that is loud in mic 0, -9 dB in mic 1 and in step in all mics, and of `extra` power in each that is not. */
function covariance(seed: number, extra: (m: number) => number): Matrix {
  const rng = createRng(seed);
  const turn = () => 2 * Math.PI * rng();
  const phases = Array.from({ length: MICS }, turn);
  const gains = [1, 10 ** (-9 / 20), 0.3, 0.2];
  const out: Matrix = Array.from({ length: MICS }, (_, i) => Array.from({ length: MICS }, (__, j) => [gains[i] * gains[j] * Math.cos(phases[i] - phases[j]), gains[i] * gains[j] * Math.sin(phases[i] - phases[j])] as const));
  return out.map((row, i) => row.map(([a, b], j) => (i === j ? ([a + extra(i), 0] as const) : ([a, b] as const))));
}
/** Packed with two sources beside each other, as de-bleed keeps them. */
const STRIDE = 4;
const IM = 2;
function pack(source: number, of: Matrix): Float32Array {
  const R = new Float32Array(packed(MICS, 0) * STRIDE).fill(7);
  for (let i = 0; i < MICS; i++) for (let j = 0; j <= i; j++) for (const k of [0, 1]) R[packed(i, j) * STRIDE + k * IM + source] = of[i][j][k];
  return R;
}
const diagonal = (R: Float32Array, source: number) => Array.from({ length: MICS }, (_, m) => R[packed(m, m) * STRIDE + source]);
/** Least power that any of many mixtures of the mics has: no covariance has less than nothing. */
function leastPower(R: Float32Array, source: number): number {
  const rng = createRng(9);
  let least = Number.POSITIVE_INFINITY;
  for (let k = 0; k < 500; k++) {
    const w = Array.from({ length: MICS }, () => [rng() - 0.5, rng() - 0.5] as const);
    let p = 0;
    for (let i = 0; i < MICS; i++) {
      for (let j = 0; j < MICS; j++) {
        const at = packed(Math.max(i, j), Math.min(i, j)) * STRIDE + source;
        const [a, b] = [R[at], i === j ? 0 : (i > j ? 1 : -1) * R[at + IM]];
        const [re, im] = [w[i][0] * w[j][0] + w[i][1] * w[j][1], w[i][1] * w[j][0] - w[i][0] * w[j][1]];
        p += a * re + b * im;
      }
    }
    least = Math.min(least, p);
  }
  return least;
}

describe('what a tom sends to another tom\'s mic', () => {
  const contaminated = covariance(3, (m) => (m === 1 ? 0.4 : m === 3 ? 0.05 : 0));
  const bound = [Number.POSITIVE_INFINITY, 0.15, Number.POSITIVE_INFINITY, Number.POSITIVE_INFINITY];

  it('loses only what is not in step, and keeps .7 of what is where even that is more than can be', () => {
    const R = pack(1, contaminated);
    holdLeak(R, 1, STRIDE, IM, MICS, 0, bound);
    const [own, there, ...others] = diagonal(R, 1);
    expect(own).toBeCloseTo(1, 5);
    expect(there).toBeCloseTo(10 ** (-9 / 10) * 1.7, 4);
    expect(others.map((v) => +v.toFixed(5))).toEqual([0.09, 0.09]);
    // what is in step between the two mics is as it was
    const before = pack(1, contaminated);
    for (const k of [1, 1 + IM]) expect(R[packed(1, 0) * STRIDE + k]).toBeCloseTo(before[packed(1, 0) * STRIDE + k], 6);
    expect(leastPower(R, 1)).toBeGreaterThan(0);
  });

  it('is held to the most that can be', () => {
    const R = pack(1, contaminated);
    holdLeak(R, 1, STRIDE, IM, MICS, 0, [Number.POSITIVE_INFINITY, 0.3, Number.POSITIVE_INFINITY, Number.POSITIVE_INFINITY]);
    expect(diagonal(R, 1)[1]).toBeCloseTo(0.3, 5);
  });

  it('stays as it is where nothing bounds it or it is less, and so does the other source', () => {
    for (const most of [NONE, [Number.POSITIVE_INFINITY, 0.6, Number.POSITIVE_INFINITY, Number.POSITIVE_INFINITY]]) {
      const R = pack(1, contaminated);
      holdLeak(R, 1, STRIDE, IM, MICS, 0, most);
      expect(Array.from(R)).toEqual(Array.from(pack(1, contaminated)));
    }
    const R = pack(1, contaminated);
    holdLeak(R, 1, STRIDE, IM, MICS, 0, bound);
    for (let p = 0; p < packed(MICS, 0); p++) expect([R[p * STRIDE], R[p * STRIDE + IM]]).toEqual([7, 7]);
  });

  it('does not depend on which mic comes first', () => {
    const turned = (m: Matrix): Matrix => m.slice().reverse().map((row) => row.slice().reverse());
    const [a, b] = [pack(0, contaminated), pack(0, turned(contaminated))];
    holdLeak(a, 0, STRIDE, IM, MICS, 0, bound);
    holdLeak(b, 0, STRIDE, IM, MICS, MICS - 1, bound.slice().reverse());
    for (const [m, v] of diagonal(b, 0).reverse().entries()) expect(v).toBeCloseTo(diagonal(a, 0)[m], 5);
  });
});

describe('the most that a tom may send', () => {
  it('is told by its strokes at which nothing else sounds there, though those are a third', () => {
    const own = Float64Array.from({ length: 90 }, (_, t) => 1 + 0.1 * Math.sin(t));
    const there = own.map((p, t) => 0.1 * p + (t % 3 ? 2 : 0));
    expect(mostLeak(there, own)).toBeCloseTo(0.05, 6);
  });

  it('is not known with few of them', () => {
    expect(mostLeak(new Float64Array(30), new Float64Array(30).fill(1))).toBe(Number.POSITIVE_INFINITY);
  });

  it('is asked for in mics of other toms alone', () => {
    const mics = ['kick', 'snare', 'tom-1', 'tom-2', 'tom-2', null].map((own) => ({ own, overhead: own === null }));
    expect(leakMics(describeKit(48000, mics))).toEqual([[], [], [3, 4], [2]]);
  });
});

const RATE = 48000;
/** Two toms a semitone apart, struck one after the other fill after fill, the second alone now and then; each in its own mic, in the other's and in two overheads. */
function fills() {
  const n = 20 * RATE;
  const rng = createRng(2);
  const gauss = createGaussian(rng);
  const starts = Array.from({ length: 8 }, (_, k) => 0.5 + 2.2 * k);
  const strokes = [starts.flatMap((t) => [t, t + 0.1]), starts.flatMap((t, k) => [t + 0.25, t + 0.35, ...(k % 3 === 0 ? [t + 1.4] : [])])];
  const dry = strokes.map((list, d) => {
    const x = new Float32Array(n);
    for (const at of list.map((t) => Math.round(t * RATE))) {
      const level = 0.4 * (0.3 + 0.7 * rng());
      const hz = [110, 116][d] * (1 + 0.01 * (rng() - 0.5));
      for (let i = 0; i < 1.2 * RATE && at + i < n; i++) x[at + i] += level * (Math.sin((2 * Math.PI * hz * i) / RATE) * Math.exp(-i / (0.25 * RATE)) + 0.5 * gauss() * Math.exp(-i / (0.004 * RATE)));
    }
    return x;
  });
  const mic = (...heard: readonly (readonly [delay: number, gain: number])[]) => Float32Array.from({ length: n }, (_, i) => heard.reduce((sum, [delay, gain], d) => sum + gain * (dry[d][i - delay] ?? 0), 1e-4 * gauss()));
  return { n, strokes, dry, mics: [mic([0, 1], [70, 0.35]), mic([75, 0.35], [0, 1]), mic([200, 0.3], [260, 0.3]), mic([290, 0.25], [210, 0.3])] };
}

describe('toms that are struck after one another', () => {
  it('keep their ring while the next one is struck', async () => {
    const { n, strokes, dry, mics } = fills();
    const kit = describeKit(RATE, ['tom-1', 'tom-2', null, null].map((own) => ({ own, overhead: own === null })));
    const readers = mics.map((x) => ({
      read(at: number, out: Float32Array) {
        out.fill(0);
        out.set(x.subarray(at, at + out.length));
      },
    }));
    const job: DebleedJob = { kit, frames: n, readers, hits: strokes, hands: [createHand()] };
    const kept = new Float32Array(n);
    await separateTargets({
      ...job, model: await learnModel(job), targets: ownTargets(kit), from: 0, to: n,
      write(at, [first]) {
        kept.set(first, at);
      },
    });
    const error = (x: Float32Array) => strokes[0].filter((_, i) => i % 2 === 0).reduce((sum, t) => {
      for (let i = Math.round((t + 0.25) * RATE); i < (t + 0.75) * RATE; i++) sum += (x[i] - dry[0][i]) ** 2;
      return sum;
    }, 1e-12);
    // without the bound -2.8 dB
    expect(10 * Math.log10(error(kept) / error(mics[0]))).toBeLessThan(-5);
  });
});
