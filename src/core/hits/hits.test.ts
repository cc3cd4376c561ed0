import { describe, expect, it } from 'vitest';
import { createGate } from '../clean/gate';
import { createGaussian, createRng } from '../dsp/rng';
import { GATE_DEFAULTS } from '../params/gateParams';
import { spillMap } from '../spill/spillMap';
import { createHitKernels } from '../kernels/hitKernels';
import { type Candidates, findCandidates as findIn, mergeCandidates } from './candidates';
import { choose } from './classify';
import { type Networks, detectHits, struckOnce } from './detectHits';
import { fitEvents } from './mixture';
import { type NetworkSet, beatOf } from './passes';
import { logMedianPatterns, stack, withoutNames } from './patterns';
import { pickOnsets } from './pickOnset';
import { NETWORKS } from './weights';
import { lendingFrom } from '../lend';

const RATE = 48000;
const findCandidates = (x: Float32Array, rate: number, bands: readonly number[]) => {
  const kernels = createHitKernels();
  kernels.load(x);
  return findIn(kernels, rate, bands);
};
const gaussOf = (seed: number) => createGaussian(createRng(seed));

/** Strokes of decaying noise over a noise floor. */
function strokes(times: readonly number[], seconds: number, seed: number, floor = 1e-4, decay = 1500): Float32Array {
  const g = gaussOf(seed);
  const x = Float32Array.from({ length: seconds * RATE }, () => floor * g());
  for (const t of times) for (let i = 0; i < 9000; i++) if (Math.round(t * RATE) + i < x.length) x[Math.round(t * RATE) + i] += 0.3 * g() * Math.exp(-i / decay);
  return x;
}

describe('candidates', () => {
  const times = [0.5, 0.9, 0.935, 1.4];
  const x = strokes(times, 2, 1);

  it('are found at every stroke, 35 ms apart too, and refined to within half a millisecond, never late', () => {
    const c = findCandidates(x, RATE, [1, 2, 3, 4, 5]);
    const refined = pickOnsets(x, RATE, c.time, [400, 12000]);
    for (const t of times) {
      const e = Array.from(refined, (r) => r - t).reduce((a, b) => (Math.abs(b) < Math.abs(a) ? b : a), 1);
      expect(Math.abs(e)).toBeLessThan(0.0005);
    }
  });

  it('do not depend on the gain of the mic', () => {
    const soft = findCandidates(x.map((v) => v * 0.05), RATE, [1, 2, 3, 4, 5]);
    const loud = findCandidates(x, RATE, [1, 2, 3, 4, 5]);
    // but for the very edge of the file
    const inside = (t: Float64Array) => Array.from(t).filter((v) => v > 0.02);
    expect(inside(soft.time)).toEqual(inside(loud.time));
  });

  it('move with the sound', () => {
    const shifted = new Float32Array(x.length);
    shifted.set(x.subarray(0, x.length - 480), 480);
    const a = pickOnsets(x, RATE, Float64Array.from(times), [400, 12000]);
    const b = pickOnsets(shifted, RATE, Float64Array.from(times, (t) => t + 0.01), [400, 12000]);
    for (const [i, t] of a.entries()) expect(b[i] - t).toBeCloseTo(0.01, 6);
  });

  it('are none in silence', () => expect(findCandidates(new Float32Array(RATE), RATE, [0, 1, 2]).time).toHaveLength(0));
});

