/**
 * Made recordings by number: a kit, a room, mics and a part drawn from a seed, for training and testing the finding of hits. The demo's
 * kit is where places start from; everything is moved, retuned and levelled anew.
 */
import { createGaussian, createRng } from '../core/dsp/rng';
import { DRUMS, type DrumPlace, MICS, type MicPlace, type Point, ROOM } from './geometry';
import type { RecordingPlan, Voice } from './makeRecording';
import { randomPart } from './randomPart';
import { type Spill, withSpill } from './spillLevels';
import { type Tuning, strokeSound } from './strokes';

export interface RandomSpec {
  readonly seed: number;
  readonly seconds: number;
  /** How loud spill is against own strokes, as spillLevels says. */
  readonly spill: Spill;
  /** Two or three toms. */
  readonly toms?: 2 | 3;
  readonly rate?: number;
  /** Dry sounds; where not given, synthesised and tuned by the seed. */
  readonly voice?: Voice;
  /** Whether each drum alone is made too; hits always are. */
  readonly truth?: boolean;
  /** Roles to leave out, e.g. rooms. */
  readonly without?: readonly string[];
}

const MIDDLE_TOM: DrumPlace = { id: 'tom-2', label: 'Tom 2', points: [[2.72, 2.3, 0.86], [2.72, 2.26, 0.62]], size: 0.05, levelDb: 2, scatter: 0.04, ring: { hz: 112, t60: 1 } };

/** Sounds of a synthesised kit: pitches, ring times and overtones drawn from the seed, toms from high to low. */
export function tunedVoice(seed: number, toms: readonly string[]): Voice {
  const uniform = createRng(seed * 17 + 3);
  const draw = (spread: number) => Object.fromEntries(['kick', 'snare', 'hat', 'crash', 'ride', ...toms].map((d) => [d, (1 + spread) ** (2 * uniform() - 1)]));
  const [pitch, length, bright] = [draw(0.25), draw(0.4), draw(0.5)];
  const top = 125 + 45 * uniform();
  const fall = 0.52 + 0.16 * uniform();
  const tomHz = Object.fromEntries(toms.map((d, i) => [d, top * fall ** (i / Math.max(1, toms.length - 1)) * (0.97 + 0.06 * uniform())]));
  const tuning: Tuning = { tomHz, pitch, length, bright };
  return (stroke, points, rate, strokeSeed) => strokeSound(stroke, points, rate, strokeSeed, tuning);
}

export function randomRecording(spec: RandomSpec): RecordingPlan {
  const { seed, seconds } = spec;
  const uniform = createRng(seed * 7 + 1);
  const gauss = createGaussian(uniform);
  const around = (p: Point, by: number): Point => [p[0] + by * gauss(), p[1] + by * gauss(), Math.max(0.15, p[2] + by * gauss())];
  const toms = spec.toms ?? (uniform() < 0.5 ? 2 : 3);

  let drums: DrumPlace[] = DRUMS.map((d) => ({ ...d }));
  let mics: MicPlace[] = MICS.map((m) => ({ ...m }));
  if (toms === 3) {
    drums = drums.flatMap((d) => (d.id === 'tom-2' ? [MIDDLE_TOM, { ...d, id: 'tom-3', label: 'Tom 3' }] : [d]));
    const floor = mics.find((m) => m.own === 'tom-2') as MicPlace;
    const middle: MicPlace = { ...floor, file: '07 Tom 2.wav', at: [2.62, 2.2, 0.93], aim: MIDDLE_TOM.points[0] };
    mics = mics.flatMap((m) => (m === floor ? [middle, { ...floor, file: '08 Tom 3 Floor.wav', name: 'Tom 3', role: 'tom-3', own: 'tom-3' }] : [m]));
  }
  const dry = 0.6 + 0.8 * uniform();
  drums = drums.map((d) => {
    const move = 0.04;
    const shift: Point = [move * gauss(), move * gauss(), move * 0.5 * gauss()];
    return {
      ...d,
      points: d.points.map((p): Point => [p[0] + shift[0], p[1] + shift[1], p[2] + shift[2]]),
      levelDb: d.levelDb + 1.7 * gauss(),
      ring: d.ring && { hz: d.ring.hz * (1 + 0.06 * gauss()), t60: d.ring.t60 * (0.7 + 0.6 * uniform()) },
    };
  });
  mics = mics
    .filter((m) => !spec.without?.includes(m.role))
    .map((m) => {
      const close = m.own !== null;
      const at = around(m.at, close ? 0.025 : 0.18);
      return { ...m, at, aim: close ? around(m.aim, 0.02) : m.aim, peakDb: m.peakDb + 3 * gauss() - 3, shieldDb: m.shieldDb ? Math.max(0, m.shieldDb + 2 * gauss()) : 0 };
    });
  const plan: RecordingPlan = {
    rate: spec.rate ?? 48000,
    seconds,
    seed,
    room: [ROOM[0] + uniform(), ROOM[1] + 0.8 * uniform(), ROOM[2] * (0.85 + 0.3 * uniform())],
    drums,
    mics,
    strokes: randomPart(seed, seconds, drums.map((d) => d.id)),
    t60: 0.3 + 0.2 * uniform() * dry,
    voice: spec.voice ?? tunedVoice(seed, drums.flatMap((d) => (d.id.startsWith('tom') ? [d.id] : []))),
    truth: spec.truth,
  };
  return withSpill(plan, spec.spill);
}
