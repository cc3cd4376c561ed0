import { mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Plan } from '../../src/core/plan/plan';
import { silencesIn, silencesUpTo } from '../../src/core/spill/silences';
import { micWav } from '../../src/demo/writeRecording';
import { dbReader } from '../../src/server/dbReader';
import { importFile } from '../../src/server/importFile';
import { chunkOf, keepChunks } from '../../src/server/keptChunks';
import { readersOf, uncutOf } from '../../src/server/micReaders';
import { readChunk, readSilences } from '../../src/server/sql/audio';
import { type FileRow, listFiles } from '../../src/server/sql/files';
import { getPlan } from '../../src/server/sql/plans';
import { createRecording } from '../../src/server/sql/recordings';
import { type TestDatabase, createDatabase } from '../support/database';
import { pieces, wavFile } from '../support/wavs';

let db: TestDatabase;
let file: FileRow;
const samples = Float32Array.from({ length: 150_001 }, (_, i) => Math.fround(((i * 7919) % 65521) / 65521 - 0.5));
beforeAll(async () => {
  db = await createDatabase();
  const id = await createRecording(db.sql, 'chunks');
  await importFile(db.sql, id, 'snare.wav', pieces(micWav(samples, 48000, 'snare.wav'), 1 << 20));
  file = (await listFiles(db.sql, id))[0];
});
afterAll(() => db.drop());

const all = async () => {
  const got = new Float32Array(3 * 65536);
  for (let k = 0; k < 3; k++) await dbReader(db.sql, file, 0).read(k * 65536, got.subarray(k * 65536, (k + 1) * 65536));
  return got;
};
const chunks = () => Promise.all([0, 1, 2].map((k) => chunkOf(db.sql, file.audioId, k)));

const same = (a: readonly Uint8Array[], b: readonly Uint8Array[]) => a.length === b.length && a.every((x, i) => Buffer.compare(x, b[i]) === 0);

describe('chunks of stored audio', () => {
  it('come as they were stored, and none beyond the end', async () => {
    const stored = await db.sql<{ data: Buffer }[]>`select data from audio_chunk where audio_id = ${file.audioId} order by seq`;
    expect(stored.map((s) => s.data.length)).toEqual([65536, 65536, 150_001 - 131_072].map((n) => n * file.bytesPerFrame));
    for (const [k, s] of stored.entries()) expect(Buffer.compare(await readChunk(db.sql, file.audioId, k), s.data)).toBe(0);
    expect(await readChunk(db.sql, file.audioId, 3)).toHaveLength(0);
    const got = await all();
    expect(got.subarray(150_001).every((v) => v === 0)).toBe(true);
    expect(Math.max(...[0, 1, 77_777, 150_000].map((i) => Math.abs(got[i] - samples[i])))).toBeLessThan(2 / 2 ** 23);
  });

  it('that a job has read come from its own file from then on, which nobody sees and which goes with it', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'chunks-'));
    const before = await chunks();
    const done = keepChunks(db.sql, folder);
    try {
      expect(same(await chunks(), before)).toBe(true);
      expect(readdirSync(folder)).toEqual([]);
      await db.sql`update audio_chunk set data = 'none'::bytea || data where audio_id = ${file.audioId}`;
      expect(same(await chunks(), before)).toBe(true);
      // two that ask at once
      expect(await Promise.all([chunkOf(db.sql, file.audioId, 3), chunkOf(db.sql, file.audioId, 3)])).toEqual([new Uint8Array(0), new Uint8Array(0)]);
    } finally {
      done();
      rmSync(folder, { recursive: true });
    }
    expect((await chunks()).map((c) => c.length)).toEqual(before.map((c) => c.length + 4));
    await db.sql`update audio_chunk set data = substr(data, 5) where audio_id = ${file.audioId}`;
    expect(same(await chunks(), before)).toBe(true);
  });

  it('are read from the database where nothing can be kept', async () => {
    const done = keepChunks(db.sql, join(tmpdir(), 'no such folder', 'at all'));
    expect((await chunks()).map((c) => c.length)).toEqual([65536, 65536, 18_929].map((n) => n * file.bytesPerFrame));
    done();
  });
});

describe('silences of stored audio', () => {
  it('are known once it is taken in, of each channel, and nobody reads it to know which mics were cut', async () => {
    const id = await createRecording(db.sql, 'silences');
    const sounds = (from: number, to: number, n = 200_000) => Float32Array.from({ length: n }, (_, i) => (i >= from && i < to ? 0.3 * Math.sin(i / 5 + 1) + 0.4 : 0));
    await importFile(db.sql, id, '01 Snare Top.wav', pieces(micWav(sounds(1000, 199_000), 48000, '01 Snare Top.wav'), 1 << 20));
    await importFile(db.sql, id, '02 Tom 1.wav', pieces(micWav(sounds(20_000, 70_000, 90_000), 48000, '02 Tom 1.wav'), 1 << 20));
    await importFile(db.sql, id, '03 Overheads.wav', pieces(wavFile({ channels: 2, frames: 200_000, seed: 8 }), 1 << 20));
    const files = await listFiles(db.sql, id);
    const plan = (await getPlan(db.sql, id))?.plan as Plan;
    const told = await Promise.all(plan.order.map((m) => {
      const { file, channel } = plan.mics[m];
      return readSilences(db.sql, files.find((f) => f.name === file)?.audioId as number, channel);
    }));
    expect(plan.order.map((m) => plan.mics[m].role)).toEqual(['snare-top', 'tom-1', 'overhead-left', 'overhead-right']);
    expect(told).toEqual([{ ended: [{ from: 0, to: 1000 }], last: 199_000 }, { ended: [{ from: 0, to: 20_000 }], last: 70_000 }, { ended: [], last: 200_000 }, { ended: [], last: 200_000 }]);
    // as when they are read
    const read = await Promise.all(readersOf(db.sql, plan, files).map((r) => silencesIn(r, plan.frames, 48000)));
    expect(told.map((t) => t && silencesUpTo(t, plan.frames, 48000))).toEqual(read);

    // a mic whose sound is gone is not missed: nothing is read
    const first = files[0].audioId;
    await db.sql`update audio_chunk set data = '' where audio_id = ${first}`;
    const { silences } = await uncutOf(db.sql, plan, files);
    expect([...silences.keys()]).toEqual([]);
    // of audio from before they were kept nothing is known, so that it is read: by now it is silent
    await db.sql`delete from audio_silence where audio_id = ${first}`;
    expect(await readSilences(db.sql, first, 0)).toBeNull();
    expect((await silencesIn(readersOf(db.sql, plan, files)[0], plan.frames, 48000)).total).toBe(plan.frames);
  });
});
