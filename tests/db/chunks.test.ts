import { mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { micWav } from '../../src/demo/writeRecording';
import { dbReader } from '../../src/server/dbReader';
import { importFile } from '../../src/server/importFile';
import { chunkOf, keepChunks } from '../../src/server/keptChunks';
import { readChunk } from '../../src/server/sql/audio';
import { type FileRow, listFiles } from '../../src/server/sql/files';
import { createRecording } from '../../src/server/sql/recordings';
import { type TestDatabase, createDatabase } from '../support/database';
import { pieces } from '../support/wavs';

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
