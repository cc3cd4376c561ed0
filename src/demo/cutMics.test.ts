import { describe, expect, it } from 'vitest';
import { namesOf, needsRealSounds } from './byNumber';
import { keptAround, withCutToms } from './cutMics';
import type { MadeRecording } from './makeRecording';

describe('toms that were cut by hand', () => {
  const RATE = 1000;
  it('are kept whole from before each stroke until long after it, faded at both ends, silent elsewhere', () => {
    const kept = keptAround([1, 1.5, 4], 6 * RATE, RATE);
    expect(kept.subarray(0, 992).every((v) => v === 0)).toBe(true);
    // between two strokes that are near each other nothing is cut
    expect(kept.subarray(997, 2200).every((v) => v === 1)).toBe(true);
    expect(kept[2250]).toBeCloseTo(0.5);
    expect(kept.subarray(2300, 3992).every((v) => v === 0)).toBe(true);
    expect(kept[4000]).toBe(1);
    expect(kept.subarray(4800).every((v) => v === 0)).toBe(true);
  });
  it('are so in their mics and in what is known of them, and in no other mic', () => {
    const ones = () => new Float32Array(3 * RATE).fill(1);
    const made = {
      rate: RATE, frames: 3 * RATE, mics: [{ own: 'tom-1' }, { own: 'snare' }, { own: null }], audio: [ones(), ones(), ones()], truth: [ones(), ones(), null], late: [ones(), null, null],
      hits: { 'tom-1': [{ time: 1, strength: 1 }], snare: [{ time: 2, strength: 1 }] }, offsets: [0.25, 0, 0], overheadOffsets: {},
    } as unknown as MadeRecording;
    const cut = withCutToms(made);
    const kept = keptAround([1.25], 3 * RATE, RATE);
    for (const x of [cut.audio[0], cut.truth[0], cut.late[0]]) expect(x).toEqual(kept);
    expect(cut.audio.slice(1)).toEqual(made.audio.slice(1));
    expect([cut.truth[1], cut.truth[2], cut.late[1]]).toEqual([made.truth[1], null, null]);
  });
  it('are asked for by name', () => {
    expect(namesOf(['103-104-cut'])).toEqual(['103-cut', '104-cut']);
    expect(needsRealSounds('104-cut')).toBe(true);
  });
});
