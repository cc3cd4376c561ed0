import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { type CleanTruth, findShift, scoreClean } from './scoreClean';
import { matchHits, scoreHits } from './scoreHits';

const RATE = 16000;
const N = 4 * RATE;
const g = createGaussian(createRng(4));
const hits = [RATE, 2 * RATE, 3 * RATE];
const strengths = [1, 0.3, 0.6];
const truth = new Float32Array(N);
hits.forEach((h, k) => {
  for (let i = 0; i < 5000; i++) truth[h + i] += strengths[k] * g() * 0.3 * Math.exp(-i / 900);
});
const spill = Float32Array.from({ length: N }, () => 0.01 * g());
const raw = truth.map((v, i) => v + spill[i]);
const ref: CleanTruth = { rate: RATE, raw, truth, late: new Float32Array(N), hits, strengths };

describe('figures of a cleaned mic', () => {
  // derived: nothing done, nothing gained or lost against itself
  it('are nothing for what is left as it is', () => {
    const s = scoreClean(ref, raw);
    expect(s).toMatchObject({ gapSuppressionDb: 0, tailSpillDb: 0, siSdrImprovementDb: 0, missedStrokes: 0, recall: 1, softRecall: 1, shiftMs: 0, polarity: 1 });
    expect(s.attackErrorDb).toBeLessThan(0.2);
    expect(s.falseOpensPerMinute).toBeGreaterThan(0);
  });

  // derived: the truth itself is perfect
  it('are perfect for the truth', () => {
    const s = scoreClean(ref, truth);
    expect(s).toMatchObject({ gapSuppressionDb: 80, attackErrorDb: 0, attackLossDb: 0, sustainErrorDb: 0, missedStrokes: 0, falseOpensPerMinute: 0 });
    expect(s.tailSpillDb).toBeLessThan(-60);
    expect(s.siSdrDb).toBeGreaterThan(60);
  });

  // derived: spill 20 dB down everywhere
  it('tell how far spill was turned down', () => {
    const s = scoreClean(ref, truth.map((v, i) => v + 0.1 * spill[i]));
    expect(s.gapSuppressionDb).toBeCloseTo(20, 0);
    expect(s.tailSpillDb).toBeCloseTo(-20, 0);
    expect(s.siSdrImprovementDb).toBeCloseTo(20, 0);
  });

  it('tell lost strokes and shaved attacks', () => {
    const lost = raw.slice();
    lost.fill(0, hits[1] - 100, hits[1] + 5000);
    expect(scoreClean(ref, lost)).toMatchObject({ missedStrokes: 1, softRecall: 0 });
    const shaved = raw.slice();
    for (let i = hits[0]; i < hits[0] + 160; i++) shaved[i] *= 0.5;
    expect(scoreClean(ref, shaved).attackLossDb).toBeCloseTo(-6.02 / 3, 0);
  });

  it('report a shift and a turned polarity as what they are', () => {
    const moved = new Float32Array(N);
    moved.set(truth.subarray(0, N - 48).map((v) => -v), 48);
    expect(findShift(moved, truth, RATE)).toEqual({ shift: 48, polarity: -1 });
    expect(scoreClean(ref, moved)).toMatchObject({ shiftMs: 3, polarity: -1 });
  });

  it('let the own drum\u2019s later room be kept or removed', () => {
    const late = truth.map((_, i) => 0.2 * (truth[i - 700] ?? 0));
    const with20: CleanTruth = { ...ref, late, raw: raw.map((v, i) => v + late[i]) };
    for (const c of [truth, truth.map((v, i) => v + late[i])]) {
      const s = scoreClean(with20, c);
      expect(s.attackErrorDb).toBeLessThan(0.01);
      expect(s.sustainErrorDb).toBeLessThan(0.01);
      expect(s.tailSpillDb).toBeLessThan(-20);
    }
  });
});

describe('figures of found hits', () => {
  const at = (...t: number[]) => t.map((time) => ({ time }));
  // derived by hand
  it('match one to one within 10 ms', () => {
    expect(matchHits(at(1, 1.008, 2), at(1.004, 1.009, 2.011))).toEqual([[0, 0], [1, 1]]);
  });

  it('count precision, recall, F, timing and the softest quarter', () => {
    const t = { kick: [{ time: 1, strength: 0.9 }, { time: 2, strength: 0.1 }, { time: 3, strength: 0.8 }, { time: 4, strength: 0.7 }] };
    const { drums, all } = scoreHits(t, { kick: at(1.001, 3.003, 4.001, 5) });
    expect(drums.kick).toMatchObject({ hits: 4, found: 4, precision: 0.75, recall: 0.75, f: 0.75, softRecall: 0 });
    expect(drums.kick.absErrorMs).toBeCloseTo(1, 6);
    expect(drums.kick.late).toBeCloseTo(1 / 3, 6);
    expect(all.f).toBeCloseTo(0.75, 6);
  });

  it('leave out drums that were not looked for, unless all are asked for', () => {
    expect(scoreHits({ kick: at(1), ride: at(2) }, { kick: at(1) }).all.recall).toBe(1);
    expect(scoreHits({ kick: at(1), ride: at(2) }, { kick: at(1) }, true).all.recall).toBe(0.5);
  });
});
