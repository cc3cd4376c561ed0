import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { applyEdit, editGate } from '../../src/core/plan/edits';
import { mergeAnalysis } from '../../src/core/plan/planHits';
import { editSlices } from '../../src/core/plan/sliceEdits';
import { NO_HIT_FILES } from '../../src/server/hitFiles';
import { createGate } from '../../src/core/clean/gate';
import { decodeChannel } from '../../src/formats/pcm';
import { createWavReader } from '../../src/formats/wavReader';
import { exportZip } from '../../src/server/http/zip';
import { importFile } from '../../src/server/importFile';
import { type ExportInput, runExport } from '../../src/server/jobs/exportJob';
import { renderFile } from '../../src/server/jobs/renderFile';
import { addJob, cancelJob, claimJob, finishJob, getJob, reportJob } from '../../src/server/sql/jobs';
import { type PlanState, getPlan } from '../../src/server/sql/plans';
import { createRecording } from '../../src/server/sql/recordings';
import { unzipSync } from 'fflate';
import { type TestDatabase, createDatabase } from '../support/database';
import { pieces, wavFile } from '../support/wavs';

let db: TestDatabase;
let id: string;
beforeAll(async () => {
  db = await createDatabase();
  id = await createRecording(db.sql, 'jobs');
});
afterAll(() => db.drop());

describe('the job table', () => {
  it('gives each job to one worker only', async () => {
    await Promise.all(Array.from({ length: 5 }, () => addJob(db.sql, id, 'k1', {})));
    const claimed = await Promise.all(Array.from({ length: 8 }, () => claimJob(db.sql, ['k1'])));
    const ids = claimed.filter((j) => j !== null).map((j) => j.id);
    expect(ids).toHaveLength(5);
    expect(new Set(ids).size).toBe(5);
  });

  it('takes a job away from a worker whose lease ran out, and lets it write nothing more', async () => {
    const { id: job } = await addJob(db.sql, id, 'k2', {});
    const first = await claimJob(db.sql, ['k2']);
    expect(await claimJob(db.sql, ['k2'])).toBeNull();
    await db.sql`update job set lease_until = now() - interval '1 second' where id = ${job}`;
    const second = await claimJob(db.sql, ['k2']);
    expect([first?.attempt, second?.attempt]).toEqual([1, 2]);
    expect(await reportJob(db.sql, job, 1, 0.5, 'late')).toBe(false);
    expect(await finishJob(db.sql, job, 1, { result: 'late' })).toBe(false);
    expect(await finishJob(db.sql, job, 2, { result: 'in time' })).toBe(true);
    expect(await getJob(db.sql, job)).toMatchObject({ state: 'done', result: 'in time' });
  });

  it('gives up on a job that was interrupted too often', async () => {
    const { id: job } = await addJob(db.sql, id, 'k3', {});
    for (let i = 0; i < 3; i++) {
      expect(await claimJob(db.sql, ['k3'])).not.toBeNull();
      await db.sql`update job set lease_until = now() - interval '1 second' where id = ${job}`;
    }
    expect(await claimJob(db.sql, ['k3'])).toBeNull();
    expect(await getJob(db.sql, job)).toMatchObject({ state: 'failed', error: { code: 'JOB_LOST' } });
  });

  it('cancels what waits and what runs, not what is over', async () => {
    const { id: job } = await addJob(db.sql, id, 'k4', {});
    const claimed = await claimJob(db.sql, ['k4']);
    expect((await cancelJob(db.sql, job)).state).toBe('cancelled');
    expect(await reportJob(db.sql, job, claimed?.attempt ?? 0, 0.9, '')).toBe(false);
    const { id: other } = await addJob(db.sql, id, 'k4', {});
    await claimJob(db.sql, ['k4']);
    await finishJob(db.sql, other, 1, { result: 1 });
    expect((await cancelJob(db.sql, other)).state).toBe('done');
  });
});

