/** fresh-gap measure: figures of cleaned mics against the truth, and of found hits against true ones. */
import { readFile, readdir, stat } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import { FreshGapError } from '../core/errors';
import { type CleanScore, type CleanTruth, meanScore, scoreClean } from '../core/measure/scoreClean';
import { type TimedHit, scoreHits } from '../core/measure/scoreHits';
import { guessRoles } from '../core/plan/guessRoles';
import { roleOf } from '../core/plan/roles';
import { openWav } from './wavFile';

async function json(path: string): Promise<unknown> {
  try {
    return JSON.parse(await readFile(path, 'utf8'));
  } catch {
    throw new FreshGapError('CLI_TRUTH', `${path} cannot be read as JSON.`);
  }
}

/** Hits by drum from hits.json of this program or of a truth folder (`time` or `time_s`, `strength` or `velocity`; plain numbers too). */
export async function readHits(path: string): Promise<Record<string, TimedHit[]>> {
  const raw = (await json(path)) as { drums?: Record<string, unknown> } & Record<string, unknown>;
  const drums = (raw.drums ?? raw) as Record<string, unknown>;
  const out: Record<string, TimedHit[]> = {};
  for (const [drum, list] of Object.entries(drums)) {
    if (!Array.isArray(list)) continue;
    out[drum] = list.map((h: unknown) => {
      const o = h as Record<string, number>;
      const time = typeof h === 'number' ? h : (o.time ?? o.time_s);
      if (typeof time !== 'number') throw new FreshGapError('CLI_TRUTH', `${path}: a hit of ${drum} has no time.`);
      return { time, strength: typeof h === 'number' ? undefined : (o.strength ?? o.velocity) };
    });
  }
  return out;
}

interface KitFile {
  readonly arrival_s?: Readonly<Record<string, number>>;
  readonly mics?: readonly { readonly file: string; readonly own: string | null; readonly arrival_offset_s?: number }[];
}

/** kit.json of a folder: how much later than the contact strokes arrive; null where there is none. */
const readKit = async (folder: string) => ((await holds(folder, 'kit.json')) ? ((await json(join(folder, 'kit.json'))) as KitFile) : null);
const holds = (folder: string, name: string) => readdir(folder).then((names) => names.includes(name), () => false);

/**
 * True hits as they arrive at each drum's own mic, seconds, from a hits.json, the folder that holds it, or the recording's folder (truth/hits.json): where kit.json lies beside or over it its
 * times are contacts, and what kit.json says is added. `arrival` tells whether that was so.
 */
export async function truthAsArrived(path: string): Promise<{ hits: Record<string, TimedHit[]>; arrival: boolean }> {
  const isFolder = await stat(path).then((s) => s.isDirectory(), () => false);
  const folder = !isFolder ? dirname(path) : (await holds(path, 'hits.json')) ? path : join(path, 'truth');
  const hits = await readHits(isFolder ? join(folder, 'hits.json') : path);
  const kit = (await readKit(folder)) ?? (await readKit(dirname(folder)));
  const later = (drum: string) => kit?.arrival_s?.[drum] ?? kit?.mics?.find((m) => m.own === drum)?.arrival_offset_s ?? 0;
  return { hits: Object.fromEntries(Object.entries(hits).map(([d, l]) => [d, l.map((h) => ({ ...h, time: h.time + later(d) }))])), arrival: kit !== null };
}

async function samples(folder: string, name: string): Promise<{ rate: number; x: Float32Array } | null> {
  const names = await readdir(folder).catch(() => [] as string[]);
  if (!names.includes(name)) return null;
  const f = await openWav(folder, name);
  try {
    const x = new Float32Array(f.info.frames);
    const y = new Float32Array(f.info.frames);
    for (let c = 0; c < f.info.channels; c++) {
      await f.reader(c).read(0, y);
      for (let i = 0; i < x.length; i++) x[i] += y[i] / f.info.channels;
    }
    return { rate: f.info.rate, x };
  } finally {
    await f.close();
  }
}

const toLength = (x: Float32Array, n: number) => {
  const out = new Float32Array(n);
  out.set(x.subarray(0, n));
  return out;
};

