import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { FreshGapError } from '../../src/core/errors';
import { type Edit, editGate } from '../../src/core/plan/edits';
import { addClosing } from '../../src/core/plan/closings';
import { type Plan, isUntouched } from '../../src/core/plan/plan';
import { editDebleed, editParts, editSlices, editTail } from '../../src/core/plan/sliceEdits';
import { importFile } from '../../src/server/importFile';
import { migrate } from '../../src/server/migrate';
import { type PlanState, getPlan, takeStep } from '../../src/server/sql/plans';
import { createRecording, listRecordings } from '../../src/server/sql/recordings';
import { MIGRATIONS, type TestDatabase, createDatabase } from '../support/database';
import { pieces, wavFile } from '../support/wavs';

let db: TestDatabase;
let id: string;
let start: PlanState;
beforeAll(async () => {
  db = await createDatabase();
});
afterAll(() => db.drop());
beforeEach(async () => {
  id = await createRecording(db.sql, 'plan');
  await importFile(db.sql, id, 'Tom 1.wav', pieces(wavFile({ frames: 5000 })));
  start = (await getPlan(db.sql, id)) as PlanState;
});

const gate = (s: PlanState) => s.plan.mics['tom-1'].treatment.gate;
const set = (s: PlanState, thresholdDb: number): Edit => editGate(s.plan, 'tom-1', { thresholdDb });
const step = (s: PlanState, edit: Edit) => takeStep(db.sql, id, s.revision, { kind: 'do', edit }, 'test');
const codeOf = (p: Promise<unknown>) => p.then(() => 'nothing thrown', (e) => (e instanceof FreshGapError ? e.code : e));

describe('migrations', () => {
  it('are applied once, also when asked again', async () => {
    expect(await migrate(db.sql, MIGRATIONS)).toEqual([]);
  });
});

describe('plans in the database', () => {
  it('are saved step by step, with names for undo and redo, and are there after a reload', async () => {
    let s = await step(start, set(start, -20));
    s = await step(s, set(s, -25));
    expect(s).toMatchObject({ revision: start.revision + 2, undo: 'Tom 1 threshold −20.0 to −25.0 dB', redo: null });
    s = await takeStep(db.sql, id, s.revision, { kind: 'undo' }, 'test');
    expect(gate(s).thresholdDb).toBe(-20);
    const again = (await getPlan(db.sql, id)) as PlanState;
    expect(again).toEqual(s);
    expect(again.redo).toBe('Tom 1 threshold −20.0 to −25.0 dB');
    s = await takeStep(db.sql, id, s.revision, { kind: 'undo' }, 'test');
    expect(s.plan).toEqual(start.plan);
    expect(await codeOf(takeStep(db.sql, id, s.revision, { kind: 'undo' }, 'test'))).toBe('NOTHING_TO_UNDO');
    s = await takeStep(db.sql, id, s.revision, { kind: 'redo' }, 'test');
    s = await takeStep(db.sql, id, s.revision, { kind: 'redo' }, 'test');
    expect(gate(s).thresholdDb).toBe(-25);
    expect(await codeOf(takeStep(db.sql, id, s.revision, { kind: 'redo' }, 'test'))).toBe('NOTHING_TO_REDO');
  });

  it.each([
    ['a gate', (p: Plan) => editGate(p, 'tom-1', { on: true }), 1],
    ['de-bleed', (p: Plan) => editDebleed(p, 'tom-1', { on: true }), 1],
    ['slices', (p: Plan) => editSlices(p, 'tom-1', { on: true }), 1],
    ['damped tails', (p: Plan) => editTail(p, 'tom-1', { on: true }), 1],
    ['two parts', (p: Plan) => editParts(p, 'tom-1', { on: true }), 1],
    ['a gap by hand', (p: Plan): Edit => ({ label: 'gap', changes: [{ path: ['mics', Object.keys(p.mics)[0], 'treatment', 'gaps', 'a'], before: null, after: { from: 100, to: 200 } }] }), 1],
    ['a closing low-pass', (p: Plan) => addClosing(p, 'tom-1', 100, 4000), 1],
    ['a gate that is off', (p: Plan) => editGate(p, 'tom-1', { thresholdDb: -20 }), 0],
  ])('count a mic with %s as cleaned, or not, in the list of recordings', async (_, edit, count) => {
    const s = await step(start, edit(start.plan));
    expect(Object.values(s.plan.mics).filter((m) => !isUntouched(m.treatment))).toHaveLength(count);
    expect((await listRecordings(db.sql)).find((r) => r.id === id)).toMatchObject({ micCount: 1, treatedCount: count });
  });

  it('drop what could be redone when something new is done', async () => {
    let s = await step(start, set(start, -20));
    s = await takeStep(db.sql, id, s.revision, { kind: 'undo' }, 'test');
    s = await step(s, set(s, -40));
    expect(s.redo).toBeNull();
    const [{ n }] = await db.sql<{ n: number }[]>`select count(*)::int as n from plan_edit where recording_id = ${id}`;
    expect(n).toBe(1);
  });

  it('refuse a stale step and change nothing by it', async () => {
    const s = await step(start, set(start, -20));
    const stale = step(start, set(start, -50));
    await expect(stale).rejects.toMatchObject({ code: 'PLAN_STALE', details: { revision: s.revision } });
    expect(await getPlan(db.sql, id)).toEqual(s);
  });

  it('let only one of many steps made at once through', async () => {
    const tries = await Promise.allSettled(Array.from({ length: 6 }, (_, i) => step(start, set(start, -40 - i))));
    expect(tries.filter((t) => t.status === 'fulfilled')).toHaveLength(1);
    expect(((await getPlan(db.sql, id)) as PlanState).revision).toBe(start.revision + 1);
  });

  it('refuse what is out of range or of another kind, and say where', async () => {
    const bad = (after: unknown): Edit => ({ label: 'bad', changes: [{ path: ['mics', 'tom-1', 'treatment', 'gate', 'thresholdDb'], before: -30, after: after as number }] });
    for (const v of [-81, 1, 'loud', null, {}]) expect(await codeOf(step(start, bad(v))), String(v)).toBe('PLAN_INVALID');
    await expect(step(start, bad(-81))).rejects.toThrow(/thresholdDb/);
    const key: Edit = { label: 'key', changes: [{ path: ['mics', 'tom-1', 'treatment', 'gate', 'keyFrom'], before: '', after: 'nobody' }] };
    expect(await codeOf(step(start, key))).toBe('PLAN_INVALID');
    expect(await getPlan(db.sql, id)).toEqual(start);
  });
});
