import { describe, expect, it } from 'vitest';
import { demoSeconds, demoStrokes } from './part';
import { randomPart } from './randomPart';
import type { Stroke } from './strokes';

const DRUMS = ['kick', 'snare', 'hat', 'tom-1', 'tom-2', 'tom-3', 'crash', 'ride'];
const SEEDS = Array.from({ length: 30 }, (_, i) => 3000 + i);

/** Seconds between neighbours on one drum. */
function gaps(strokes: readonly Stroke[]): number[] {
  return DRUMS.flatMap((d) => {
    const times = strokes.filter((s) => s.drum === d).map((s) => s.time);
    return times.slice(1).map((t, i) => t - times[i]);
  });
}

describe('parts', () => {
  it('can be played: no drum is struck twice within 12 ms, drawn or written', () => {
    for (const seed of SEEDS) expect(Math.min(...gaps(randomPart(seed, 40, DRUMS)))).toBeGreaterThanOrEqual(0.012);
    expect(demoSeconds()).toBeGreaterThan(45);
    expect(Math.min(...gaps(demoStrokes(20260)))).toBeGreaterThanOrEqual(0.012);
  });

  it('still have flams and rolls', () => {
    const all = SEEDS.flatMap((seed) => gaps(randomPart(seed, 40, DRUMS)));
    expect(all.filter((g) => g > 0.025 && g < 0.045).length).toBeGreaterThan(30);
    expect(all.filter((g) => g > 0.045 && g < 0.1).length).toBeGreaterThan(200);
  });

  it('are in order of time, on the drums of the kit, within their length', () => {
    const part = randomPart(3001, 30, ['kick', 'snare', 'tom-1']);
    expect(part.length).toBeGreaterThan(40);
    expect(part.map((s) => s.time)).toEqual(part.map((s) => s.time).sort((a, b) => a - b));
    expect(new Set(part.map((s) => s.drum))).toEqual(new Set(['kick', 'snare', 'tom-1']));
    expect(part.every((s) => s.time >= 0.2 && s.time < 30 && s.strength > 0 && s.strength <= 1)).toBe(true);
  });
});
