/** fresh-gap hits and fresh-gap spill: what is found in a folder of mics, as JSON. */
import { writeFile } from 'node:fs/promises';
import { type Analysis, analyse } from '../core/hits/analyse';
import { THRESHOLD } from '../core/hits/detectHits';
import { openMics } from './mics';

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

export async function analyseFolder(o: { folder: string; roles?: string; out?: string; what: 'hits' | 'spill'; progress(text: string): void }): Promise<{ result: unknown; notes: readonly string[] }> {
  const mics = await openMics(o.folder, o.roles);
  try {
    let last = -1;
    const a = await analyse(mics.rate, mics.roles, mics.names, (m) => mics.read(m), (done) => {
      const percent = Math.round(100 * done);
      if (percent !== last) o.progress(`\rListening to ${mics.names.length} mics: ${percent} %`);
      last = percent;
    });
    o.progress('\n');
    for (const n of a.notes) o.progress(`${n}\n`);
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
    if (o.out) await writeFile(o.out, `${JSON.stringify(result, null, 1)}\n`);
    return { result, notes: a.notes };
  } finally {
    await mics.close();
  }
}
