import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { createDebleedMix } from '../../src/core/clean/debleedMix';
import { applyEdit } from '../../src/core/plan/edits';
import { liveTreatment } from '../../src/core/plan/live';
import { editDebleed } from '../../src/core/plan/sliceEdits';
import { micWav } from '../../src/demo/writeRecording';
import { readAnywhere } from '../../src/server/chunkReader';
import { audioReader, dbReader } from '../../src/server/dbReader';
import { loadDebleed, startDebleed } from '../../src/server/debleed';
import { importFile } from '../../src/server/importFile';
import { runAnalysis } from '../../src/server/jobs/analysisJob';
import { runDebleed } from '../../src/server/jobs/debleedJob';
import { runExport } from '../../src/server/jobs/exportJob';
import { findAudio, readPeaks } from '../../src/server/sql/audio';
import { listDebled } from '../../src/server/sql/debled';
import { listFiles } from '../../src/server/sql/files';
import { cancelJob, claimJob, finishJob } from '../../src/server/sql/jobs';
import { getPlan } from '../../src/server/sql/plans';
import { createRecording, deleteRecording } from '../../src/server/sql/recordings';
import { readRenderChunk } from '../../src/server/sql/renders';
import { loadWorkbench } from '../../src/server/workbench';
import { createWavReader } from '../../src/formats/wavReader';
import { decodeChannel } from '../../src/formats/pcm';
import { type TestDatabase, createDatabase } from '../support/database';
import { shortRecording } from '../support/madeKit';
import { pieces } from '../support/wavs';

/** Built before the tests run. */
const THREAD = fileURLToPath(new URL('../../dist/node/debleed.thread.mjs', import.meta.url));
const ROLES = ['kick-in', 'snare-top', 'tom-2', 'overhead-left'];

let db: TestDatabase;
let id: string;
const quiet = async () => {};
beforeAll(async () => {
  db = await createDatabase();
  id = await createRecording(db.sql, 'de-bleed');
  const r = shortRecording({ seconds: 6, roles: ROLES });
  for (const [i, m] of r.mics.entries()) await importFile(db.sql, id, m.file, pieces(micWav(r.audio[i], r.rate, m.file), 1 << 20));
}, 120_000);
afterAll(() => db.drop());

const energy = (x: Float32Array) => x.reduce((a, v) => a + v * v, 0);

describe('stored audio', () => {
  it('is read from anywhere as it is read in whole chunks', async () => {
    const [file] = await listFiles(db.sql, id);
    const chunk = new Float32Array(65536);
    const whole = new Float32Array(4 * 65536);
    const chunks = dbReader(db.sql, file, 0);
    for (let k = 0; k < 4; k++) {
      await chunks.read(k * 65536, chunk);
      whole.set(chunk, k * 65536);
    }
    const reader = readAnywhere(dbReader(db.sql, file, 0));
    for (const [at, n] of [[0, 10], [65530, 12], [131000, 70000], [5, 200000]]) {
      const out = new Float32Array(n);
      await reader.read(at, out);
      expect(out).toEqual(whole.slice(at, at + n));
    }
  });
});

