/** A second bass drum to the drummer's right and a second snare beyond the hat, as many kits have them: each with a mic, a head and a tuning of its own. */
import { createGaussian, createRng } from '../core/dsp/rng';
import type { DrumPlace, MicPlace, Point } from './geometry';
import type { RecordingPlan, Voice } from './makeRecording';
import type { Stroke } from './strokes';

/** Where they stand against the first, metres, and which of its mics they have a like one of. */
const SECONDS = [
  { id: 'kick-2', of: 'kick', by: [-0.62, -0.05, 0], like: 'kick-in', file: 'Second Kick', levelDb: 0.5 },
  { id: 'snare-2', of: 'snare', by: [0.62, 0.3, 0], like: 'snare-top', file: 'Side Snare', levelDb: -1.5 },
] as const;
/** Strokes of a foot no further apart than this go from foot to foot, seconds; of others the second has some. */
const RUN_S = 0.3;
const OTHER_FOOT = 0.25;
/** In some stretches of so many seconds the second snare stands for the first; elsewhere it has an accent now and then. */
const STRETCH_S = 8;
const STANDS_IN = 0.35;
const ACCENT = 0.06;

const moved = (p: Point, by: Point): Point => [p[0] + by[0], p[1] + by[1], p[2] + by[2]];

/** The strokes of a part with feet and snares shared out; `seed` draws how. */
export function sharedOut(strokes: readonly Stroke[], seed: number): Stroke[] {
  const uniform = createRng(seed * 59 + 23);
  const standsIn = (time: number) => createRng(seed * 991 + Math.floor(time / STRETCH_S) * 17 + 3)() < STANDS_IN;
  let [last, second] = [Number.NEGATIVE_INFINITY, false];
  return strokes.map((s) => {
    const chance = uniform();
    if (s.drum === 'kick') {
      second = s.time - last < RUN_S ? !second : chance < OTHER_FOOT;
      last = s.time;
      return second ? { ...s, drum: 'kick-2' } : s;
    }
    return s.drum === 'snare' && (standsIn(s.time) || chance < ACCENT) ? { ...s, drum: 'snare-2' } : s;
  });
}

/** The plan with both; `voice` is what they sound like, asked for kick and snare. */
export function withSecondDrums(plan: RecordingPlan, seed: number, voice: Voice): RecordingPlan {
  const gauss = createGaussian(createRng(seed * 61 + 29));
  let { drums, mics } = plan;
  for (const s of SECONDS) {
    const first = drums.find((d) => d.id === s.of) as DrumPlace;
    const mic = mics.find((m) => m.role === s.like) as MicPlace;
    const by = moved(s.by, [0.03 * gauss(), 0.03 * gauss(), 0.01 * gauss()]);
    const drum: DrumPlace = { ...first, id: s.id, label: s.file, points: first.points.map((p) => moved(p, by)), levelDb: first.levelDb + s.levelDb };
    const own: MicPlace = { ...mic, file: `${Number.parseInt(mic.file, 10).toString().padStart(2, '0')}b ${s.file}.wav`, name: s.file, role: s.id, own: s.id, at: moved(mic.at, moved(by, [0.02 * gauss(), 0.02 * gauss(), 0.01 * gauss()])), aim: moved(mic.aim, by), peakDb: mic.peakDb + gauss() };
    drums = drums.flatMap((d) => (d === first ? [d, drum] : [d]));
    mics = mics.flatMap((m) => (m === mic ? [m, own] : [m]));
  }
  const theirs: Voice = (stroke, ...rest) => {
    const of = SECONDS.find((s) => s.id === stroke.drum)?.of;
    return of ? voice({ ...stroke, drum: of }, ...rest) : (plan.voice as Voice)(stroke, ...rest);
  };
  return { ...plan, drums, mics, strokes: sharedOut(plan.strokes, seed), voice: theirs };
}
