/**
 * Where the demo kit stands: a room of 6 x 5 x 3 m, drums and mics in metres. x to the drummer's left, y towards the drummer's back,
 * z up. A drum radiates from two or three points; a close mic points at its own drum.
 */
export type Point = readonly [number, number, number];

export interface DrumPlace {
  readonly id: string;
  readonly label: string;
  /** Radiating points. */
  readonly points: readonly Point[];
  /** Size of the source, metres: keeps 1/d finite close to a head. */
  readonly size: number;
  /** Peak of a full stroke at 1 m, dB against the snare. */
  readonly levelDb: number;
  /** How far strokes land from each other, metres. */
  readonly scatter: number;
  /** A head that rings by itself when others are struck. */
  readonly ring?: { readonly hz: number; readonly t60: number };
}

export interface MicPlace {
  readonly file: string;
  readonly name: string;
  readonly role: string;
  /** Drum the mic belongs to, or null. */
  readonly own: string | null;
  readonly at: Point;
  /** What the mic points at. */
  readonly aim: Point;
  /** 1 hears all around, 0.5 is a cardioid: gain = p + (1 - p) cos(angle). */
  readonly pattern: number;
  /** -1 where the mic hears a head from the other side. */
  readonly polarity: 1 | -1;
  /** What the shell around a mic keeps away of the other drums, dB. */
  readonly shieldDb: number;
  /** Peak level it was recorded at, dBFS. */
  readonly peakDb: number;
}

export const ROOM: Point = [6, 5, 3];

export const DRUMS: readonly DrumPlace[] = [
  { id: 'kick', label: 'Kick', points: [[3, 2.3, 0.3], [3, 1.95, 0.3]], size: 0.16, levelDb: -2, scatter: 0.01 },
  { id: 'snare', label: 'Snare', points: [[3.28, 2.78, 0.66], [3.28, 2.78, 0.52]], size: 0.06, levelDb: -2, scatter: 0.03 },
  { id: 'hat', label: 'Hat', points: [[3.62, 2.74, 0.92], [3.7, 2.66, 0.9]], size: 0.06, levelDb: -2, scatter: 0.03 },
  { id: 'tom-1', label: 'Tom 1', points: [[3.08, 2.32, 0.86], [3.08, 2.28, 0.64]], size: 0.05, levelDb: 2, scatter: 0.04, ring: { hz: 139, t60: 0.9 } },
  { id: 'tom-2', label: 'Tom 2', points: [[2.42, 2.82, 0.64], [2.42, 2.82, 0.24]], size: 0.06, levelDb: 2, scatter: 0.04, ring: { hz: 84, t60: 1.3 } },
  { id: 'crash', label: 'Crash', points: [[3.55, 2.18, 1.28], [3.4, 2.3, 1.26], [3.66, 2.06, 1.3]], size: 0.2, levelDb: -6, scatter: 0.04 },
  { id: 'ride', label: 'Ride', points: [[2.36, 2.3, 1.08], [2.24, 2.18, 1.1], [2.48, 2.42, 1.06]], size: 0.2, levelDb: -11, scatter: 0.04 },
];

const close = (file: string, name: string, role: string, own: string, at: Point, aim: Point, peakDb: number, shieldDb = 0, polarity: 1 | -1 = 1): MicPlace => ({
  file, name, role, own, at, aim, pattern: 0.5, polarity, peakDb, shieldDb,
});
const far = (file: string, name: string, role: string, at: Point, aim: Point, pattern: number): MicPlace => ({
  file, name, role, own: null, at, aim, pattern, polarity: 1, peakDb: -8, shieldDb: 0,
});

export const MICS: readonly MicPlace[] = [
  close('01 Kick In.wav', 'Kick in', 'kick-in', 'kick', [3, 2.17, 0.32], [3, 2.3, 0.3], -6, 9),
  close('02 Kick Out.wav', 'Kick out', 'kick-out', 'kick', [3.02, 1.76, 0.32], [3, 1.95, 0.3], -8, 3),
  close('03 Snare Top.wav', 'Snare top', 'snare-top', 'snare', [3.4, 2.71, 0.73], [3.28, 2.78, 0.66], -6),
  close('04 Snare Bottom.wav', 'Snare bottom', 'snare-bottom', 'snare', [3.3, 2.72, 0.42], [3.28, 2.78, 0.52], -9, 0, -1),
  close('05 Hat.wav', 'Hat', 'hat', 'hat', [3.72, 2.82, 1.05], [3.62, 2.74, 0.92], -9),
  close('06 Tom 1.wav', 'Tom 1', 'tom-1', 'tom-1', [3.16, 2.23, 0.93], [3.08, 2.32, 0.86], -6),
  close('07 Tom 2 Floor.wav', 'Tom 2', 'tom-2', 'tom-2', [2.32, 2.72, 0.71], [2.42, 2.82, 0.64], -6),
  far('08 Overhead L.wav', 'Overhead left', 'overhead-left', [3.75, 2.55, 1.95], [3.3, 2.5, 0.8], 0.5),
  far('09 Overhead R.wav', 'Overhead right', 'overhead-right', [2.25, 2.6, 1.95], [2.7, 2.5, 0.8], 0.5),
  far('10 Room L.wav', 'Room left', 'room-left', [4.3, 0.6, 1.5], [3, 2.5, 0.8], 1),
  far('11 Room R.wav', 'Room right', 'room-right', [1.7, 0.6, 1.5], [3, 2.5, 0.8], 1),
];

export const distance = (a: Point, b: Point): number => Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);

/** Cosine of the angle between where a mic points and a source. */
export function cosineOff(mic: MicPlace, source: Point): number {
  const d = distance(mic.at, source) || 1;
  const a = distance(mic.at, mic.aim) || 1;
  let dot = 0;
  for (let i = 0; i < 3; i++) dot += (mic.aim[i] - mic.at[i]) * (source[i] - mic.at[i]);
  return dot / (a * d);
}
