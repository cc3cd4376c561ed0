/** Mics of their own for cymbals: a hand's width over or under them, as many kits have one at the ride. */
import { createGaussian, createRng } from '../core/dsp/rng';
import type { MicPlace, Point } from './geometry';
import type { RecordingPlan } from './makeRecording';

const CYMBALS = ['ride', 'crash'] as const;
/** Every so many numbers have one at the crash too. */
const CRASH_TOO = 3;

/** The plan with a mic at the ride, and of every third number at the crash, before the overheads; their files are numbered after the mic before them: `07b Ride.wav`. */
export function withCymbalMics(plan: RecordingPlan, seed: number): RecordingPlan {
  const uniform = createRng(seed * 13 + 5);
  const gauss = createGaussian(uniform);
  const before = plan.mics.findIndex((m) => m.own === null);
  const number = Number.parseInt(plan.mics[before - 1].file, 10);
  const spots = CYMBALS.filter((d) => d === 'ride' || seed % CRASH_TOO === 0).flatMap((id, k): MicPlace[] => {
    const cymbal = plan.drums.find((d) => d.id === id);
    if (!cymbal) return [];
    const under = uniform() < 0.5;
    const aim = cymbal.points[0];
    const at: Point = [aim[0] + 0.08 * gauss(), aim[1] + 0.08 * gauss(), aim[2] + (under ? -1 : 1) * (0.08 + 0.07 * uniform())];
    const name = id === 'ride' ? 'Ride' : 'Crash';
    return [{ file: `${String(number).padStart(2, '0')}${'bc'[k]} ${name}.wav`, name, role: id, own: id, at, aim, pattern: 0.4 + 0.15 * uniform(), polarity: under ? -1 : 1, shieldDb: 0, peakDb: -10 + 2 * gauss() }];
  });
  return { ...plan, mics: [...plan.mics.slice(0, before), ...spots, ...plan.mics.slice(before)] };
}
