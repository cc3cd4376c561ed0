/**
 * npm run train -- --cymbals FOLDER OUT: learns the networks of the third pass (crash and ride) from made recordings (subfolders of FOLDER), and writes core/hits/weights.json
 * with them to OUT. The networks of the first two passes stay as they are; recordings that those learnt from must not lie in FOLDER, nor such as are used for judging.
 */
import { existsSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { FAR } from '../core/hits/passes';
import { NETWORKS } from '../core/hits/weights';
import { type LabelledSet, labelledThird } from './dataset';
import { average, examplesOf, train } from './network';

const STARTS = 3;

async function main() {
  const [folder, out] = process.argv.slice(2);
  if (!folder || !out) throw new Error('Say which folder holds the recordings and which file to write: npm run train -- --cymbals FOLDER OUT');
  const names = readdirSync(folder).filter((n) => existsSync(join(folder, n, 'kit.json'))).sort((a, b) => a.localeCompare(b, 'en', { numeric: true }));
  const sets: LabelledSet[] = [];
  for (const [i, n] of names.entries()) {
    sets.push(...(await labelledThird(join(folder, n), NETWORKS)));
    process.stderr.write(`\rheard ${i + 1} of ${names.length}   `);
  }
  process.stderr.write('\n');
  const third = Object.fromEntries(FAR.map((k) => {
    const e = examplesOf(sets.filter((s) => s.kind === k));
    return [k, average(Array.from({ length: STARTS }, (_, seed) => train(e, { hidden: 12, epochs: 24, seed: 11 + seed, decay: 0.1 })))];
  }));
  writeFileSync(out, `${JSON.stringify({ ...NETWORKS, third })}\n`);
}

await main();
