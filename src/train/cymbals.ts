/**
 * npm run train -- --cymbals FOLDER OUT: learns the networks of the third pass (crash and ride) from made recordings (subfolders of FOLDER), and writes core/hits/weights.json
 * with them to OUT. npm run train -- --lone FOLDER OUT: those of the look at lone strokes, from recordings in which crash or ride are struck never to five times, or as usual.
 * The other networks stay as they are; recordings that the first two passes learnt from must not lie in FOLDER, nor such as are used for judging.
 */
import { existsSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { FAR } from '../core/hits/passes';
import { NETWORKS } from '../core/hits/weights';
import { type LabelledSet, labelledLone, labelledThird } from './dataset';
import { average, examplesOf, train } from './network';

const STARTS = 3;
const SIZES = { third: { hidden: 12, epochs: 24, decay: 0.1 }, lone: { hidden: 8, epochs: 60, decay: 0.1 } } as const;

async function main() {
  const lone = process.argv[2] === '--lone';
  const [folder, out] = process.argv.slice(lone ? 3 : 2);
  if (!folder || !out) throw new Error(`Say which folder holds the recordings and which file to write: npm run train -- ${lone ? '--lone' : '--cymbals'} FOLDER OUT`);
  const names = readdirSync(folder).filter((n) => existsSync(join(folder, n, 'kit.json'))).sort((a, b) => a.localeCompare(b, 'en', { numeric: true }));
  const sets: LabelledSet[] = [];
  for (const [i, n] of names.entries()) {
    sets.push(...(await (lone ? labelledLone : labelledThird)(join(folder, n), NETWORKS)));
    process.stderr.write(`\rheard ${i + 1} of ${names.length}   `);
  }
  process.stderr.write('\n');
  const what = lone ? 'lone' : 'third';
  const learnt = Object.fromEntries(FAR.map((k) => {
    const e = examplesOf(sets.filter((s) => s.kind === k));
    return [k, average(Array.from({ length: STARTS }, (_, seed) => train(e, { ...SIZES[what], seed: 11 + seed })))];
  }));
  writeFileSync(out, `${JSON.stringify({ ...NETWORKS, [what]: learnt })}\n`);
}

await main();
