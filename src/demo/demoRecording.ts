/** The demo recording: always the same samples from a fixed seed. */
import { DRUMS, MICS, ROOM } from './geometry';
import { type MadeRecording, makeRecording } from './makeRecording';
import { SONG, demoSeconds, demoStrokes } from './part';

export const DEMO_NAME = `${SONG.title} · ${SONG.take}`;
export const DEMO_RATE = 48000;
const SEED = 20260;

/** Some 55 s of 11 mics; takes some 20 s to make. */
export function demoRecording(progress?: (done: number) => void): MadeRecording {
  return makeRecording(
    { rate: DEMO_RATE, seconds: demoSeconds(), seed: SEED, room: ROOM, drums: DRUMS, mics: MICS, strokes: demoStrokes(SEED), t60: 0.4 },
    progress,
  );
}
