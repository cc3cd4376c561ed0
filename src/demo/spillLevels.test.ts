import { describe, expect, it } from 'vitest';
import { DRUMS, MICS, ROOM } from './geometry';
import type { RecordingPlan } from './makeRecording';
import { demoStrokes } from './part';
import { type Spill, spillPeaks, withSpill } from './spillLevels';

const ROLES = ['snare-top', 'tom-1', 'tom-2'];
/** A fill of the demo, heard by three close mics. */
const plan: RecordingPlan = {
  rate: 48000, seconds: 7, seed: 5, room: ROOM, drums: DRUMS, mics: MICS.filter((m) => ROLES.includes(m.role)), t60: 0.4,
  strokes: demoStrokes(5).filter((s) => s.time >= 19 && s.time < 25.5).map((s) => ({ ...s, time: s.time - 18.8 })),
};

describe('spill of made recordings', () => {
  it('is as loud against own strokes as its name says: toms there, the snare at most there', () => {
    const peaksOf = (spill: Spill) => spillPeaks(withSpill(plan, spill));
    const before = spillPeaks(plan);
    for (const [spill, db] of [['easy', -17], ['hard', -2]] as const) {
      const peaks = peaksOf(spill);
      plan.mics.forEach((m, i) => {
        const [now, was] = [peaks[i], before[i]];
        if (now === null || was === null) return;
        if (m.role === 'snare-top') expect(now, m.role).toBeLessThanOrEqual(Math.max(was, db) + 5);
        // drawn with a spread of 1.5 dB; reflections of the own drum shift a little with it
        else expect(Math.abs(now - db), `${spill} ${m.role}`).toBeLessThan(5.5);
      });
    }
  }, 120_000);
});