describe('candidates of one source in several signals', () => {
  const list = (times: readonly number[], novelty: readonly number[]): Candidates => {
    const rows = Float32Array.from({ length: 7 * times.length }, (_, i) => 100 * times[Math.floor(i / 7)] + (i % 7));
    return { time: Float64Array.from(times), novelty: Float32Array.from(novelty), rises: rows, later: rows, long: rows };
  };

  it('come in order, of those within 4 ms the most novel with what belongs to it', () => {
    const { list: all, from } = mergeCandidates([list([0.1, 0.3, 0.5], [9, 5, 7]), list([0.2, 0.302, 0.5035], [4, 8, 6])]);
    expect(Array.from(all.time)).toEqual([0.1, 0.2, 0.302, 0.5]);
    expect(from).toEqual([0, 1, 1, 0]);
    expect(Array.from(all.rises.subarray(14, 21))).toEqual(Array.from({ length: 7 }, (_, i) => Math.fround(30.2 + i)));
  });

  it('of one signal alone stay as they are', () => {
    const one = list([0.1, 0.2], [1, 2]);
    expect(mergeCandidates([one])).toEqual({ list: one, from: [0, 0] });
  });
});

describe('the beat', () => {
  const known = Array.from({ length: 16 }, (_, i) => 1 + 0.25 * i).filter((_, i) => i !== 7);

  it('misses a stroke where one of an even row is missing, and none between', () => {
    const beat = beatOf(known);
    expect(beat(1 + 0.25 * 7)[0]).toBe(3);
    expect(beat(1 + 0.25 * 7.4)[0]).toBeLessThan(1);
    expect(beat(2)[1]).toBeGreaterThan(0.7);
  });

  it('says nothing without strokes, and moves with them', () => {
    expect(beatOf([])(3)).toEqual([0, 0]);
    const late = beatOf(known.map((t) => t + 5));
    for (const t of [1.1, 2.75, 4.5]) expect(late(t + 5)[0]).toBe(beatOf(known)(t)[0]);
  });
});

describe('the mixture', () => {
  const cells = 44;
  const g = createRng(3);
  const w = Float32Array.from({ length: 3 * cells }, () => g() ** 4 + 1e-4);
  const patterns = { names: ['kick', 'tom-1', 'crash'], cells, w };

  it('finds three drums that were struck together', () => {
    const gains = [40, 0.5, 3];
    const before = Float32Array.from({ length: cells }, () => 0.002 * (0.5 + g()));
    const after = Float32Array.from({ length: cells }, (_, f) => gains.reduce((s, a, k) => s + a * w[k * cells + f], 0.6 * before[f]));
    const r = fitEvents(createHitKernels(), patterns, after, before, 400, new Uint8Array(3).fill(1), new Float32Array(cells).fill(1));
    for (const [k, a] of gains.entries()) expect(Math.abs(10 * Math.log10(r.gains[k] / a))).toBeLessThan(0.5);
  });

  it('gives a drum that may not be used nothing', () => {
    const r = fitEvents(createHitKernels(), patterns, w.slice(0, cells), new Float32Array(cells).fill(1e-6), 20, Uint8Array.from([0, 1, 1]), new Float32Array(cells).fill(1));
    expect(r.gains[0]).toBe(0);
  });
});

describe('patterns', () => {
  it('are recovered from mostly clean events, whatever some of them hold', () => {
    const g = gaussOf(5);
    const u = createRng(6);
    const cells = 33;
    const p = Float32Array.from({ length: cells }, () => u() ** 3 + 0.001);
    const sum = p.reduce((a, b) => a + b, 0);
    const rows = Array.from({ length: 25 }, (_, i) => {
      const level = 10 ** (u() * 3);
      // a fifth of them are something else altogether
      return i % 5 === 0 ? Float32Array.from({ length: cells }, () => u() * level) : p.map((v) => v * level * 10 ** (0.05 * g()));
    });
    const [found] = logMedianPatterns(rows, 1);
    const errors = Array.from(found, (v, f) => Math.abs(10 * Math.log10(v / (p[f] / sum)))).sort((a, b) => a - b);
    expect(errors[cells >> 1]).toBeLessThan(1.5);
  });
});

