/**
 * npm run make -- FOLDER NUMBER | FROM-TO | NUMBER-DRUM=0 | NUMBER-DRUM=3 | NUMBER-unlike | NUMBER-elsewhere | NUMBER-spotted | NUMBER-articulated | NUMBER-cut | NUMBER-doubled | demo ... [--without-truth]: made recordings by number (demo/byNumber.ts), each in a folder of its name below FOLDER,
 * for npm run train, evaluate and figures. 101-ride=0 is 101 without a stroke of its ride, 101-ride=3 with three; 101-unlike is its part, kit and room with sounds unlike any other recording's (demo/unlikeSounds.ts); 101-elsewhere has another room, kit, mics and part (demo/elsewhere.ts); 101-spotted is 101 with a mic at the ride, every third at the crash too (demo/cymbalMics.ts); 101-articulated is 101 struck in more ways (demo/articulations.ts); 101-cut is 101 with its toms cut by hand (demo/cutMics.ts); 101-doubled is 101 with two bass drums and two snares (demo/secondDrums.ts). A recording of 40 s takes half a minute; without each drum alone half of that.
 */
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { madeOf, namesOf, needsRealSounds } from '../demo/byNumber';
import { demoRecording } from '../demo/demoRecording';
import { haveRealSounds } from '../demo/realSounds';
import { writeRecording } from '../demo/writeRecording';

async function main() {
  const [folder, ...asked] = process.argv.slice(2).filter((w) => !w.startsWith('--'));
  const names = namesOf(asked);
  if (!folder || names.length === 0) throw new Error('Say where to, and which: npm run make -- FOLDER NUMBER | FROM-TO | demo ...');
  if (names.some(needsRealSounds) && !haveRealSounds()) throw new Error('Real sounds are missing: install the Debian packages hydrogen-drumkits and flac.');
  const truth = !process.argv.includes('--without-truth');
  for (const n of names) {
    const target = join(folder, n);
    if (existsSync(join(target, 'kit.json'))) continue;
    await writeRecording(target, n === 'demo' ? demoRecording() : madeOf(n, truth));
    process.stderr.write(`${target}\n`);
  }
}

await main();
