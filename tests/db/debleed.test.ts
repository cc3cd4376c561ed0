import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { createDebleedMix } from '../../src/core/clean/debleedMix';
import { applyEdit } from '../../src/core/plan/edits';
import { liveTreatment } from '../../src/core/plan/live';
import type { Plan } from '../../src/core/plan/plan';
import { editDebleed } from '../../src/core/plan/sliceEdits';
import { micWav } from '../../src/demo/writeRecording';
import { readAnywhere } from '../../src/server/chunkReader';
import { audioReader, dbReader } from '../../src/server/dbReader';
import { loadDebleed, startDebleed, startImage } from '../../src/server/debleed';
import { listenTo } from '../../src/server/listen';
import { importFile } from '../../src/server/importFile';
import { runAnalysis } from '../../src/server/jobs/analysisJob';
import { runDebleed, runImage } from '../../src/server/jobs/debleedJob';
import { runExport } from '../../src/server/jobs/exportJob';
import { findAudio, readPeaks } from '../../src/server/sql/audio';
import { listDebled, listImages } from '../../src/server/sql/debled';
import { listFiles } from '../../src/server/sql/files';
import { cancelJob, claimJob, finishJob } from '../../src/server/sql/jobs';
import { getPlan } from '../../src/server/sql/plans';
import { createRecording, deleteRecording } from '../../src/server/sql/recordings';
import { readRenderChunk } from '../../src/server/sql/renders';
import { loadWorkbench } from '../../src/server/workbench';
import { createWavReader } from '../../src/formats/wavReader';
import { decodeChannel } from '../../src/formats/pcm';
import { type TestDatabase, createDatabase } from '../support/database';
import { THREAD } from '../support/hand';
import { shortRecording } from '../support/madeKit';
import { pieces } from '../support/wavs';

/** Built before the tests run. */
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