describe('patterns without some drums', () => {
  const pattern = (...v: number[]) => Float32Array.from(v);
  const p = stack(new Map([['kick', [pattern(0.6, 0.4)]], ['tom-1', [pattern(0.1, 0.9), pattern(0.2, 0.8)]], ['snare', [pattern(0.3, 0.7)]]]), 2);

  it('are those of the others, in their order', () => {
    const without = withoutNames(p, ['tom-1', 'hat']);
    expect(without.names).toEqual(['kick', 'snare']);
    expect([...without.w]).toEqual([...pattern(0.6, 0.4, 0.3, 0.7)]);
    expect(without.cells).toBe(2);
    expect(withoutNames(p, [])).toBe(p);
  });
});

describe('choosing', () => {
  it('takes the surer of two within 14 ms, both beyond', () => {
    expect(choose(Float64Array.from([1, 1.01, 1.05, 1.08]), Float64Array.from([0.6, 0.9, 0.7, 0.2]), 0.4)).toEqual([1, 2]);
  });
});

describe("a cymbal's rises", () => {
  const hit = (time: number, certainty: number) => ({ time, strength: certainty, certainty });
  it('within 12 ms are one stroke, which begins with the first that counts', () => {
    expect(struckOnce([hit(2.011, 0.9), hit(1, 0.8), hit(2, 0.6), hit(3, 0.2), hit(3.005, 0.7), hit(4, 0.9), hit(4, 0.3)])).toEqual([hit(1, 0.8), { ...hit(2, 0.6), certainty: 0.9 }, hit(3.005, 0.7), hit(4, 0.9)]);
    expect(struckOnce([hit(1, 0.9), hit(1.013, 0.9)])).toHaveLength(2);
  });
});

describe('finding hits', () => {
  it('finds none where the first look leaves nothing worth a second one', async () => {
    const deafened = (set: NetworkSet): NetworkSet => Object.fromEntries(Object.entries(set).map(([kind, net]) => [kind, { ...net, b2: -1000 }]));
    const { first, second, third, lone, few } = NETWORKS;
    const deaf: Networks = { first: deafened(first), second: deafened(second), third: deafened(third), lone: deafened(lone), few: deafened(few) };
    const g = createGaussian(createRng(8));
    const mics = [300, 420, 500].map((later) => Float32Array.from({ length: 4 * RATE }, (_, i) => g() * (1e-4 + 0.3 * Math.exp(-((i + RATE / 2 - later) % (RATE / 2)) / 2000))));
    const described = [{ own: 'kick', overhead: false }, { own: null, overhead: true }, { own: null, overhead: true }];
    const hear = (networks: Networks) => detectHits(RATE, described, lendingFrom((m) => mics[m]), networks);
    expect((await hear(deaf)).drums).toEqual({ kick: [], crash: [], ride: [] });
    expect((await hear(NETWORKS)).drums.kick.length).toBeGreaterThan(4);
  });
});

describe('the spill map', () => {
  // C. Knapp, G. Carter 1976: the delay put in comes out; 1 m is 140 samples at 343 m/s (derived)
  it('finds delay, level and polarity of a mic that hears the drum later', async () => {
    const times = [0.5, 1.1, 1.7, 2.4, 3];
    const main = strokes(times, 4, 7, 1e-5);
    const g = gaussOf(8);
    const far = new Float32Array(main.length);
    for (let i = 280; i < far.length; i++) far[i] = -0.1 * main[i - 280] + 1e-4 * g();
    const [row] = await spillMap(RATE, 2, lendingFrom((m) => [main, far][m]), [{ drum: 'snare', main: 0, times, foreign: [] }]);
    expect(row.strokes).toBe(5);
    expect(row.mics[0]).toMatchObject({ levelDb: 0, delayMs: 0, polarity: 1 });
    expect(row.mics[1].delayMs).toBeCloseTo((280 / RATE) * 1000, 1);
    expect(row.mics[1].polarity).toBe(-1);
    expect(Math.abs(row.mics[1].levelDb + 20)).toBeLessThan(3);
  });

  it('says nothing of a delay in a mic that hears only noise', async () => {
    const main = strokes([0.5, 1.1, 1.7], 2.2, 7, 1e-5);
    const g = gaussOf(9);
    const noise = Float32Array.from(main, () => 0.01 * g());
    const [row] = await spillMap(RATE, 2, lendingFrom((m) => [main, noise][m]), [{ drum: 'snare', main: 0, times: [0.5, 1.1, 1.7], foreign: [] }]);
    expect(row.mics[1].delayMs).toBeNull();
  });
});

