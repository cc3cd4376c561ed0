import { describe, expect, it } from 'vitest';
import { guessRoles } from '../core/plan/guessRoles';
import { namesOf, needsRealSounds } from './byNumber';
import { withCymbalMics } from './cymbalMics';
import { distance } from './geometry';
import type { RecordingPlan } from './makeRecording';
import { randomRecording } from './randomKit';

const plain: RecordingPlan = randomRecording({ seed: 7, seconds: 1, spill: 'normal', toms: 2, truth: false });

describe('recordings with mics at cymbals', () => {
  it('are asked for by number', () => {
    expect(namesOf(['102-spotted', '12-13-spotted'])).toEqual(['102-spotted', '12-spotted', '13-spotted']);
    expect(['102-spotted', '104-spotted'].map(needsRealSounds)).toEqual([false, true]);
  });

  it('have one more close mic at the ride, of every third number at the crash too; all else stays', () => {
    for (const seed of [7, 8, 9, 10, 11, 12]) {
      const { mics, ...rest } = withCymbalMics(plain, seed);
      const { mics: before, ...other } = plain;
      expect(rest).toEqual(other);
      expect(mics.filter((m) => before.includes(m))).toEqual(before);
      const roles = guessRoles(mics.map((m) => ({ file: m.file, channel: 0, channels: 1 })));
      const spots = mics.filter((m) => !before.includes(m));
      expect(spots.map((m) => m.own)).toEqual(seed % 3 === 0 ? ['ride', 'crash'] : ['ride']);
      for (const m of spots) {
        const drum = plain.drums.find((d) => d.id === m.own) as RecordingPlan['drums'][number];
        const d = distance(m.at, drum.points[0]);
        expect(d > 0.05 && d < 0.5).toBe(true);
        // under a cymbal it is heard upside down
        expect(m.polarity).toBe(m.at[2] < drum.points[0][2] ? -1 : 1);
        // the name tells what it is, and sorts it between the close mics and the overheads
        expect(roles[mics.indexOf(m)]).toBe(m.role);
        expect([...mics.map((x) => x.file)].sort()).toEqual(mics.map((x) => x.file));
      }
    }
  });
});
