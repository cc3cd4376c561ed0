/**
 * npm run make -- FOLDER NUMBER | FROM-TO | demo ... [--without-truth]: made recordings by number, each in a folder of its name below FOLDER, for npm run train, evaluate and figures.
 * What a number stands for is always the same: it draws kit, room, mics and part, and says how loud spill is (even: normal; of odd ones every second hard, the others easy),
 * whether there are two toms (each third number) or three, and whose sounds they are (of five, one synthesised, two of either set of real ones). A recording of 40 s takes half a minute.
 */
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { demoRecording } from '../demo/demoRecording';
import { type MadeRecording, makeRecording } from '../demo/makeRecording';
import { type RandomSpec, randomRecording } from '../demo/randomKit';
import { haveRealSounds, realVoice } from '../demo/realSounds';
import { writeRecording } from '../demo/writeRecording';

const SECONDS = 40;

/** Sounds by the rest of a number's division by five; null: synthesised. */
const SOUNDS = ['millo', 'colombo', null, 'millo', 'colombo'] as const;

const specOf = (seed: number): RandomSpec => {
  const toms = seed % 3 === 0 ? 2 : 3;
  const sounds = SOUNDS[seed % 5];
  return { seed, seconds: SECONDS, spill: seed % 2 === 0 ? 'normal' : seed % 4 === 1 ? 'hard' : 'easy', toms, voice: sounds ? realVoice(sounds, seed, toms) : undefined };
};

/** Numbers and `demo` as they are asked for, ranges spelt out. */
function namesOf(words: readonly string[]): string[] {
  return words.flatMap((w) => {
    const m = /^(\d+)(?:-(\d+))?$/.exec(w);
    if (w !== 'demo' && !m) throw new Error(`${w} is no number, no range of numbers, and not "demo".`);
    if (!m) return [w];
    const [from, to] = [Number(m[1]), Number(m[2] ?? m[1])];
    return Array.from({ length: to - from + 1 }, (_, i) => String(from + i));
  });
}

async function main() {
  const words = process.argv.slice(2).filter((w) => !w.startsWith('--'));
  const [folder, ...asked] = words;
  const names = namesOf(asked);
  if (!folder || names.length === 0) throw new Error('Say where to, and which: npm run make -- FOLDER NUMBER | FROM-TO | demo ...');
  if (names.some((n) => n !== 'demo' && SOUNDS[Number(n) % 5]) && !haveRealSounds()) throw new Error('Real sounds are missing: install the Debian packages hydrogen-drumkits and flac.');
  const truth = !process.argv.includes('--without-truth');
  for (const n of names) {
    const target = join(folder, n);
    if (existsSync(join(target, 'kit.json'))) continue;
    const made: MadeRecording = n === 'demo' ? demoRecording() : makeRecording(randomRecording({ ...specOf(Number(n)), truth }));
    await writeRecording(target, made);
    process.stderr.write(`${target}\n`);
  }
}

await main();
