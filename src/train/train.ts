/**
 * npm run train -- FOLDER OUT [--far]: learns the networks of core/hits/weights.json from made recordings (subfolders of FOLDER) and writes them to OUT. Those of the
 * second pass learn from what first-pass networks say that were trained on the other half of the recordings. Works on two processes; keeps songs beside the
 * recordings.  --far: crash and ride alone, the other drums' stay as they are. Recordings used for judging must not lie in FOLDER. The third pass learns afterwards, from others (cymbals.ts).
 */
import { fork } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { deserialize, serialize } from 'node:v8';
import type { Network } from '../core/hits/classify';
import { FAR, type NetworkName, type NetworkSet } from '../core/hits/passes';
import { NETWORKS } from '../core/hits/weights';
import { type LabelledSet, labelled } from './dataset';
import { average, examplesOf, train } from './network';

const ALL: readonly NetworkName[] = ['kick', 'snare', 'hat', 'tom', 'crash', 'ride'];
const PROCESSES = 2;

type Job = { kind: 'features'; folder: string; first: string | null; out: string } | { kind: 'fit'; network: NetworkName; sets: string[]; starts: number; out: string };

async function work(job: Job): Promise<void> {
  if (job.kind === 'features') {
    const first = job.first ? (JSON.parse(readFileSync(job.first, 'utf8')) as NetworkSet) : null;
    writeFileSync(job.out, serialize(await labelled(job.folder, first)));
    return;
  }
  const sets = job.sets.flatMap((p) => (deserialize(readFileSync(p)) as LabelledSet[]).filter((s) => s.kind === job.network));
  const e = examplesOf(sets);
  const net = average(Array.from({ length: job.starts }, (_, k) => train(e, { hidden: 14, epochs: 32, seed: 11 + k, decay: 0.02 })));
  writeFileSync(job.out, JSON.stringify(net));
}

async function inParallel(jobs: readonly Job[], title: string): Promise<void> {
  const queue = [...jobs];
  let done = 0;
  const run = (job: Job) =>
    new Promise<void>((ok, bad) => {
      const child = fork(process.argv[1], ['--child', JSON.stringify(job)], { stdio: 'inherit' });
      child.on('exit', (code) => (code === 0 ? ok() : bad(new Error(`${job.kind} failed: ${job.out}`))));
    });
  await Promise.all(
    Array.from({ length: PROCESSES }, async () => {
      for (let job = queue.shift(); job; job = queue.shift()) {
        await run(job);
        process.stderr.write(`\r${title} ${++done} of ${jobs.length}   `);
      }
    }),
  );
  process.stderr.write('\n');
}

async function main() {
  if (process.argv[2] === '--child') return work(JSON.parse(process.argv[3]) as Job);
  const [folder, out] = process.argv.slice(2).filter((a) => !a.startsWith('--'));
  const onlyFar = process.argv.includes('--far');
  const kinds = onlyFar ? FAR : ALL;
  const others = onlyFar ? NETWORKS : { first: {}, second: {}, third: {}, lone: {}, few: {} };
  if (!folder || !out) throw new Error('Say which folder holds the recordings and which file to write: npm run train -- FOLDER OUT');
  const names = readdirSync(folder).filter((n) => existsSync(join(folder, n, 'kit.json'))).sort((a, b) => a.localeCompare(b, 'en', { numeric: true }));
  const temp = mkdtempSync(join(tmpdir(), 'fresh-gap-train-'));
  const setFile = (pass: number, i: number) => join(temp, `sets-${pass}-${i}`);
  const learn = async (title: string, plans: readonly { name: string; sets: string[]; starts: number }[]): Promise<NetworkSet[]> => {
    const file = (name: string, k: NetworkName) => join(temp, `${name}-${k}.json`);
    await inParallel(plans.flatMap((p) => kinds.map((network) => ({ kind: 'fit' as const, network, sets: p.sets, starts: p.starts, out: file(p.name, network) }))), title);
    return plans.map((p) => Object.fromEntries(kinds.map((k) => [k, JSON.parse(readFileSync(file(p.name, k), 'utf8')) as Network])));
  };
  try {
    await inParallel(names.map((n, i) => ({ kind: 'features', folder: join(folder, n), first: null, out: setFile(1, i) })), 'features of the first pass');
    const all = names.map((_, i) => setFile(1, i));
    const half = (h: number) => all.filter((_, i) => i % 2 === h);
    const [first, ...halves] = await learn('networks of the first pass', [{ name: 'first', sets: all, starts: 3 }, { name: 'even', sets: half(0), starts: 1 }, { name: 'odd', sets: half(1), starts: 1 }]);
    halves.forEach((h, k) => {
      writeFileSync(join(temp, `half-${k}.json`), JSON.stringify({ ...others.first, ...h }));
    });
    await inParallel(names.map((n, i) => ({ kind: 'features', folder: join(folder, n), first: join(temp, `half-${1 - (i % 2)}.json`), out: setFile(2, i) })), 'features of the second pass');
    const [second] = await learn('networks of the second pass', [{ name: 'second', sets: names.map((_, i) => setFile(2, i)), starts: 4 }]);
    writeFileSync(out, `${JSON.stringify({ ...others, first: { ...others.first, ...first }, second: { ...others.second, ...second } })}\n`);
  } finally {
    rmSync(temp, { recursive: true, force: true });
  }
}

await main();
