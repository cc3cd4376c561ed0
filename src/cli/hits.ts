/** fresh-gap hits and fresh-gap spill: what is found in a folder of mics, as JSON. */
import { mkdir, open, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import type { Analysis } from '../core/hits/analyse';
import { THRESHOLD } from '../core/hits/detectHits';
import { ROLES, roleOf } from '../core/plan/roles';
import { deliverHits } from '../server/deliverHits';
import { listen, listenClosely } from './listen';
import { type FolderMics, openMics } from './mics';

export interface HitsFile {
  sampleRate: number;
  drums: Record<string, { time: number; strength: number; certainty: number }[]>;
}

const round = (v: number, digits: number) => Number(v.toFixed(digits));

export const hitsFile = (a: Analysis, sampleRate: number): HitsFile => ({
  sampleRate,
  drums: Object.fromEntries(
    Object.entries(a.drums).map(([d, list]) => [d, list.filter((h) => h.certainty >= THRESHOLD).map((h) => ({ time: round(h.time, 6), strength: round(h.strength, 4), certainty: round(h.certainty, 4) }))]),
  ),
});

/** hits.mid, hits.csv, labels and tick tracks of found hits into a folder. */
async function writeHitFiles(folder: string, mics: FolderMics, found: HitsFile): Promise<void> {
  const drums = Object.fromEntries(Object.entries(found.drums).map(([d, list]) => [d, list.map((h) => ({ frame: Math.round(h.time * mics.rate), strength: h.strength, certainty: h.certainty }))]));
  await deliverHits({
    rate: mics.rate, frames: mics.frames, drums, files: { midi: true, keys: {}, curve: 1, ticks: 'own', csv: true, labels: true, cuts: false, slices: false },
    reader(drum) {
      const own = ROLES.filter((r) => r.drum === drum).flatMap((r) => mics.roles.flatMap((x, i) => (x === r.id ? [i] : [])))[0] ?? mics.roles.findIndex((r) => roleOf(r).group === 'overhead');
      let held: Promise<Float32Array> | null = null;
      return {
        async read(at, out) {
          held ??= mics.read(own);
          const x = await held;
          out.fill(0);
          out.set(x.subarray(at, at + out.length));
        },
      };
    },
    async emit(name, produce) {
      const path = join(folder, name);
      await mkdir(dirname(path), { recursive: true });
      const file = await open(path, 'w');
      try {
        await produce(async (b) => {
          await file.writeFile(b);
        });
      } finally {
        await file.close();
      }
    },
  });
}

/** `quick`: hits as they are found in the raw mics. */
export async function analyseFolder(o: { folder: string; roles?: string; out?: string; what: 'hits' | 'spill'; quick?: boolean; files?: string; progress(text: string): void }): Promise<{ result: unknown; notes: readonly string[] }> {
  const mics = await openMics(o.folder, o.roles);
  try {
    const a = await (o.what === 'hits' && !o.quick ? listenClosely : listen)(mics, o.progress);
    const db = (v: number) => round(v, 2);
    const result =
      o.what === 'hits'
        ? hitsFile(a, mics.rate)
        : {
            sampleRate: mics.rate,
            bandsHz: a.bandsHz,
            drums: Object.fromEntries(
              a.spill.map((row) => [
                row.drum,
                {
                  strokes: row.strokes,
                  against: mics.files[row.main],
                  mics: row.mics.map((e, m) => ({ file: mics.files[m], role: mics.roles[m], levelDb: db(e.levelDb), bandsDb: e.bandsDb.map(db), delayMs: e.delayMs === null ? null : round(e.delayMs, 3), polarity: e.polarity })),
                },
              ]),
            ),
          };
    if (o.files) await writeHitFiles(o.files, mics, hitsFile(a, mics.rate));
    if (o.out) await writeFile(o.out, `${JSON.stringify(result, null, 1)}\n`);
    return { result, notes: a.notes };
  } finally {
    await mics.close();
  }
}
