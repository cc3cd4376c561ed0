/** Made recordings by number: what a number stands for is always the same, so that tables and other people's runs can be compared. */
import { withArticulations } from './articulations';
import { withCutToms } from './cutMics';
import { withCymbalMics } from './cymbalMics';
import { elsewhereRecording } from './elsewhere';
import { type MadeRecording, type RecordingPlan, makeRecording } from './makeRecording';
import { type RandomSpec, randomRecording, tunedVoice } from './randomKit';
import { threeOf } from './randomPart';
import { realVoice } from './realSounds';
import { withSecondDrums } from './secondDrums';
import { unlikeVoice } from './unlikeSounds';

const SECONDS = 40;

/** Whose sounds, by the rest of a number's division by five: a set of real ones, or null: synthesised. */
const SOUNDS = ['millo', 'colombo', null, 'millo', 'colombo'] as const;

/** The set of real sounds that a recording is made of; null where they are synthesised. */
export const soundsOf = (seed: number): 'millo' | 'colombo' | null => SOUNDS[seed % SOUNDS.length];

/**
 * A number draws kit, room, mics and part. Even ones have normal spill, of odd ones every second hard, the others easy; each third number has two toms, the others three;
 * of five one is synthesised, two are of either set of real sounds.
 */
export function specOf(seed: number): Omit<RandomSpec, 'voice'> & { readonly toms: 2 | 3 } {
  return { seed, seconds: SECONDS, spill: seed % 2 === 0 ? 'normal' : seed % 4 === 1 ? 'hard' : 'easy', toms: seed % 3 === 0 ? 2 : 3 };
}

/** So far on is the number by which second drums are tuned. */
const OTHER_TUNING = 7000;

const UNLIKE = /^\d+-unlike$/;
const ELSEWHERE = /^\d+-elsewhere$/;
const SPOTTED = /^\d+-spotted$/;
const ARTICULATED = /^\d+-articulated$/;
const CUT = /^\d+-cut$/;
const DOUBLED = /^\d+-doubled$/;
const FEW = /^(\d+)-([a-z][a-z0-9-]*)=([03])$/;

/** The number of a recording by its name: `101`, `101-ride=0`, `101-unlike`, `101-elsewhere`, `101-spotted`, `101-articulated`, `101-cut` or `101-doubled`. */
export const numberOf = (name: string): number => Number(name.split('-')[0]);

/** Names as they are asked for (`101`, `101-106`, `101-ride=3`, `101-unlike`, `101-106-unlike`, `101-106-elsewhere`, `101-106-spotted`, `101-106-articulated`, `101-106-cut`, `101-106-doubled`, `demo`), ranges spelt out. Throws what says how they are written. */
export function namesOf(words: readonly string[]): string[] {
  return words.flatMap((w) => {
    if (w === 'demo' || FEW.test(w)) return [w];
    const [, from, to, kind = ''] = /^(\d+)(?:-(\d+))?(-unlike|-elsewhere|-spotted|-articulated|-cut|-doubled)?$/.exec(w) ?? [];
    if (!from || Number(to ?? from) < Number(from)) throw new Error(`${w} is no number, no range of numbers, no number with a drum that is struck never or three times (101-ride=0, 101-ride=3), with sounds unlike the others' (101-unlike), elsewhere (101-elsewhere), with a mic at the ride (101-spotted), struck in more ways (101-articulated), with toms cut by hand (101-cut) or with two bass drums and two snares (101-doubled), and not "demo".`);
    return Array.from({ length: Number(to ?? from) - Number(from) + 1 }, (_, i) => `${Number(from) + i}${kind}`);
  });
}

/** The strokes of a part as a name has them: `101-ride=3` leaves three of the ride's. Throws where the part has no such drum. */
export function strokesOf<S extends { readonly drum: string }>(name: string, strokes: readonly S[]): readonly S[] {
  const [, number, drum, count] = FEW.exec(name) ?? [];
  if (!drum) return strokes;
  const drums = new Set(strokes.map((s) => s.drum));
  if (!drums.has(drum)) throw new Error(`${number} has no ${drum}; it has ${[...drums].join(', ')}.`);
  return count === '3' ? threeOf(strokes, drum) : strokes.filter((s) => s.drum !== drum);
}

/** Whether a recording of this name needs the real sounds. */
export const needsRealSounds = (name: string): boolean => name !== 'demo' && (UNLIKE.test(name) || soundsOf(numberOf(name)) !== null || unlikeElsewhere(name));

/** Every third recording elsewhere has sounds of its own too. */
const unlikeElsewhere = (name: string): boolean => ELSEWHERE.test(name) && numberOf(name) % 3 === 0;

/** What is made under a name but `demo`; see specOf, strokesOf, unlikeSounds.ts, elsewhere.ts, cymbalMics.ts, articulations.ts and secondDrums.ts. `truth`: see RandomSpec. */
export function planOf(name: string, truth = true): RecordingPlan {
  const spec = specOf(numberOf(name));
  const sounds = soundsOf(spec.seed);
  const voice = UNLIKE.test(name) || unlikeElsewhere(name) ? unlikeVoice(spec.seed, spec.toms) : sounds ? realVoice(sounds, spec.seed, spec.toms) : undefined;
  if (ELSEWHERE.test(name)) return elsewhereRecording({ ...spec, voice, truth });
  const plan = randomRecording({ ...spec, voice, truth });
  if (SPOTTED.test(name)) return withCymbalMics(plan, spec.seed);
  if (ARTICULATED.test(name)) return withArticulations(plan, spec.seed);
  if (DOUBLED.test(name)) return withSecondDrums(plan, spec.seed, sounds ? realVoice(sounds, spec.seed + OTHER_TUNING, spec.toms) : tunedVoice(spec.seed + OTHER_TUNING, []));
  return { ...plan, strokes: strokesOf(name, plan.strokes) };
}

/** The same, made, its mics cut where the name says so (cutMics.ts). */
export function madeOf(name: string, truth = true): MadeRecording {
  const made = makeRecording(planOf(name, truth));
  return CUT.test(name) ? withCutToms(made) : made;
}
