import { describe, expect, it } from 'vitest';
import type { SpillRow } from '../spill/spillMap';
import { describeKit } from '../spill/kit';
import { kitMic } from '../spill/ownImages';
import { lateMics, toldBack, toldIn } from './analyse';

// snare, hat, tom, two overheads, a room
const MICS = [{ own: 'snare', overhead: false }, { own: 'hat', overhead: false }, { own: 'tom-1', overhead: false }, { own: null, overhead: true }, { own: null, overhead: true }, { own: null, overhead: false }];
const DELAYS: Record<string, readonly (number | null)[]> = { snare: [0, 1.3, 1.6, 3.6, 4.2, 8.1], hat: [1.4, 0, 2.6, 2.8, 4.5, 8.6], 'tom-1': [1.5, 2.3, 0, 3.1, 3.3, null], crash: [3, 2.2, 1.5, 0, 1.4, 7.2] };
const MAIN: Record<string, number> = { snare: 0, hat: 1, 'tom-1': 2, crash: 3 };
/** The map with some mics later by so much, ms. */
const map = (late: Readonly<Record<number, number>>): SpillRow[] =>
  Object.entries(DELAYS).map(([drum, list]) => ({
    drum, main: MAIN[drum], strokes: 20, strokeDb: -20, strokeBandsDb: [],
    mics: list.map((d, m) => ({ levelDb: -8, bandsDb: [], polarity: 1, delayMs: d === null ? null : d + (late[m] ?? 0) - (late[MAIN[drum]] ?? 0) })),
  }));

describe('mics that come late', () => {
  it('are none where everything is in its place, or as far as a room is', () => {
    expect([...lateMics(map({}))]).toEqual([]);
    expect([...lateMics(map({ 5: 6 }))]).toEqual([]);
  });

  it('are close mics that hear their own drum after others, by how much after', () => {
    const late = lateMics(map({ 2: 25 }));
    expect([...late.keys()]).toEqual([2]);
    expect(late.get(2)).toBeGreaterThan(0.02);
  });

  it('are rooms that hear all drums late, which are put where rooms usually are', () => {
    const late = lateMics(map({ 5: 25 }));
    expect([...late.keys()]).toEqual([5]);
    // 33.6 ms after the close mics, of which 8 are usual
    expect(late.get(5)).toBeCloseTo(0.0256, 4);
  });

  it('are overheads, by the drums that have mics: what cymbals are told in may be late itself', () => {
    const late = lateMics(map({ 3: 25, 4: 25 }));
    expect([...late.keys()]).toEqual([3, 4]);
    expect(late.get(3)).toBeCloseTo(0.0201, 4);
  });

  it('are told against the first own mic of a drum, or the first overhead', () => {
    expect(['snare', 'crash', 'ride'].map((d) => toldIn(d, MICS))).toEqual([0, 3, 3]);
    expect(toldIn('ride', [...MICS, { own: 'ride', overhead: false }])).toBe(6);
    expect(toldIn('crash', [{ own: 'kick', overhead: false }])).toBe(0);
    // files in whatever order: kick in before sub, snare top before bottom
    const kit = ['kick-sub', 'snare-bottom', 'kick-in', 'snare-top', 'tom-1'].map(kitMic);
    expect(['kick', 'snare', 'tom-1'].map((d) => toldIn(d, kit))).toEqual([2, 3, 4]);
    expect(describeKit(48000, kit).own).toEqual([[2, 0], [3, 1], [4]]);
  });

  it('have hits told where they lie in the recording: in the earliest own mic, of cymbals in the first overhead', () => {
    const hits = [{ time: 1, strength: 0.5, certainty: 0.9 }];
    const at = (drum: string, late: readonly (readonly [number, number])[]) => toldBack(hits, drum, MICS, new Map(late))[0].time;
    expect(at('tom-1', [[2, 0.025]])).toBeCloseTo(1.025, 9);
    expect(at('snare', [[2, 0.025], [5, 0.02]])).toBe(1);
    expect(at('crash', [[3, 0.02], [4, 0.03]])).toBeCloseTo(1.02, 9);
    expect(at('crash', [[4, 0.03]])).toBe(1);
    expect(toldBack(hits, 'tom-1', [{ own: 'tom-1', overhead: false }, { own: 'tom-1', overhead: false }], new Map([[1, 0.025]]))[0].time).toBe(1);
  });
});
