/**
 * npm run figures -- OUT FOLDER ...: what the program makes of made recordings (subfolders of the folders named, or such themselves) by itself: hits heard closely, de-bleed alone, the proposed plan.
 * Every figure of every mic and the hits go to OUT/NAME.json, which is kept between runs; the tables of docs/hits.md and docs/debleed.md over all of OUT are printed. `--table`: only that; `--keep`: the cleaned mics stay too.
 * `--stages`: each way of cleaning from nothing to all of it instead (stages.ts). A recording of 40 s takes a minute or two.
 */
import { existsSync, mkdirSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { clean } from '../cli/clean';
import { proposeFolder } from '../cli/debleed';
import { measureClean } from '../cli/measure';
import { THRESHOLD } from '../core/hits/detectHits';
import type { CleanScore } from '../core/measure/scoreClean';
import { type HitScore, type TimedHit, matchHits, scoreHits } from '../core/measure/scoreHits';
import { readTruth } from './dataset';
import { printStages } from './stages';
import { CLEAN_HEAD, cleanRow, isTomMic, plain, row } from './tables';

const WAYS = ['untouched', 'debleed', 'proposed'] as const;
type Way = (typeof WAYS)[number];

interface FoundHit extends TimedHit {
  readonly certainty: number;
}

interface Figures {
  readonly mics: Readonly<Record<Way, Readonly<Record<string, CleanScore>>>>;
  readonly truth: Readonly<Record<string, readonly TimedHit[]>>;
  /** As likely as the threshold at least. */
  readonly found: Readonly<Record<string, readonly FoundHit[]>>;
}

async function figuresOf(folder: string, out: string): Promise<Figures> {
  const progress = () => {};
  const proposal = await proposeFolder({ folder, progress });
  const truthFolder = join(folder, 'truth');
  const mics: Partial<Record<Way, Record<string, CleanScore>>> = { untouched: (await measureClean(folder, folder, truthFolder)).mics };
  for (const way of ['debleed', 'proposed'] as const) {
    const target = join(out, `${basename(folder)}-${way}`);
    await clean({ folder, out: target, only: way === 'debleed' ? 'debleed' : undefined, encoding: 'float32', proposal, progress });
    mics[way] = (await measureClean(folder, target, truthFolder)).mics;
    if (!process.argv.includes('--keep')) rmSync(target, { recursive: true });
  }
  const { hits, sampleRate } = proposal.plan;
  const found = Object.fromEntries(
    Object.entries(hits).map(([d, list]) => [d, Object.values(list).flatMap((h): FoundHit[] => (h.certainty >= THRESHOLD ? [{ time: h.frame / sampleRate, strength: h.strength, certainty: h.certainty }] : [])).sort((a, b) => a.time - b.time)]),
  );
  return { mics: mics as Figures['mics'], truth: readTruth(folder), found };
}

const isTom = (drum: string) => drum.startsWith('tom');
const WORDS: Record<Way, string> = { untouched: 'untouched', debleed: '`--only debleed`', proposed: 'proposed' };

/** Rows of the three ways over mics that `of` lets through, as docs/debleed.md has them. */
function cleanRows(name: string, list: readonly Figures[], of: (mic: string) => boolean = () => true): string[] {
  return WAYS.map((way) => cleanRow(`${name} ${WORDS[way]}`, list.flatMap((f) => Object.entries(f.mics[way]).flatMap(([mic, x]) => (of(mic) ? [x] : [])))));
}

/** A row of docs/hits.md. */
function hitRow(name: string, f: Figures): string {
  const { drums } = scoreHits(f.truth, f.found, true);
  const toms = Object.entries(drums).flatMap(([d, s]) => (isTom(d) ? [s] : []));
  const mean = (pick: (s: HitScore) => number) => toms.reduce((t, s) => t + pick(s), 0) / Math.max(1, toms.length);
  const far = scoreHits({ crash: f.truth.crash ?? [], ride: f.truth.ride ?? [] }, { crash: f.found.crash ?? [], ride: f.found.ride ?? [] }, true).all;
  return row([name, ...['kick', 'snare', 'hat'].map((d) => plain(drums[d]?.f ?? 0, 2)), plain(mean((s) => s.f), 2), plain(Math.min(...toms.map((s) => s.f)), 2), plain(mean((s) => s.softRecall), 2), plain(far.f, 2), plain(mean((s) => s.absErrorMs ?? 0), 2)]);
}

/** Strokes lost and hits that are none by kind of drum, and of hits .9 certain how many are right, over all recordings. */
function totals(list: readonly Figures[]): string[] {
  const kinds: Record<string, [number, number, number]> = {};
  let [sure, right, late, matched] = [0, 0, 0, 0];
  for (const f of list) {
    for (const [d, found] of Object.entries(f.found)) {
      const pairs = matchHits(f.truth[d] ?? [], found);
      const kind = isTom(d) ? 'toms' : d;
      kinds[kind] ??= [0, 0, 0];
      kinds[kind][0] += (f.truth[d] ?? []).length;
      kinds[kind][1] += (f.truth[d] ?? []).length - pairs.length;
      kinds[kind][2] += found.length - pairs.length;
      matched += pairs.length;
      late += pairs.filter(([a, b]) => found[b].time - f.truth[d][a].time > 0.002).length;
      const good = new Set(pairs.map(([, b]) => b));
      found.forEach((h, i) => {
        if (h.certainty < 0.85 || h.certainty > 0.95) return;
        sure++;
        if (good.has(i)) right++;
      });
    }
  }
  return [
    ...Object.entries(kinds).map(([k, [n, lost, none]]) => `${k}: ${n} strokes, ${lost} lost, ${none} false`),
    `later than 2 ms: ${plain(late / Math.max(1, matched), 3)}`, `of ${sure} marked .85 to .95 certain ${right} are right`,
  ];
}

/** Mics that de-bleed or the proposed plan makes worse than untouched by more than .1 in a figure, or that lose a stroke. */
function worse(name: string, f: Figures): string[] {
  return (['debleed', 'proposed'] as const).flatMap((way) =>
    Object.entries(f.mics[way]).flatMap(([mic, s]) => {
      const raw = f.mics.untouched[mic];
      const what = [
        s.missedStrokes > raw.missedStrokes ? `loses ${s.missedStrokes - raw.missedStrokes}` : '', s.tailSpillDb > 0.1 ? 'tail' : '', s.attackErrorDb > raw.attackErrorDb + 0.1 ? `attack ${plain(raw.attackErrorDb, 2)} to ${plain(s.attackErrorDb, 2)}` : '',
        s.sustainErrorDb > raw.sustainErrorDb + 0.1 ? `sustain ${plain(raw.sustainErrorDb, 2)} to ${plain(s.sustainErrorDb, 2)}` : '', s.siSdrImprovementDb < -0.1 ? 'SI-SDR' : '', s.falseOpensPerMinute > raw.falseOpensPerMinute + 0.1 ? 'false opens' : '',
        way === 'proposed' && isTomMic(mic) && s.gapSuppressionDb < 45 ? `gap ${plain(s.gapSuppressionDb, 1)}` : '',
      ].filter(Boolean);
      return what.length ? [`${name} ${WORDS[way]} ${mic}: ${what.join(', ')}`] : [];
    }),
  );
}

function print(out: string) {
  const names = readdirSync(out).filter((n) => n.endsWith('.json')).map((n) => n.slice(0, -5)).sort((a, b) => a.localeCompare(b, 'en', { numeric: true }));
  const all = names.map((n) => JSON.parse(readFileSync(join(out, `${n}.json`), 'utf8')) as Figures);
  const lines = [
    CLEAN_HEAD, ...cleanRows(`all ${names.length}:`, all), ...cleanRows('the toms:', all, isTomMic),
    ...names.flatMap((n, i) => cleanRows(n, [all[i]])), '', ...names.flatMap((n, i) => worse(n, all[i])), '',
    row(['', 'kick', 'snare', 'hat', 'toms', 'least tom', 'soft toms, recall', 'crash and ride', 'median error of toms, ms']), ...names.map((n, i) => hitRow(n, all[i])), '', ...totals(all),
  ];
  process.stdout.write(`${lines.join('\n')}\n`);
}

async function main() {
  const [out, ...folders] = process.argv.slice(2).filter((a) => !a.startsWith('--'));
  if (!out) throw new Error('Say where the figures go, and which recordings: npm run figures -- OUT FOLDER ...');
  mkdirSync(out, { recursive: true });
  const made = folders.flatMap((f) => (existsSync(join(f, 'kit.json')) ? [f] : readdirSync(f).map((n) => join(f, n)).filter((x) => existsSync(join(x, 'kit.json')))));
  if (process.argv.includes('--stages')) return printStages(out, made);
  for (const folder of made) {
    const path = join(out, `${basename(folder)}.json`);
    if (existsSync(path)) continue;
    writeFileSync(path, JSON.stringify(await figuresOf(folder, out)));
    process.stderr.write(`${basename(folder)}\n`);
  }
  print(out);
}

await main();