describe('a gate opened by hits', () => {
  const x = strokes([0.2, 0.6, 1], 1.5, 11, 0.02);
  const settings = { ...GATE_DEFAULTS, on: true, keyBy: 'hits' as const, holdMs: 100, releaseMs: 20, attackMs: 1, lookaheadMs: 2 };
  const run = (hits: { frame: number; strength: number }[], patch = {}, block = 512) => {
    const gate = createGate(RATE, { ...settings, ...patch }, hits);
    const padded = new Float32Array(x.length + gate.latency);
    padded.set(x);
    const out = new Float32Array(padded.length);
    for (let at = 0; at < padded.length; at += block) {
      const n = Math.min(block, padded.length - at);
      const piece = padded.subarray(at, at + n);
      gate.process(piece, piece, out.subarray(at, at + n), n, undefined, at);
    }
    return out.subarray(gate.latency);
  };
  const hits = [{ frame: Math.round(0.6 * RATE), strength: 1 }];

  it('opens for its hits only, whatever else is loud', () => {
    const y = run(hits);
    expect(y.subarray(0, 0.55 * RATE).every((v) => v === 0)).toBe(true);
    expect(y.subarray(0.85 * RATE).every((v) => v === 0)).toBe(true);
    const at = hits[0].frame;
    for (let i = at; i < at + 0.095 * RATE; i++) expect(y[i]).toBe(x[i]);
  });

  it('gives the same samples for any block size', () => {
    for (const block of [1, 77, 4096]) expect(run(hits, {}, block)).toEqual(run(hits));
  });

  it('opens less far for soft hits when asked', () => {
    const y = run([{ frame: hits[0].frame, strength: 0.5 }], { softDb: 12 });
    const i = hits[0].frame + 1000;
    expect(20 * Math.log10(y[i] / x[i])).toBeCloseTo(-6, 3);
  });

  it('holds for a shorter time after soft hits when asked', () => {
    const openAfter = (strength: number, patch = {}) => {
      const y = run([{ frame: hits[0].frame, strength }], { softShorter: 60, ...patch });
      let last = 0;
      for (let i = 0; i < y.length; i++) if (y[i] === x[i] && x[i] !== 0) last = i;
      return (1000 * (last - hits[0].frame)) / RATE;
    };
    // holdMs is 100; look-ahead 2 ms goes off it
    expect(openAfter(1)).toBeCloseTo(98, 0);
    // 12 dB under the loudest: half of 60 % shorter; from 24 dB on the whole of it
    expect(openAfter(10 ** (-12 / 20))).toBeCloseTo(68, 0);
    expect(openAfter(10 ** (-24 / 20))).toBeCloseTo(38, 0);
    expect(openAfter(0.01)).toBeCloseTo(38, 0);
    expect(openAfter(0.01, { softShorter: 0 })).toBeCloseTo(98, 0);
  });

  it('lets a loud hit ring on behind a soft one that follows it, at any block size', () => {
    const pair = [hits[0], { frame: hits[0].frame + 0.03 * RATE, strength: 0.05 }];
    const y = run(pair, { softShorter: 80 });
    for (let i = hits[0].frame; i < hits[0].frame + 0.095 * RATE; i++) expect(y[i]).toBe(x[i]);
    expect(y.subarray(hits[0].frame + 0.13 * RATE).every((v) => v === 0)).toBe(true);
    for (const block of [1, 77, 4096]) expect(run(pair, { softShorter: 80 }, block)).toEqual(y);
  });

  it('stays closed without hits', () => expect(run([]).every((v) => v === 0)).toBe(true));
});