describe('the de-bleed job', () => {
  it('asks for hits first', async () => {
    await expect(runDebleed(db.sql, id, quiet, THREAD)).rejects.toMatchObject({ code: 'DEBLEED_NO_HITS' });
    expect(await listDebled(db.sql, id)).toEqual([]);
  });

  it('stores what is left of every close mic, with peaks, and puts hits and rings into the plan', async () => {
    await runAnalysis(db.sql, id, quiet);
    const told: number[] = [];
    const result = await runDebleed(db.sql, id, async (done) => {
      told.push(done);
    }, THREAD);
    expect(told.every((v, i) => i === 0 || v >= told[i - 1] - 1e-9)).toBe(true);
    const state = await getPlan(db.sql, id);
    const plan = state?.plan;
    if (!plan) throw new Error('no plan');
    const close = plan.order.filter((m) => !plan.mics[m].role.startsWith('overhead'));
    const list = await listDebled(db.sql, id);
    expect(list.map((d) => d.micId).sort()).toEqual([...close].sort());
    expect(result.mics.map((m) => m.micId).sort()).toEqual([...close].sort());
    for (const d of list) {
      const audio = await findAudio(db.sql, d.content);
      expect(audio).toMatchObject({ encoding: 'float32', channels: 1, sampleRate: 48000, frames: plan.frames });
      expect((await readPeaks(db.sql, d.content, 0, 0)).length).toBeGreaterThan(8);
      const [raw, kept] = [new Float32Array(plan.frames), new Float32Array(plan.frames)];
      const file = (await listFiles(db.sql, id)).find((f) => f.name === plan.mics[d.micId].file);
      if (!file) throw new Error('no file');
      await readAnywhere(dbReader(db.sql, file, 0)).read(0, raw);
      await readAnywhere(audioReader(db.sql, audio, 0)).read(0, kept);
      expect(energy(kept)).toBeGreaterThan(0.05 * energy(raw));
      expect(energy(kept.map((v, i) => v - raw[i]))).toBeGreaterThan(1e-4 * energy(raw));
    }
    expect(state?.undo).toMatch(/hits found$/);
    expect((await loadDebleed(db.sql, id)).fresh).toBe(true);
    const bench = await loadWorkbench(db.sql, id);
    expect(Object.keys(bench.debled).sort()).toEqual([...close].sort());
  }, 180_000);

  it('is rendered by the export as the mix of raw and what is left; not asked for, nothing changes', async () => {
    const plan = (await getPlan(db.sql, id))?.plan;
    if (!plan) throw new Error('no plan');
    const tom = plan.order.find((m) => plan.mics[m].file.includes('Tom')) as string;
    const treated = applyEdit(plan, editDebleed(plan, tom, { on: true, depthDb: 12 }));
    const name = plan.mics[tom].file;
    const out = await runExport(db.sql, id, 'x', { encoding: 'float32', suffix: '', files: [name], plan: treated }, quiet);
    expect(out.files[0].key).not.toBeNull();
    const bytes: Uint8Array[] = [];
    for (let k = 0; ; k++) {
      const b = await readRenderChunk(db.sql, out.files[0].key as string, k);
      if (!b) break;
      bytes.push(b);
    }
    const wav = Buffer.concat(bytes);
    const reader = createWavReader(() => {}, () => {});
    reader.push(wav);
    const info = reader.end();
    const got = new Float32Array(info.frames);
    decodeChannel(wav.subarray(info.dataOffset), info.encoding, 1, 0, got);
    const [raw, kept] = [new Float32Array(plan.frames), new Float32Array(plan.frames)];
    const file = (await listFiles(db.sql, id)).find((f) => f.name === name);
    const d = (await listDebled(db.sql, id)).find((x) => x.micId === tom);
    if (!file || !d) throw new Error('nothing stored');
    await readAnywhere(dbReader(db.sql, file, 0)).read(0, raw);
    await readAnywhere(audioReader(db.sql, await findAudio(db.sql, d.content), 0)).read(0, kept);
    const want = new Float32Array(plan.frames);
    const mix = createDebleedMix(plan.sampleRate);
    mix.set(liveTreatment(treated, tom).debleed);
    mix.process(raw, kept, () => null, want, want.length, 0);
    let worst = 0;
    for (let i = 0; i < want.length; i++) worst = Math.max(worst, Math.abs(want[i] - got[i]));
    expect(worst).toBeLessThan(1e-6);
    const none = await runExport(db.sql, id, 'x', { encoding: 'float32', suffix: '', files: [name], plan }, quiet);
    expect(none.files[0].key).toBeNull();
  });

  it('stops where its report throws, and leaves what was there', async () => {
    const before = await listDebled(db.sql, id);
    await expect(runDebleed(db.sql, id, async (done) => {
      if (done > 0.05) throw new Error('cancelled');
    }, THREAD)).rejects.toThrow('cancelled');
    expect(await listDebled(db.sql, id)).toEqual(before);
  });

  it('is started once, however often it is asked for', async () => {
    const a = await startDebleed(db.sql, id);
    expect((await startDebleed(db.sql, id)).id).toBe(a.id);
    const job = await claimJob(db.sql, ['debleed']);
    expect((await startDebleed(db.sql, id)).id).toBe(a.id);
    await finishJob(db.sql, a.id, job?.attempt ?? 0, { result: null });
    const b = await startDebleed(db.sql, id);
    expect(b.id).not.toBe(a.id);
    await cancelJob(db.sql, b.id);
  });

  it('takes its audio with it when the recording goes', async () => {
    const [d] = await listDebled(db.sql, id);
    await deleteRecording(db.sql, id);
    await expect(findAudio(db.sql, d.content)).rejects.toMatchObject({ code: 'NOT_FOUND' });
  });
});