/** Samples of a delivered mono file. */
async function decoded(key: string): Promise<Float32Array> {
  const bytes: Uint8Array[] = [];
  for (let k = 0; ; k++) {
    const b = await readRenderChunk(db.sql, key, k);
    if (!b) break;
    bytes.push(b);
  }
  const wav = Buffer.concat(bytes);
  const reader = createWavReader(() => {}, () => {});
  reader.push(wav);
  const info = reader.end();
  const got = new Float32Array(info.frames);
  decodeChannel(wav.subarray(info.dataOffset), info.encoding, 1, 0, got);
  return got;
}

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

  it('before it, a stretch can be listened to with a model learnt in a hurry', async () => {
    await expect(listenTo(db.sql, id, { micId: 'x', source: 'kick', from: 0, to: 48000 }, THREAD)).rejects.toMatchObject({ code: 'NOT_FOUND' });
    const plan = (await getPlan(db.sql, id))?.plan;
    const snare = plan?.order.find((m) => plan.mics[m].role === 'snare-top') as string;
    await expect(listenTo(db.sql, id, { micId: snare, source: 'snare', from: 0, to: 48000 }, THREAD)).rejects.toMatchObject({ code: 'DEBLEED_NO_HITS' });
    await runAnalysis(db.sql, id, quiet, THREAD);
    const heard = await listenTo(db.sql, id, { micId: snare, source: 'snare', from: 48000, to: 144000 }, THREAD);
    expect(heard.quick).toBe(true);
    expect(heard.samples).toHaveLength(96000);
    const raw = new Float32Array(96000);
    const file = (await listFiles(db.sql, id)).find((f) => f.name === plan?.mics[snare].file);
    if (!file) throw new Error('no file');
    await readAnywhere(dbReader(db.sql, file, 0)).read(48000, raw);
    // some of it is taken, some of it is the snare
    const taken = energy(raw.map((v, i) => v - heard.samples[i])) / energy(raw);
    expect(taken).toBeGreaterThan(1e-3);
    expect(taken).toBeLessThan(0.97);
  }, 60_000);

  it('stores what is left of every close mic, with peaks, and puts hits and rings into the plan', async () => {
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
      // and what it comes to is told: strokes begin as they did, the rest goes down
      expect(d.attackDb).toBeCloseTo(0, 0);
      expect(d.tailsDb ?? 0).toBeLessThanOrEqual(0.1);
      expect(d.gapsDb ?? 0).toBeLessThan(-6);
    }
    expect(state?.undo).toMatch(/hits found$/);
    expect((await loadDebleed(db.sql, id)).fresh).toBe(true);
    const bench = await loadWorkbench(db.sql, id);
    expect(Object.keys(bench.debled).sort()).toEqual([...close].sort());
  }, 180_000);

  it('keeps the model: any drum\'s image in a mic can be listened to at once, and computed for the song by a job of its own', async () => {
    const plan = (await getPlan(db.sql, id))?.plan;
    if (!plan) throw new Error('no plan');
    const [snare, kick] = ['snare-top', 'kick-in'].map((r) => plan.order.find((m) => plan.mics[m].role === r) as string);
    const heard = await listenTo(db.sql, id, { micId: snare, source: 'kick', from: 48000, to: 96000 }, THREAD);
    expect(heard.quick).toBe(false);
    await runImage(db.sql, id, { micId: snare, source: 'kick' }, quiet, THREAD);
    const [image] = await listImages(db.sql, id);
    expect(image).toMatchObject({ micId: snare, source: 'kick' });
    const whole = new Float32Array(plan.frames);
    await readAnywhere(audioReader(db.sql, await findAudio(db.sql, image.content), 0)).read(0, whole);
    const share = (await listDebled(db.sql, id)).find((d) => d.micId === snare)?.share ?? 1;
    const part = whole.subarray(48000, 96000);
    expect(energy(part.map((v, i) => v - share * heard.samples[i]))).toBeLessThan(1e-3 * energy(part) + 1e-9);
    // the kick is less in the snare's mic than in its own
    const own = await listenTo(db.sql, id, { micId: kick, source: 'kick', from: 48000, to: 96000 }, THREAD);
    expect(energy(own.samples)).toBeGreaterThan(2 * energy(heard.samples));
    await expect(listenTo(db.sql, id, { micId: snare, source: 'cowbell', from: 0, to: 100 }, THREAD)).rejects.toMatchObject({ code: 'NOT_FOUND' });
    await expect(listenTo(db.sql, id, { micId: snare, source: 'kick', from: 0, to: 48000 * 60 }, THREAD)).resolves.toMatchObject({ quick: false });
    await expect(listenTo(db.sql, id, { micId: snare, source: 'kick', from: 48000, to: 48000 }, THREAD)).rejects.toMatchObject({ code: 'BAD_REQUEST' });
    expect((await loadWorkbench(db.sql, id)).images).toEqual({ [snare]: { kick: image.content } });
  }, 120_000);

  it('tells of an image whose newest try failed why, until it is tried again', async () => {
    const input = { micId: 'm-none', source: 'kick' };
    const first = await startImage(db.sql, id, input);
    expect((await startImage(db.sql, id, input)).id).toBe(first.id);
    const claimed = await claimJob(db.sql, ['image']);
    await finishJob(db.sql, first.id, claimed?.attempt ?? 0, { error: { code: 'NOT_FOUND', message: 'The recording has no such mic.' } });
    expect((await loadDebleed(db.sql, id)).images).toMatchObject([{ id: first.id, state: 'failed', error: { message: 'The recording has no such mic.' } }]);
    const again = await startImage(db.sql, id, input);
    expect((await loadDebleed(db.sql, id)).images).toMatchObject([{ id: again.id, state: 'queued' }]);
    await cancelJob(db.sql, again.id);
    expect((await loadDebleed(db.sql, id)).images).toEqual([]);
  });

  it('leaves in part what is to stay, by its image', async () => {
    const plan = (await getPlan(db.sql, id))?.plan;
    if (!plan) throw new Error('no plan');
    const snare = plan.order.find((m) => plan.mics[m].role === 'snare-top') as string;
    const treated = applyEdit(plan, editDebleed(plan, snare, { on: true, amounts: { kick: 30 } }));
    const get = async (p: Plan) => {
      const out = await runExport(db.sql, id, 'x', { encoding: 'float32', suffix: '', files: [plan.mics[snare].file], plan: p }, quiet);
      return decoded(out.files[0].key as string);
    };
    const all = await get(applyEdit(plan, editDebleed(plan, snare, { on: true })));
    const some = await get(treated);
    const image = new Float32Array(plan.frames);
    const [row] = await listImages(db.sql, id);
    await readAnywhere(audioReader(db.sql, await findAudio(db.sql, row.content), 0)).read(0, image);
    let worst = 0;
    for (let i = 0; i < some.length; i++) worst = Math.max(worst, Math.abs(some[i] - all[i] - 0.7 * image[i]));
    expect(worst).toBeLessThan(1e-6);
    const missing = applyEdit(plan, editDebleed(plan, snare, { on: true, amounts: { rest: 30 } }));
    await expect(get(missing)).rejects.toMatchObject({ code: 'DEBLEED_MISSING' });
  }, 60_000);

  it('is rendered by the export as the mix of raw and what is left; not asked for, nothing changes', async () => {
    const plan = (await getPlan(db.sql, id))?.plan;
    if (!plan) throw new Error('no plan');
    const tom = plan.order.find((m) => plan.mics[m].file.includes('Tom')) as string;
    const treated = applyEdit(plan, editDebleed(plan, tom, { on: true, depthDb: 12 }));
    const name = plan.mics[tom].file;
    const out = await runExport(db.sql, id, 'x', { encoding: 'float32', suffix: '', files: [name], plan: treated }, quiet);
    expect(out.files[0].key).not.toBeNull();
    const got = await decoded(out.files[0].key as string);
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
