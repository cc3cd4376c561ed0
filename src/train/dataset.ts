/** Candidates with labels, from folders of made recordings (kit.json and truth/hits.json beside the mics). */
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { NetworkName } from '../core/hits/detectHits';
import { kindOf } from '../core/hits/kinds';
import { describe } from '../core/hits/features';
import { learnPatterns } from '../core/hits/patterns';
import { CYMBALS, type Song, readSong } from '../core/hits/song';
import { openFolder } from '../cli/wavFile';

export interface LabelledSet {
  name: string;
  drum: string;
  kind: NetworkName;
  time: number[];
  features: number[];
  count: number;
  /** 1 own stroke, 0 not, -1 an echo of a true one: left out. */
  label: number[];
  /** Arrivals at the drum's first close mic, or the first overhead, seconds. */
  truth: number[];
  strength: number[];
}

interface Kit {
  rate: number;
  arrival_s: Record<string, number>;
  mics: { file: string; role: string; own: string | null }[];
}

/** `lateS`: how much after the first contact a stroke may be noticed: soft beaters swell for 10 ms. */
export function label(truth: readonly number[], time: ArrayLike<number>, lateS = 0.01): number[] {
  const y = Array.from({ length: time.length }, () => 0);
  for (const t of truth) {
    let best = -1;
    for (let i = 0; i < time.length; i++) if (y[i] !== 1 && time[i] - t >= -0.01 && time[i] - t <= lateS && (best < 0 || Math.abs(time[i] - t) < Math.abs(time[best] - t))) best = i;
    if (best >= 0) y[best] = 1;
  }
  for (let i = 0; i < time.length; i++) if (y[i] === 0 && truth.some((t) => time[i] - t > -0.004 && time[i] - t < 0.012)) y[i] = -1;
  return y;
}

export async function readMade(folder: string): Promise<{ song: Song; truth: Record<string, { time: number; strength: number }[]> }> {
  const kit = JSON.parse(readFileSync(join(folder, 'kit.json'), 'utf8')) as Kit;
  const files = await openFolder(folder);
  const read = async (i: number) => {
    const f = files.find((x) => x.name === kit.mics[i].file);
    if (!f) throw new Error(`${folder}: no ${kit.mics[i].file}`);
    const x = new Float32Array(f.info.frames);
    await f.reader(0).read(0, x);
    return x;
  };
  const song = await readSong(kit.rate, kit.mics.map((m) => ({ own: m.own, overhead: m.role.startsWith('overhead') })), read);
  await Promise.all(files.map((f) => f.close()));
  const hits = JSON.parse(readFileSync(join(folder, 'truth', 'hits.json'), 'utf8')) as Record<string, { time_s: number; velocity: number }[]>;
  const truth = Object.fromEntries(Object.entries(hits).map(([d, list]) => [d, list.map((h) => ({ time: h.time_s + kit.arrival_s[d], strength: h.velocity }))]));
  return { song, truth };
}

/** Features and labels of every drum of a recording; kept beside it under `cache`. */
export async function labelled(folder: string, cache: string): Promise<LabelledSet[]> {
  const path = join(folder, cache);
  // labels are made anew: they cost nothing and rules may change
  const fresh = (list: LabelledSet[]) => list.map((s) => ({ ...s, label: label(s.truth, s.time, s.kind === 'kick' ? 0.015 : 0.01) }));
  if (existsSync(path)) return fresh(JSON.parse(readFileSync(path, 'utf8')));
  const { song, truth } = await readMade(folder);
  const { patterns } = learnPatterns(song);
  const wanted = [...song.drums.map((d) => ({ drum: d, source: d })), ...Object.keys(truth).filter((d) => !song.drums.includes(d)).map((d) => ({ drum: d, source: CYMBALS }))];
  const sets = wanted.flatMap(({ drum, source }) => {
    const s = song.sources.get(source);
    if (!s || !patterns.names.includes(source)) return [];
    const d = describe(song, s, patterns);
    const times = truth[drum].map((h) => h.time);
    return [{ name: folder, drum, kind: (drum === 'crash' || drum === 'ride' ? drum : kindOf(drum)) as NetworkName, time: Array.from(s.heard), features: Array.from(d.features), count: d.count, label: [] as number[], truth: times, strength: truth[drum].map((h) => h.strength) }];
  });
  writeFileSync(path, JSON.stringify(sets));
  return fresh(sets);
}
