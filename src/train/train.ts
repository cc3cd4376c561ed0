/**
 * npm run train -- FOLDER: learns the networks of core/hits/weights.json from made recordings (subfolders of FOLDER), writes them to the file named second; with
 * --folds it also shows how they do on recordings left out (a fifth in turn), with --rows for each. Recordings used for judging must not lie in FOLDER.
 */
import { existsSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { type Network, certainties, choose } from '../core/hits/classify';
import { type NetworkName, THRESHOLD } from '../core/hits/detectHits';
import { matchHits } from '../core/measure/scoreHits';
import { type LabelledSet, labelled } from './dataset';
import { average, train } from './network';

const KINDS: readonly NetworkName[] = ['kick', 'snare', 'hat', 'tom', 'crash', 'ride'];
const FOLDS = 5;

function examples(sets: readonly LabelledSet[]) {
  const x: number[] = [];
  const y: number[] = [];
  for (const s of sets) {
    s.label.forEach((v, i) => {
      if (v < 0) return;
      y.push(v);
      for (let k = 0; k < s.count; k++) x.push(s.features[i * s.count + k]);
    });
  }
  return { x: Float64Array.from(x), y: Float64Array.from(y), inputs: sets[0].count };
}

const fitNetwork = (sets: readonly LabelledSet[], starts: number): Network => average(Array.from({ length: starts }, (_, k) => train(examples(sets), { hidden: 12, epochs: 40, seed: 11 + k, decay: 0.02 })));

interface Row {
  name: string;
  drum: string;
  f: number;
  p: number;
  r: number;
  soft: number;
  late: number;
}

export function evaluate(net: Network, s: LabelledSet): Row & { certainty: { c: number; right: boolean }[] } {
  const c = certainties(net, Float32Array.from(s.features));
  const time = Float64Array.from(s.time);
  const found = choose(time, c, THRESHOLD);
  const truth = s.truth.map((t) => ({ time: t }));
  const pairs = matchHits(truth, found.map((i) => ({ time: time[i] })));
  const right = new Set(pairs.map(([, b]) => b));
  const sorted = [...s.strength].sort((a, b) => a - b);
  const limit = sorted[Math.floor(0.25 * (sorted.length - 1))];
  const soft = new Set(s.strength.flatMap((v, i) => (v <= limit ? [i] : [])));
  return {
    name: s.name.split('/').pop() ?? '', drum: s.drum, f: (2 * pairs.length) / Math.max(1, truth.length + found.length), p: pairs.length / Math.max(1, found.length), r: pairs.length / Math.max(1, truth.length),
    soft: pairs.filter(([a]) => soft.has(a)).length / Math.max(1, soft.size), late: pairs.filter(([a, b]) => time[found[b]] - truth[a].time > 0.002).length / Math.max(1, pairs.length),
    certainty: found.map((i, k) => ({ c: c[i], right: right.has(k) })),
  };
}

const mean = (v: readonly number[]) => v.reduce((a, b) => a + b, 0) / Math.max(1, v.length);

async function main() {
  const folder = process.argv[2];
  const out = process.argv[3];
  const verbose = process.argv.includes('--rows');
  const names = readdirSync(folder).filter((n) => existsSync(join(folder, n, 'kit.json'))).sort((a, b) => a.localeCompare(b, 'en', { numeric: true }));
  const sets: LabelledSet[] = [];
  for (const n of names) {
    sets.push(...(await labelled(join(folder, n), '.features-5.json')));
    process.stderr.write(`\r${n}                 `);
  }
  process.stderr.write('\n');
  const weights: Partial<Record<NetworkName, Network>> = {};
  for (const kind of KINDS) {
    const mine = sets.filter((s) => s.kind === kind);
    const rows: ReturnType<typeof evaluate>[] = [];
    for (let fold = 0; fold < (process.argv.includes('--folds') ? FOLDS : 0); fold++) {
      const held = new Set(names.filter((_, i) => i % FOLDS === fold).map((n) => join(folder, n)));
      const net = fitNetwork(mine.filter((s) => !held.has(s.name)), 2);
      rows.push(...mine.filter((s) => held.has(s.name)).map((s) => evaluate(net, s)));
    }
    if (verbose) for (const r of rows) console.log(`  ${r.name.padEnd(24)} ${r.drum.padEnd(6)} F ${r.f.toFixed(3)} P ${r.p.toFixed(3)} R ${r.r.toFixed(3)} soft ${r.soft.toFixed(2)} late ${r.late.toFixed(3)}`);
    if (rows.length === 0) {
      if (out) weights[kind] = fitNetwork(mine, 4);
      process.stderr.write(`${kind} done\n`);
      continue;
    }
    const sure = rows.flatMap((r) => r.certainty).filter((c) => c.c > 0.85 && c.c < 0.95);
    console.log(`${kind.padEnd(6)} sets ${rows.length} F ${mean(rows.map((r) => r.f)).toFixed(3)} least ${Math.min(...rows.map((r) => r.f)).toFixed(3)} P ${mean(rows.map((r) => r.p)).toFixed(3)} R ${mean(rows.map((r) => r.r)).toFixed(3)} soft ${mean(rows.map((r) => r.soft)).toFixed(3)} late ${mean(rows.map((r) => r.late)).toFixed(3)} of .85 to .95 right ${mean(sure.map((c) => (c.right ? 1 : 0))).toFixed(3)} (${sure.length})`);
    if (out) weights[kind] = fitNetwork(mine, 4);
    process.stderr.write(`${kind} done\n`);
  }
  if (out) writeFileSync(out, `${JSON.stringify(weights)}\n`);
}

await main();
