/**
 * npm run train -- --cymbals FOLDER OUT: learns the networks of the third pass (crash and ride) from made recordings (subfolders of FOLDER), and writes core/hits/weights.json
 * with them to OUT. npm run train -- --lone FOLDER OUT: those of the look at lone strokes and of what judges by it, from recordings in which crash or ride are struck never to five times, or as usual.
 * The other networks stay as they are; recordings that the first two passes learnt from must not lie in FOLDER, nor such as are used for judging.
 */
import { existsSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { FAR, type NetworkName, type NetworkSet } from '../core/hits/passes';
import { NETWORKS } from '../core/hits/weights';
import { type LabelledSet, labelledFew, labelledLone, labelledThird } from './dataset';
import { average, examplesOf, train } from './network';

const STARTS = 3;
const FOLDS = 4;
const SIZES = { third: { hidden: 12, epochs: 24, decay: 0.1 }, lone: { hidden: 8, epochs: 60, decay: 0.1 }, few: { hidden: 4, epochs: 60, decay: 0.03 } } as const;

function learn(what: keyof typeof SIZES, sets: readonly LabelledSet[]): NetworkSet {
  const of = (k: NetworkName) => sets.filter((s) => s.kind === k);
  return Object.fromEntries(FAR.filter((k) => of(k).length > 0).map((k) => {
    const e = examplesOf(of(k));
    return [k, average(Array.from({ length: STARTS }, (_, seed) => train(e, { ...SIZES[what], seed: 11 + seed })))];
  }));
}

async function main() {
  const lone = process.argv[2] === '--lone';
  const [folder, out] = process.argv.slice(lone ? 3 : 2);
  if (!folder || !out) throw new Error(`Say which folder holds the recordings and which file to write: npm run train -- ${lone ? '--lone' : '--cymbals'} FOLDER OUT`);
  const names = readdirSync(folder).filter((n) => existsSync(join(folder, n, 'kit.json'))).sort((a, b) => a.localeCompare(b, 'en', { numeric: true }));
  const heard = async (title: string, listen: (folder: string, i: number) => Promise<LabelledSet[]>) => {
    const sets: LabelledSet[][] = [];
    for (const [i, n] of names.entries()) {
      sets.push(await listen(join(folder, n), i));
      process.stderr.write(`\r${title}: heard ${i + 1} of ${names.length}   `);
    }
    process.stderr.write('\n');
    return sets;
  };
  if (!lone) {
    const sets = await heard('third pass', (f) => labelledThird(f, NETWORKS));
    writeFileSync(out, `${JSON.stringify({ ...NETWORKS, third: learn('third', sets.flat()) })}\n`);
    return;
  }
  const sets = await heard('lone strokes', (f) => labelledLone(f, NETWORKS));
  // what judges by the look learns from looks that did not learn from the same recordings
  const others = Array.from({ length: FOLDS }, (_, fold) => learn('lone', sets.filter((_, i) => i % FOLDS !== fold).flat()));
  const few = await heard('few strokes', (f, i) => labelledFew(f, { ...NETWORKS, lone: others[i % FOLDS] }));
  writeFileSync(out, `${JSON.stringify({ ...NETWORKS, lone: learn('lone', sets.flat()), few: learn('few', few.flat()) })}\n`);
}

await main();