describe('the export job', () => {
  const stream = async (s: NodeJS.ReadableStream) => {
    const parts: Buffer[] = [];
    for await (const b of s) parts.push(b as Buffer);
    return Buffer.concat(parts);
  };
  const samplesOf = (bytes: Uint8Array, channel = 0) => {
    const r = createWavReader(() => {}, () => {});
    r.push(bytes);
    const info = r.end();
    const out = new Float32Array(info.frames);
    decodeChannel(bytes.subarray(info.dataOffset), info.encoding, info.channels, channel, out);
    return { info, out };
  };

  it('renders, caches, zips; untouched files come out byte for byte', async () => {
    const rec = await createRecording(db.sql, 'Río / take: 1');
    const files = { 'Kick In.wav': wavFile({ seed: 1 }), 'OH.wav': wavFile({ seed: 2, channels: 2, encoding: 'pcm16' }), 'Tom 1.wav': wavFile({ seed: 3, frames: 77_777 }) };
    for (const [name, bytes] of Object.entries(files)) await importFile(db.sql, rec, name, pieces(bytes));
    const { plan: first } = (await getPlan(db.sql, rec)) as PlanState;
    let plan = applyEdit(first, editGate(first, 'tom-1', { on: true, thresholdDb: -20, keyFrom: 'kick-in' }));
    plan = applyEdit(plan, editGate(plan, 'oh-right', { on: true, thresholdDb: -18 }));
    const input: ExportInput = { encoding: 'float32', suffix: '_clean', plan };
    const told: number[] = [];
    const report = async (done: number) => void told.push(done);
    const result = await runExport(db.sql, rec, 'Río / take: 1', input, report);
    expect(result.zipName).toBe('Río take 1_clean.zip');
    expect(told.every((v, i) => i === 0 || v >= told[i - 1])).toBe(true);
    expect(told[told.length - 1]).toBe(1);

    const zip = unzipSync(await stream(await exportZip(db.sql, rec, input, result)));
    expect(Object.keys(zip).sort()).toEqual(['Kick In_clean.wav', 'OH_clean.wav', 'Tom 1_clean.wav', 'plan.json']);
    expect(Buffer.from(zip['Kick In_clean.wav']).equals(Buffer.from(files['Kick In.wav']))).toBe(true);
    expect(JSON.parse(new TextDecoder().decode(zip['plan.json']))).toEqual(plan);

    // same length as the original, and the gate's own samples
    const tom = samplesOf(zip['Tom 1_clean.wav']);
    expect(tom.info.frames).toBe(77_777);
    const [key, audio] = [samplesOf(files['Kick In.wav']).out, samplesOf(files['Tom 1.wav']).out];
    const g = createGate(48000, plan.mics['tom-1'].treatment.gate);
    const n = audio.length + g.latency;
    const pad = (x: Float32Array) => {
      const y = new Float32Array(n);
      y.set(x.subarray(0, n));
      return y;
    };
    const out = new Float32Array(n);
    g.process(pad(key), pad(audio), out, n);
    expect(tom.out).toEqual(out.subarray(g.latency));
    expect(samplesOf(zip['OH_clean.wav'], 0).out).toEqual(samplesOf(files['OH.wav'], 0).out);
    expect(samplesOf(zip['OH_clean.wav'], 1).out).not.toEqual(samplesOf(files['OH.wav'], 1).out);

    // asked again, nothing is rendered anew; another setting makes another file
    const made = async () => (await db.sql<{ n: number }[]>`select count(*)::int as n from render`)[0].n;
    const before = await made();
    expect(await runExport(db.sql, rec, 'x', input, async () => {})).toMatchObject({ files: result.files });
    expect(await made()).toBe(before);
    await runExport(db.sql, rec, 'x', { ...input, plan: applyEdit(plan, editGate(plan, 'tom-1', { holdMs: 1 })) }, async () => {});
    expect(await made()).toBe(before + 1);

    // several at a time come to the same, in the same order
    await db.sql`delete from render`;
    const along: number[] = [];
    const notes = new Set<string>();
    const side = await runExport(db.sql, rec, 'Río / take: 1', input, async (done, note) => {
      along.push(done);
      notes.add(note);
    }, (task, on) => renderFile(db.sql, task, on));
    expect(side).toEqual(result);
    expect(along.every((v, i) => i === 0 || v >= along[i - 1])).toBe(true);
    expect(along[along.length - 1]).toBe(1);
    expect([...notes].some((x) => x === 'Cleaning OH.wav and Tom 1.wav' || x === 'Cleaning Tom 1.wav and OH.wav')).toBe(true);
    const again = unzipSync(await stream(await exportZip(db.sql, rec, input, side)));
    for (const name of Object.keys(zip)) expect(Buffer.from(again[name]).equals(Buffer.from(zip[name])), name).toBe(true);
  });

  it('gives slices as files of their own: the very samples of the cleaned file, each with its place', async () => {
    const rec = await createRecording(db.sql, 'slices');
    await importFile(db.sql, rec, 'Tom 1.wav', pieces(wavFile({ seed: 4, frames: 200_000 })));
    const { plan: first } = (await getPlan(db.sql, rec)) as PlanState;
    const hits = [20_000, 65_000, 131_500, 150_000].map((frame) => ({ time: frame / 48000, strength: 0.7, certainty: 1 }));
    let plan = applyEdit(first, mergeAnalysis(first, { 'tom-1': hits }));
    plan = applyEdit(plan, editSlices(plan, 'tom-1', { on: true, tailBy: 'fixed', tailMs: 150, bridgeMs: 0 }));
    const result = await runExport(db.sql, rec, 'x', { encoding: 'float32', suffix: '', plan, hits: { ...NO_HIT_FILES, slices: true } }, async () => {});
    const zip = unzipSync(await stream(await exportZip(db.sql, rec, { encoding: 'float32', suffix: '', plan }, result)));
    const whole = samplesOf(zip['Tom 1.wav']).out;
    const names = Object.keys(zip).filter((n) => n.startsWith('slices/')).sort();
    expect(names).toHaveLength(4);
    expect(names[0]).toMatch(/^slices\/Tom 1\/001 0m00\.\d{3}s\.wav$/);
    for (const [i, n] of names.entries()) {
      const { info, out } = samplesOf(zip[n]);
      const bext = Buffer.from(info.extras);
      expect(bext.toString('latin1', 0, 4)).toBe('bext');
      const from = bext.readUInt32LE(8 + 338);
      expect(from).toBeLessThan(hits[i].time * 48000);
      expect(out).toEqual(whole.slice(from, from + out.length));
      expect(out.some((v) => v !== 0)).toBe(true);
    }
    const again = await runExport(db.sql, rec, 'x', { encoding: 'float32', suffix: '', plan, hits: { ...NO_HIT_FILES, slices: true } }, async () => {});
    expect(again.files).toEqual(result.files);
  });

  it('keeps nothing of a file when it is cancelled in the middle', async () => {
    const rec = await createRecording(db.sql, 'cancel');
    await importFile(db.sql, rec, 'Tom 1.wav', pieces(wavFile({ seed: 9, frames: 400_000 })));
    const { plan: first } = (await getPlan(db.sql, rec)) as PlanState;
    const plan = applyEdit(first, editGate(first, 'tom-1', { on: true }));
    const before = (await db.sql`select 1 from render_chunk`).length;
    const run = runExport(db.sql, rec, 'x', { encoding: 'pcm24', suffix: '', plan }, async (done) => {
      if (done > 0.4) throw new Error('cancelled');
    });
    await expect(run).rejects.toThrow('cancelled');
    expect((await db.sql`select 1 from render_chunk`).length).toBe(before);
  });
});
