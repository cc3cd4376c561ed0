import { describe, expect, it } from 'vitest';
import { namesOf, needsRealSounds, numberOf, soundsOf, specOf, strokesOf } from './byNumber';
import { randomPart } from './randomPart';
import type { Stroke } from './strokes';

describe('made recordings by number', () => {
  it('are named one by one or by ranges, which are spelt out', () => {
    expect(namesOf(['101-104', 'demo', '7', '101-ride=3', '101-unlike', '12-13-unlike', '649-tom-1=0'])).toEqual(['101', '102', '103', '104', 'demo', '7', '101-ride=3', '101-unlike', '12-unlike', '13-unlike', '649-tom-1=0']);
    expect(['101', '649-tom-1=0'].map(numberOf)).toEqual([101, 649]);
    expect(['demo', '102', '102-unlike', '104'].map(needsRealSounds)).toEqual([false, false, true, true]);
    for (const wrong of ['ride', '104-101', '101-ride=2', '101:ride=3', '']) expect(() => namesOf([wrong]), wrong).toThrow(/101-ride=3/);
  });

  it('are of all kinds of spill, sounds and kits, in fixed shares', () => {
    const numbers = Array.from({ length: 60 }, (_, i) => 100 + i);
    const share = (is: (n: number) => boolean) => numbers.filter(is).length / 60;
    expect(share((n) => specOf(n).spill === 'normal')).toBe(0.5);
    expect(share((n) => specOf(n).spill === 'hard')).toBe(0.25);
    expect(share((n) => specOf(n).toms === 2)).toBeCloseTo(1 / 3);
    expect(share((n) => soundsOf(n) === null)).toBe(0.2);
    expect(share((n) => soundsOf(n) === 'millo')).toBe(0.4);
    // hard ones are of either set of real sounds and of synthesised ones
    expect(new Set(numbers.filter((n) => specOf(n).spill === 'hard').map(soundsOf)).size).toBe(3);
  });

  it('are the same with a drum struck never or three times, but for that drum', () => {
    const part = randomPart(102, 40, ['kick', 'snare', 'hat', 'tom-1', 'tom-2', 'crash', 'ride']);
    const of = (list: readonly Stroke[], ride: boolean) => list.filter((s) => (s.drum === 'ride') === ride);
    expect(strokesOf('102', part)).toBe(part);
    expect(of(part, true).length).toBeGreaterThan(6);
    for (const [name, count] of [['102-ride=0', 0], ['102-ride=3', 3]] as const) {
      const few = strokesOf(name, part);
      expect(of(few, false)).toEqual(of(part, false));
      expect(of(few, true)).toHaveLength(count);
      for (const s of of(few, true)) expect(part).toContain(s);
      // not three in a row
      if (count) expect(of(few, true)[2].time - of(few, true)[0].time).toBeGreaterThan(5);
    }
    expect(() => strokesOf('102-cowbell=0', part)).toThrow(/102 has no cowbell; it has .*kick/);
  });
});
