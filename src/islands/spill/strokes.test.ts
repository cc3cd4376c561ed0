import { describe, expect, it } from 'vitest';
import { applyEdit } from '../../core/plan/edits';
import { createPlan } from '../../core/plan/plan';
import { decideHits, listHits, mergeAnalysis } from '../../core/plan/planHits';
import { loneliest, restsOn, stretchOf } from './strokes';

const RATE = 48000;
const hit = (time: number, strength = 0.5, certainty = 1) => ({ time, strength, certainty });
const struck = (drums: Record<string, ReturnType<typeof hit>[]>) => {
  const plan = createPlan(RATE, ['01 Kick In.wav', '03 Snare Top.wav'].map((file) => ({ file, channel: 0, channels: 1, frames: 10 * RATE })));
  return applyEdit(plan, mergeAnalysis(plan, drums));
};

describe('the strokes of a cell', () => {
  it('begin with the one that stands most alone, a loud one rather than a soft one', () => {
    const plan = struck({ kick: [hit(1), hit(4), hit(7)], snare: [hit(1.1), hit(3.6), hit(7.3)] });
    expect(loneliest(plan, 'kick')?.frame).toBe(4 * RATE);
    expect(loneliest(struck({ kick: [hit(1, 0.05), hit(5)], snare: [hit(2), hit(5.9)] }), 'kick')?.frame).toBe(5 * RATE);
    expect(loneliest(struck({ kick: [hit(1), hit(5)] }), 'kick')?.frame).toBe(RATE);
    expect(loneliest(plan, 'tom-1')).toBeNull();
  });

  it('are heard with what goes before and after, within the song', () => {
    const plan = struck({ kick: [hit(0.01), hit(5), hit(9.9)] });
    expect(listHits(plan, 'kick').map((h) => stretchOf(plan, h))).toEqual([[0, 0.61], [4.9, 5.6], [9.8, 10]].map(([from, to]) => ({ from: Math.round(from * RATE), to: Math.round(to * RATE) })));
  });

  it('are the surest, as many as the map rests on, and before them those that a person kept', () => {
    const plan = struck({ kick: [hit(1, 0.5, 0.5), hit(2, 0.5, 0.99), hit(3, 0.5, 0.9), hit(4, 0.5, 0.95)] });
    const frames = (p: typeof plan, n: number) => listHits(p, 'kick').filter((h) => restsOn(listHits(p, 'kick'), n).has(h.id)).map((h) => h.frame / RATE);
    expect(frames(plan, 2)).toEqual([2, 4]);
    expect(frames(plan, 9)).toEqual([1, 2, 3, 4]);
    const decided = applyEdit(plan, decideHits(plan, listHits(plan, 'kick').slice(0, 1), 'confirmed', 'kept'));
    expect(frames(decided, 2)).toEqual([1, 2]);
  });
});
