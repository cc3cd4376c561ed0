import { copyFileSync, mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { decideHits, listHits } from '../../src/core/plan/planHits';
import { micWav } from '../../src/demo/writeRecording';
import { loadAnalysis, startAnalysis } from '../../src/server/analysis';
import { connect } from '../../src/server/db';
import { parsePlan } from '../../src/server/dto/plan.dto';
import { importFile } from '../../src/server/importFile';
import { runAnalysis } from '../../src/server/jobs/analysisJob';
import { migrate } from '../../src/server/migrate';
import { type PlanState, getPlan, takeStep } from '../../src/server/sql/plans';
import { createRecording } from '../../src/server/sql/recordings';
import { MIGRATIONS, type TestDatabase, createDatabase } from '../support/database';
import { THREAD } from '../support/hand';
import { shortRecording } from '../support/madeKit';
import { pieces } from '../support/wavs';

let db: TestDatabase;
beforeAll(async () => {
  db = await createDatabase();
});
afterAll(() => db.drop());

describe('plans of the first version', () => {
  it('are brought up to hits and gaps by migration', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'fresh-gap-migrations-'));
    const name = `old_${Date.now()}`;
    await db.sql.unsafe(`create database ${name}`);
    const sql = connect(db.url.replace(/\/[^/]*$/, `/${name}`), 2);
    try {
      mkdirSync(join(folder, 'first'));
      copyFileSync(join(MIGRATIONS, '000001_start.sql'), join(folder, 'first', '000001_start.sql'));
      await migrate(sql, join(folder, 'first'));
      const gate = { on: true, thresholdDb: -30, hysteresisDb: 12, ratio: 100, kneeDb: 6, rangeDb: 90, attackMs: 1, holdMs: 60, releaseMs: 250, lookaheadMs: 2, detector: 'peak', keyHpHz: 20, keyHpSlope: 24, keyLpHz: 20000, keyLpSlope: 24, keyFrom: '', outputDb: 0 };
      const doc = { format: 'fresh-gap-plan', version: 1, sampleRate: 48000, frames: 1000, order: ['a'], mics: { a: { file: 'a.wav', channel: 0, name: 'A', role: 'tom-1', mix: { levelDb: 0, pan: 0 }, treatment: { gate } } } };
      const [{ id }] = await sql`insert into recording (name) values ('old') returning id`;
      await sql`insert into plan (recording_id, doc) values (${id}, ${sql.json(doc as never)})`;
      const edit = { label: 'gate off', changes: [{ path: ['mics', 'a', 'treatment'], before: { gate }, after: { gate: { ...gate, on: false } } }, { path: ['mics', 'a', 'name'], before: 'A', after: 'B' }] };
      await sql`insert into plan_edit (recording_id, seq, edit) values (${id}, 1, ${sql.json(edit as never)})`;
      await migrate(sql, MIGRATIONS);
      // history grows with what it holds, and loses nothing
      const [kept] = await sql`select edit from plan_edit where recording_id = ${id}`;
      expect(kept.edit.changes[0].before).toMatchObject({ parts: { on: false }, closings: {}, gate: { ...gate, keepDoubtful: false, softShorter: 0, hitMax: 100 } });
      expect(kept.edit.changes[0].after.gate.on).toBe(false);
      expect(kept.edit.changes[1]).toEqual(edit.changes[1]);
      const [row] = await sql`select doc from plan where recording_id = ${id}`;
      const plan = parsePlan(row.doc);
      expect(plan).toMatchObject({ version: 6, hits: {}, thresholds: {} });
      expect(plan.mics.a.treatment).toMatchObject({ gaps: {}, gate: { ...gate, keyBy: 'level' } });
      // a plan file of the first version opens just so
      expect(parsePlan(doc)).toEqual(plan);
    } finally {
      await sql.end();
      await db.sql.unsafe(`drop database ${name} with (force)`);
      rmSync(folder, { recursive: true, force: true });
    }
  });
});

describe('the analysis job', () => {
  let id: string;
  beforeAll(async () => {
    id = await createRecording(db.sql, 'analysis');
    const r = shortRecording({ seconds: 6, roles: ['kick-in', 'snare-top', 'tom-2', 'overhead-left'] });
    for (const [i, m] of r.mics.entries()) await importFile(db.sql, id, m.file, pieces(micWav(r.audio[i], r.rate, m.file), 1 << 20));
  });
  const report = async () => {};
  const plan = async () => (await getPlan(db.sql, id)) as PlanState;

  it('puts hits into the plan as one edit and keeps the spill map', async () => {
    const result = await runAnalysis(db.sql, id, report, THREAD);
    expect(result.cached).toBe(false);
    const state = await plan();
    expect(state.undo).toMatch(/hits found$/);
    expect(listHits(state.plan, 'snare').length).toBeGreaterThan(2);
    const view = await loadAnalysis(db.sql, id);
    expect(view.fresh).toBe(true);
    expect(view.spill.find((r) => r.drum === 'snare')?.mics).toHaveLength(4);
  }, 60_000);

  it('is not done twice for the same sound, changes nothing then, and spares what was decided', async () => {
    const before = await plan();
    const [hit] = listHits(before.plan, 'snare');
    await takeStep(db.sql, id, before.revision, { kind: 'do', edit: decideHits(before.plan, [hit], 'rejected', 'x') }, 'test');
    const decided = await plan();
    const result = await runAnalysis(db.sql, id, report, THREAD);
    expect(result.cached).toBe(true);
    expect((await plan()).plan).toEqual(decided.plan);
  });

  it('is stale when a role changes', async () => {
    const s = await plan();
    const mic = s.plan.order.find((m) => s.plan.mics[m].role.startsWith('tom')) as string;
    const before = s.plan.mics[mic].role;
    await takeStep(db.sql, id, s.revision, { kind: 'do', edit: { label: 'x', changes: [{ path: ['mics', mic, 'role'], before, after: 'tom-3' }] } }, 'test');
    expect((await loadAnalysis(db.sql, id)).fresh).toBe(false);
  });

  it('is queued once', async () => {
    const a = await startAnalysis(db.sql, id);
    expect((await startAnalysis(db.sql, id)).id).toBe(a.id);
  });

  it('stops where it is cancelled', async () => {
    const other = await createRecording(db.sql, 'cancelled');
    const r = shortRecording({ seconds: 2, roles: ['snare-top', 'overhead-left'] });
    for (const [i, m] of r.mics.entries()) await importFile(db.sql, other, m.file, pieces(micWav(r.audio[i], r.rate, m.file), 1 << 20));
    await expect(runAnalysis(db.sql, other, () => Promise.reject(new Error('cancelled')), THREAD)).rejects.toThrow('cancelled');
    expect((await loadAnalysis(db.sql, other)).spill).toEqual([]);
    expect(((await getPlan(db.sql, other)) as PlanState).plan.hits).toEqual({});
  });
});
