import { describe, expect, it } from 'vitest';
import { guessRoles } from '../core/plan/guessRoles';
import { kindOf } from '../core/hits/kinds';
import { namesOf, needsRealSounds } from './byNumber';
import { distance } from './geometry';
import type { RecordingPlan } from './makeRecording';
import { randomRecording, tunedVoice } from './randomKit';
import { withSecondDrums } from './secondDrums';

const plain: RecordingPlan = randomRecording({ seed: 7, seconds: 60, spill: 'normal', toms: 2, truth: false });
const doubled = withSecondDrums(plain, 7, tunedVoice(7007, []));

describe('recordings with two bass drums and two snares', () => {
  it('are asked for by number', () => {
    expect(namesOf(['102-doubled', '12-13-doubled'])).toEqual(['102-doubled', '12-doubled', '13-doubled']);
    expect(['102-doubled', '104-doubled'].map(needsRealSounds)).toEqual([false, true]);
  });

  it('have one more mic at each, named so that its role is read from its file; all other mics stay', () => {
    const more = doubled.mics.filter((m) => !plain.mics.includes(m));
    expect(doubled.mics.filter((m) => plain.mics.includes(m))).toEqual(plain.mics);
    expect(more.map((m) => [m.role, m.own])).toEqual([['kick-2', 'kick-2'], ['snare-2', 'snare-2']]);
    const roles = guessRoles(doubled.mics.map((m) => ({ file: m.file, channel: 0, channels: 1 })));
    expect(roles).toEqual(doubled.mics.map((m) => m.role));
    for (const m of more) {
      const [own, first] = [m.own, m.own?.replace('-2', '')].map((id) => doubled.drums.find((d) => d.id === id) as RecordingPlan['drums'][number]);
      expect(distance(m.at, own.points[0])).toBeLessThan(distance(m.at, first.points[0]) / 2);
      expect(kindOf(own.id)).toBe(first.id);
    }
  });

  it('have the strokes of the part, each of one drum of its kind', () => {
    expect(doubled.strokes.map((s) => ({ ...s, drum: s.drum.replace(/^(kick|snare)-2$/, '$1') }))).toEqual(plain.strokes.map((s) => ({ ...s, drum: s.drum.replace(/^(kick|snare)-2$/, '$1') })));
    for (const id of ['kick', 'kick-2', 'snare', 'snare-2']) expect(doubled.strokes.filter((s) => s.drum === id).length).toBeGreaterThan(3);
    // no foot plays a run alone
    const feet = doubled.strokes.filter((s) => s.drum.startsWith('kick'));
    for (const [i, s] of feet.slice(1).entries()) if (s.time - feet[i].time < 0.3) expect(s.drum).not.toBe(feet[i].drum);
  });

  it('sound another way than the first', () => {
    const voice = doubled.voice as NonNullable<RecordingPlan['voice']>;
    const of = (drum: string) => voice({ drum, time: 0, strength: 0.8 }, 1, 48000, 5)[0];
    for (const drum of ['kick', 'snare']) {
      const [a, b] = [of(drum), of(`${drum}-2`)];
      expect(b.some((v) => Math.abs(v) > 0.1)).toBe(true);
      expect(a.length === b.length && a.every((v, i) => v === b[i])).toBe(false);
    }
  });
});
