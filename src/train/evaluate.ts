/** How the whole detection does on made recordings (subfolders of the folders named): a table by drum and over all, as docs/hits.md shows. */
import { existsSync, readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import aubio from 'aubiojs';
import { truthAsArrived } from '../cli/measure';
import { openFolder } from '../cli/wavFile';
import { THRESHOLD, type Networks, detectHits } from '../core/hits/detectHits';
import { NETWORKS } from '../core/hits/weights';
import { scoreHits } from '../core/measure/scoreHits';
import { lendingFrom } from '../core/lend';

const [folder, weights] = process.argv.slice(2).filter((a) => !a.startsWith('--'));
const networks: Networks = weights ? JSON.parse(readFileSync(weights, 'utf8')) : NETWORKS;
const names = existsSync(join(folder, 'kit.json')) ? [''] : readdirSync(folder).filter((n) => existsSync(join(folder, n, 'kit.json'))).sort((a, b) => a.localeCompare(b, 'en', { numeric: true }));
const verbose = process.argv.includes('--rows');
/** Slow: a general onset library on every mic, at several thresholds. */
const withLibrary = process.argv.includes('--library');
/** Of what is found with the strength of the softest quarter or less, the share that is a stroke. */
function softPrecision(truth: Readonly<Record<string, readonly { time: number }[]>>, found: Readonly<Record<string, readonly { time: number; strength?: number }[]>>): number {
  let [right, all] = [0, 0];
  for (const [d, list] of Object.entries(found)) {
    const sorted = list.map((h) => h.strength ?? 1).sort((a, b) => a - b);
    const limit = sorted[Math.floor(0.25 * (sorted.length - 1))] ?? 0;
    for (const h of list) {
      if ((h.strength ?? 1) > limit) continue;
      all++;
      if ((truth[d] ?? []).some((t) => Math.abs(t.time - h.time) < 0.01)) right++;
    }
  }
  return right / Math.max(1, all);
}
// its types leave the method out
const Onset = (await aubio()).Onset as unknown as new (method: string, window: number, hop: number, rate: number) => { do(x: Float32Array): number; getLastS(): number; setThreshold(t: number): void; setSilence(db: number): void };
/** Onsets of a general library (aubio: high-frequency content, adaptive peak picking; P. Brossier, thesis, London 2006) in one mic, seconds, at a threshold of its peak picking. */
function generalOnsets(x: Float32Array, rate: number, threshold: number): { time: number }[] {
  const hop = 128;
  const onset = new Onset('hfc', 512, hop, rate);
  onset.setThreshold(threshold);
  onset.setSilence(-90);
  const out: { time: number }[] = [];
  for (let at = 0; at + hop <= x.length; at += hop) if (onset.do(x.subarray(at, at + hop))) out.push({ time: onset.getLastS() });
  return out;
}
const f = (v: number | null, d = 3) => (v === null ? '-' : v.toFixed(d)).padStart(7);
const sure: boolean[] = [];
const oneMic: Record<string, number[]> = {};
const general: Record<string, number[]> = {};
const totals: Record<string, { f: number[]; least: number[]; soft: number[]; softPrecision: number[]; late: number[] }> = {};
const groupOf = (d: string) => (d.startsWith('tom') ? 'toms' : d === 'crash' || d === 'ride' ? 'cymbals' : d);
for (const n of names) {
  const kit = JSON.parse(readFileSync(join(folder, n, 'kit.json'), 'utf8')) as { rate: number; mics: { file: string; role: string; own: string | null }[] };
  const files = await openFolder(join(folder, n));
  const start = process.cpuUsage();
  const { drums, song } = await detectHits(
    kit.rate, kit.mics.map((m) => ({ own: m.own, overhead: m.role.startsWith('overhead') })),
    lendingFrom(async (i) => {
      const file = files.find((x) => x.name === kit.mics[i].file);
      if (!file) throw new Error(kit.mics[i].file);
      const x = new Float32Array(file.info.frames);
      await file.reader(0).read(0, x);
      return x;
    }),
    networks,
  );
  const used = process.cpuUsage(start);
  const { hits: truth } = await truthAsArrived(join(folder, n));
  const found = Object.fromEntries(Object.entries(drums).map(([d, l]) => [d, l.filter((h) => h.certainty >= THRESHOLD)]));
  const s = scoreHits(truth, found);
  if (verbose) for (const [d, x] of Object.entries({ ...s.drums, all: s.all })) console.log(`  ${d.padEnd(6)} hits ${String(x.hits).padStart(4)} found ${String(x.found).padStart(4)} P ${f(x.precision)} R ${f(x.recall)} F ${f(x.f)} soft ${f(x.softRecall, 2)} error ${f(x.absErrorMs, 2)} ms late ${f(x.late)}`);
  const line: string[] = [];
  for (const g of ['kick', 'snare', 'hat', 'toms', 'cymbals']) {
    const mine = (list: Readonly<Record<string, readonly { time: number; strength?: number }[]>>) => Object.fromEntries(Object.entries(list).filter(([d]) => groupOf(d) === g));
    if (!Object.values(mine(truth)).some((l) => l.length)) continue;
    const x = scoreHits(mine(truth), mine(found), true);
    totals[g] ??= { f: [], least: [], soft: [], softPrecision: [], late: [] };
    const t = totals[g];
    const least = Math.min(...Object.values(x.drums).map((q) => q.f));
    t.f.push(x.all.f);
    t.least.push(least);
    t.soft.push(x.all.softRecall);
    t.late.push(x.all.late);
    t.softPrecision.push(softPrecision(mine(truth), mine(found)));
    line.push(`${g} ${x.all.f.toFixed(3)}${g === 'toms' || g === 'cymbals' ? ` (least ${least.toFixed(2)}, soft ${x.all.softRecall.toFixed(2)})` : ''}${x.all.late > 0.02 ? ` LATE ${x.all.late.toFixed(3)}` : ''}`);
  }
  console.log(`${(n || folder).padEnd(6)} CPU ${((used.user + used.system) / 1e6).toFixed(1)} s for ${(files[0].info.frames / kit.rate).toFixed(0)} s  ${line.join('  ')}  error ${f(s.all.absErrorMs, 2)} ms`);
  // rises in the drum's own mic alone, at the threshold that is best in hindsight
  for (const d of song.drums) {
    const source = song.sources.get(d);
    if (!source || !truth[d]?.length) continue;
    let best = 0;
    for (let t = 5; t <= 30; t++) {
      const alone = Array.from(source.time).flatMap((time, i) => (source.novelty[i] >= t ? [{ time }] : []));
      best = Math.max(best, scoreHits({ d: truth[d] }, { d: alone }).all.f);
    }
    oneMic[groupOf(d)] = [...(oneMic[groupOf(d)] ?? []), best];
    const own = files.find((x) => x.name === kit.mics[source.main].file);
    if (!own || !withLibrary) continue;
    const x = new Float32Array(own.info.frames);
    await own.reader(0).read(0, x);
    const each = [0.1, 0.2, 0.3, 0.5, 0.8, 1.2, 1.8, 2.5].map((t) => scoreHits({ d: truth[d] }, { d: generalOnsets(x, kit.rate, t) }).all.f);
    general[groupOf(d)] = [...(general[groupOf(d)] ?? []), Math.max(...each)];
  }
  await Promise.all(files.map((x) => x.close()));
  for (const [d, l] of Object.entries(found)) for (const h of l) if (h.certainty > 0.85 && h.certainty < 0.95) sure.push((truth[d] ?? []).some((t) => Math.abs(t.time - h.time) < 0.01));
}
const mean = (v: readonly number[]) => v.reduce((a, b) => a + b, 0) / Math.max(1, v.length);
for (const [d, t] of Object.entries(totals)) console.log(`${d.padEnd(8)} mean F ${f(mean(t.f))} least ${f(Math.min(...t.f))} least drum ${f(Math.min(...t.least))} soft: recall ${f(mean(t.soft), 2)} precision ${f(mean(t.softPrecision), 2)} late ${f(mean(t.late))}${oneMic[d] ? ` one mic alone, best threshold: F ${f(mean(oneMic[d]))}${general[d] ? `, a general library's onsets there ${f(mean(general[d]))}` : ''}` : ''}`);
console.log(`of hits with certainty .85 to .95, right: ${f(mean(sure.map(Number)))} of ${sure.length}`);
