/** A few seconds of the demo's kit as WAV files in a folder: real work for the interface, quick to make. */
import { DRUMS, MICS, ROOM } from '../../src/demo/geometry';
import { type MadeRecording, makeRecording } from '../../src/demo/makeRecording';
import { demoStrokes } from '../../src/demo/part';

/** `seconds` of the part from `from` on, heard by all mics or by those whose role is named. */
export function shortRecording({ from = 17.5, seconds = 5, seed = 7, roles }: { from?: number; seconds?: number; seed?: number; roles?: readonly string[] } = {}): MadeRecording {
  const strokes = demoStrokes(seed)
    .filter((s) => s.time >= from && s.time < from + seconds - 0.3)
    .map((s) => ({ ...s, time: s.time - from + 0.1 }));
  const mics = roles ? MICS.filter((m) => roles.includes(m.role)) : MICS;
  return makeRecording({ rate: 48000, seconds, seed, room: ROOM, drums: DRUMS, mics, strokes, t60: 0.4 });
}
