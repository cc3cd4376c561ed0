import { describe, expect, it } from 'vitest';
import { articulated, withArticulations } from './articulations';
import { namesOf } from './byNumber';
import { randomRecording } from './randomKit';
import { haveRealSounds, realVoice } from './realSounds';
import { type Stroke, strokeSound } from './strokes';

const plain = randomRecording({ seed: 7, seconds: 120, spill: 'normal', toms: 2, truth: false });
const count = (strokes: readonly Stroke[], articulation: string) => strokes.filter((s) => s.articulation === articulation).length;

describe('recordings struck in more ways', () => {
  it('are asked for by number', () => {
    expect(namesOf(['12-13-articulated'])).toEqual(['12-articulated', '13-articulated']);
    expect(() => namesOf(['12-articulate'])).toThrow(/101-articulated/);
  });

  it('have the strokes of the part, at their times', () => {
    const { strokes, ...rest } = withArticulations(plain, 7);
    const { strokes: before, ...other } = plain;
    expect(rest).toEqual(other);
    expect(strokes.map((s) => [s.drum, s.time])).toEqual(before.map((s) => [s.drum, s.time]));
    expect(articulated(before, 7)).toEqual(strokes);
    expect(articulated(before, 8)).not.toEqual(strokes);
  });

  it('have them where a hand would play them', () => {
    const strokes = [7, 8, 9].flatMap((seed) => articulated(plain.strokes, seed));
    for (const a of ['side-stick', 'rim-shot', 'bell', 'half-open', 'foot']) expect(count(strokes, a), a).toBeGreaterThan(5);
    const of: Record<string, string> = { 'side-stick': 'snare', 'rim-shot': 'snare', bell: 'ride', 'half-open': 'hat', foot: 'hat' };
    const rides = plain.strokes.filter((s) => s.drum === 'ride');
    for (const s of strokes) {
      if (s.articulation) expect(s.drum).toBe(of[s.articulation]);
      // ghost notes and soft fills are struck straight
      if (s.articulation === 'rim-shot') expect(s.strength).toBeGreaterThan(0.55);
      if (s.articulation === 'foot') expect(rides.some((r) => Math.abs(r.time - s.time) < 0.03)).toBe(true);
    }
  });

  it('a hat half open rings longer than a closed one', () => {
    const stroke: Stroke = { drum: 'hat', time: 0, strength: 0.6 };
    const late = (s: Stroke) => strokeSound(s, 1, 48000, 3)[0].subarray(14400).reduce((e, v) => e + v * v, 0);
    expect(late({ ...stroke, articulation: 'half-open' })).toBeGreaterThan(10 * late(stroke));
  });

  it.skipIf(!haveRealSounds())('real sounds have some of their own, the rest is struck straight', () => {
    const sound = (kit: 'millo' | 'colombo', s: Stroke) => realVoice(kit, 5, 3)(s, 1, 48000, 9)[0];
    const snare: Stroke = { drum: 'snare', time: 0, strength: 0.7 };
    expect(sound('millo', { ...snare, articulation: 'side-stick' })).not.toEqual(sound('millo', snare));
    expect(sound('millo', { ...snare, articulation: 'rim-shot' })).toEqual(sound('millo', snare));
    expect(sound('colombo', { ...snare, articulation: 'rim-shot' })).not.toEqual(sound('colombo', snare));
  });
});
