import { describe, expect, it } from 'vitest';
import { createRng } from '../dsp/rng';
import type { Candidate } from './judgeAgain';
import { swellsAgain } from './swellsAgain';

const candidate = (time: number, strength: number, first: number, again: number): Candidate => ({ hit: { time, strength, certainty: again }, first, again });
const random = createRng(3);
const strokes = Array.from({ length: 30 }, (_, i) => candidate(1 + 0.5 * i, 0.8, 0.97, 0.98));
/** The strokes with what `after` adds to each, in order of time. */
const together = (adds: (stroke: Candidate, i: number) => Candidate[]) => [...strokes, ...strokes.flatMap(adds)].sort((a, b) => a.hit.time - b.hit.time);
const swells = (list: readonly Candidate[]) => swellsAgain(list).map((i) => list[i].hit.time);

describe('a drum that swells again after its strokes', () => {
  it('is told by what the second finding hears at one distance', () => {
    const list = together((s, i) => (i % 3 ? [] : [candidate(s.hit.time + 0.067 + 0.0006 * (random() - 0.5), 0.25, 0, 0.95)]));
    expect(swells(list)).toHaveLength(10);
    expect(swells(list).every((t) => strokes.some((s) => Math.abs(t - s.hit.time - 0.067) < 0.001))).toBe(true);
    // one of them the first finding half believed
    const half = list.map((c) => (c.hit.time > 10 && c.first === 0 ? { ...c, first: 0.6 } : c));
    expect(half.filter((c) => c.first === 0.6).length).toBeGreaterThan(0);
    expect(swells(half)).toEqual(swells(list));
  });

  it('is not one that is struck twice, never quite at the same distance', () => {
    expect(swells(together((s, i) => (i % 2 ? [] : [candidate(s.hit.time + 0.067 + 0.02 * (random() - 0.5), 0.4, 0, 0.95)])))).toEqual([]);
  });

  it('is not told by a few, by what both findings hear, or by strokes as loud', () => {
    const followed = (n: number, strength: number, first: number) => together((s, i) => (i < n ? [candidate(s.hit.time + 0.067, strength, first, 0.95)] : []));
    expect(swells(followed(5, 0.3, 0))).toHaveLength(5);
    expect(swells(followed(4, 0.3, 0))).toEqual([]);
    expect(swells(followed(20, 0.3, 0.95))).toEqual([]);
    expect(swells(followed(20, 0.7, 0))).toEqual([]);
  });

  it('leaves strokes at other distances', () => {
    const list = together((s, i) => (i < 9 ? [candidate(s.hit.time + 0.067, 0.3, 0, 0.95)] : i < 12 ? [candidate(s.hit.time + 0.1 + 0.01 * i, 0.3, 0, 0.95)] : []));
    expect(swells(list)).toHaveLength(9);
  });
});