/** A mic with its truth, and its cleaned self where a folder of those is given. */
export interface TruthOfMic {
  readonly name: string;
  readonly ref: CleanTruth;
  readonly cleaned: Float32Array | null;
}

/**
 * Every mic that has a truth file of its name, one after the other. `truth` holds those files, late/ (the own drum's later room sound, may be missing) and
 * hits.json; kit.json beside the raw mics may say how much later than the contact a stroke arrives at each mic.
 */
export async function* truthOfMics(raw: string, truth: string, clean?: string): AsyncGenerator<TruthOfMic> {
  const names = (await readdir(truth).catch(() => [] as string[])).filter((n) => /\.wav$/i.test(n)).sort();
  if (names.length === 0) throw new FreshGapError('CLI_TRUTH', `${truth} holds no WAV files.`);
  const hits = await readHits(join(truth, 'hits.json'));
  const kit = await readKit(raw);
  const roles = guessRoles(names.map((file) => ({ file, channel: 0, channels: 1 })));
  for (const [i, name] of names.entries()) {
    const known = kit?.mics?.find((m) => m.file === name);
    const own = known?.own ?? roleOf(roles[i]).drum;
    if (!own || !hits[own]) continue;
    const [r, t, c, l] = [await samples(raw, name), await samples(truth, name), clean === undefined ? null : await samples(clean, name), await samples(join(truth, 'late'), name)];
    if (!r || !t) continue;
    if (clean !== undefined && !c) throw new FreshGapError('CLI_TRUTH', `${clean} has no ${name}.`);
    if (r.rate !== t.rate || (c && c.rate !== t.rate)) throw new FreshGapError('RATE_MISMATCH', `${name} has another sample rate than its truth.`);
    const n = t.x.length;
    const list = [...hits[own]].sort((a, b) => a.time - b.time);
    yield {
      name,
      ref: {
        rate: t.rate, raw: toLength(r.x, n), truth: t.x, late: toLength(l?.x ?? new Float32Array(0), n),
        hits: list.map((h) => Math.min(n - 1, Math.round((h.time + (known?.arrival_offset_s ?? 0)) * t.rate))), strengths: list.map((h) => h.strength ?? 1),
      },
      cleaned: c && toLength(c.x, n),
    };
  }
}

/** Scores every mic that has a truth file of its name, as truthOfMics says. */
export async function measureClean(raw: string, clean: string, truth: string): Promise<{ mics: Record<string, CleanScore>; mean: ReturnType<typeof meanScore> }> {
  const mics: Record<string, CleanScore> = {};
  for await (const { name, ref, cleaned } of truthOfMics(raw, truth, clean)) if (cleaned) mics[name] = scoreClean(ref, cleaned);
  if (Object.keys(mics).length === 0) throw new FreshGapError('CLI_TRUTH', `${basename(truth)} has no truth for any mic of ${raw}.`);
  return { mics, mean: meanScore(Object.values(mics)) };
}

/** Figures of found hits against a truth as truthAsArrived finds it. */
export async function measureHits(truth: string, found: string): Promise<ReturnType<typeof scoreHits> & { readonly arrival: boolean }> {
  const { hits, arrival } = await truthAsArrived(truth);
  return { ...scoreHits(hits, await readHits(found)), arrival };
}

/** Rows of numbers under heads, as text. */
export function table(head: string, rows: Record<string, object>): string {
  const names = Object.keys(Object.values(rows)[0] ?? {});
  const cell = (v: unknown) => (typeof v === 'number' ? (Number.isInteger(v) ? String(v) : v.toFixed(2)) : v === null ? '-' : v === undefined ? '' : String(v));
  const short = (n: string) => n.replace(/([A-Z])/g, ' $1').toLowerCase().replace(/ db$/, ' dB').replace(/ ms$/, ' ms').trim();
  const columns = names.map((n) => [short(n), ...Object.values(rows).map((r) => cell((r as Record<string, unknown>)[n]))]);
  const first = [head, ...Object.keys(rows)];
  const widths = [first, ...columns].map((c) => Math.max(...c.map((s) => s.length)));
  return first.map((f, r) => [f.padEnd(widths[0]), ...columns.map((c, k) => c[r].padStart(widths[k + 1]))].join('  ')).join('\n');
}
