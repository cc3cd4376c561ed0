import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { FreshGapError } from '../errors';
import { GATE_DEFAULTS, GATE_PARAMS } from '../params/gateParams';
import { type Edit, applyEdit, editGate, editMic, invertEdit, mergeEdits, rebaseEdit, valueAt } from './edits';
import { type History, redoLabel, stepHistory, undoLabel } from './history';
import { editFromPlan, matchPlan } from './matchPlan';
import { migratePlan } from './migrate';
import { createPlan, isUntouched, micId } from './plan';
import { putAside } from './second';

const source = (file: string, channel = 0, channels = 1) => ({ file, channel, channels, frames: 48000 });
const plan = createPlan(48000, [source('01 Kick In.wav'), source('06 Tom 1.wav'), source('07 Tom 2.wav'), { ...source('OH.wav', 0, 2), frames: 50000 }, source('OH.wav', 1, 2)]);
const TOM = '06-tom-1';

const code = (f: () => unknown) => {
  try {
    f();
  } catch (e) {
    return e instanceof FreshGapError ? e.code : e;
  }
  return 'nothing thrown';
};

/** Random edits that each fit the plan left by the one before. */
const patches = fc.array(
  fc.record({
    mic: fc.constantFrom(...plan.order),
    thresholdDb: fc.double({ min: -80, max: 0, noNaN: true }),
    holdMs: fc.double({ min: 0, max: 4000, noNaN: true }),
    on: fc.boolean(),
    keyFrom: fc.constantFrom('', ...plan.order),
  }),
  { minLength: 1, maxLength: 12 },
);

describe('plan', () => {
  it('is made from file names, untouched, as long as the longest mic', () => {
    expect(plan.order).toEqual(['01-kick-in', TOM, '07-tom-2', 'oh-left', 'oh-right']);
    expect(plan.frames).toBe(50000);
    expect(plan.order.every((id) => isUntouched(plan.mics[id].treatment))).toBe(true);
    expect(plan.mics['oh-left'].mix.pan).toBe(-1);
    expect(plan.mics[TOM].name).toBe('Tom 1');
  });

  it('gives mics of one role names that tell them apart', () => {
    const p = createPlan(48000, [source('Kick A.wav'), source('Kick B.wav')]);
    expect(p.order.map((id) => p.mics[id].name)).toEqual(['Kick in (Kick A)', 'Kick in (Kick B)']);
    const long = createPlan(48000, ['Low_Tide_BD.wav', 'Low_Tide_BD 2.wav', 'Low_Tide_Tambourine.wav', 'Low_Tide_12.wav'].map((f) => source(f)));
    expect(long.order.map((id) => long.mics[id].name)).toEqual(['Kick in (BD)', 'Kick in (BD 2)', 'Tambourine', 'Other']);
  });

  it('gives every mic an id of its own', () => {
    expect(micId('Tom 1.wav', 0, 1, new Set(['tom-1']))).toBe('tom-1-2');
    expect(micId('***.wav', 0, 1, new Set())).toBe('mic');
    expect(micId('OH.wav', 1, 2, new Set())).toBe('oh-right');
  });

  it('is plain data: JSON and back is the same', () => {
    expect(JSON.parse(JSON.stringify(plan))).toEqual(plan);
  });
});

describe('edits', () => {
  it('name what was done', () => {
    expect(editGate(plan, TOM, { thresholdDb: -24 }).label).toBe('Tom 1 threshold −30.0 to −24.0 dB');
    expect(editGate(plan, TOM, { on: true }).label).toBe('Tom 1 gate on');
    expect(editGate(plan, TOM, { rangeDb: 20 }).label).toBe('Tom 1 range silence to 20.0 dB');
    expect(editGate(plan, TOM, { keyFrom: '01-kick-in' }).label).toBe('Tom 1 key from itself to Kick in');
    expect(editMic(plan, TOM, { role: 'tom-3' }).label).toBe('Tom 1 is Tom 3');
  });

  it('that change nothing have no changes', () => {
    expect(editGate(plan, TOM, { thresholdDb: GATE_DEFAULTS.thresholdDb }).changes).toEqual([]);
  });

  it('undone one by one give back the very first plan, redone the last', () => {
    fc.assert(
      fc.property(patches, (list) => {
        let h: History = { plan, edits: [], cursor: 0 };
        const states = [plan];
        for (const { mic, ...patch } of list) {
          const edit = editGate(h.plan, mic, patch);
          h = stepHistory(h, { kind: 'do', edit });
          states.push(h.plan);
        }
        for (let i = states.length - 2; i >= 0; i--) {
          h = stepHistory(h, { kind: 'undo' });
          expect(h.plan).toEqual(states[i]);
        }
        for (let i = 1; i < states.length; i++) {
          h = stepHistory(h, { kind: 'redo' });
          expect(h.plan).toEqual(states[i]);
        }
      }),
    );
  });

  it('never change the plan they are given', () => {
    const before = JSON.stringify(plan);
    applyEdit(plan, editGate(plan, TOM, { thresholdDb: -10, on: true }));
    expect(JSON.stringify(plan)).toBe(before);
  });

  it('are refused where the plan holds something else', () => {
    const edit = editGate(plan, TOM, { thresholdDb: -20 });
    const other = applyEdit(plan, editGate(plan, TOM, { thresholdDb: -50 }));
    expect(code(() => applyEdit(other, edit))).toBe('EDIT_CONFLICT');
    const nowhere: Edit = { label: 'x', changes: [{ path: ['mics', 'none', 'name'], before: 'a', after: 'b' }] };
    expect(code(() => applyEdit(plan, nowhere))).toBe('EDIT_CONFLICT');
    const proto: Edit = { label: 'x', changes: [{ path: ['mics', '__proto__', 'polluted'], before: 'a', after: 'b' }] };
    expect(code(() => applyEdit(plan, proto))).toBe('EDIT_CONFLICT');
  });

  it('of one gesture become one', () => {
    const a = editGate(plan, TOM, { thresholdDb: -20 });
    const b = editGate(applyEdit(plan, a), TOM, { thresholdDb: -18, holdMs: 5 });
    const both = mergeEdits(a, b);
    expect(applyEdit(plan, both)).toEqual(applyEdit(applyEdit(plan, a), b));
    expect(applyEdit(applyEdit(plan, both), invertEdit(both))).toEqual(plan);
    expect(mergeEdits(a, invertEdit(a)).changes).toEqual([]);
  });

  it('can be made again on a newer plan', () => {
    const wish = editGate(plan, TOM, { thresholdDb: -20, holdMs: 10 });
    const newer = applyEdit(plan, editGate(plan, TOM, { thresholdDb: -55, holdMs: 10 }));
    const again = rebaseEdit(newer, wish);
    expect(again.changes).toHaveLength(1);
    expect(valueAt(applyEdit(newer, again), ['mics', TOM, 'treatment', 'gate', 'thresholdDb'])).toBe(-20);
  });
});

describe('history', () => {
  it('drops what could be redone when something new is done', () => {
    let h: History = { plan, edits: [], cursor: 0 };
    h = stepHistory(h, { kind: 'do', edit: editGate(h.plan, TOM, { on: true }) });
    h = stepHistory(h, { kind: 'do', edit: editGate(h.plan, TOM, { thresholdDb: -20 }) });
    h = stepHistory(h, { kind: 'undo' });
    expect(redoLabel(h)).toBe('Tom 1 threshold −30.0 to −20.0 dB');
    expect(undoLabel(h)).toBe('Tom 1 gate on');
    h = stepHistory(h, { kind: 'do', edit: editGate(h.plan, TOM, { holdMs: 1 }) });
    expect(redoLabel(h)).toBeNull();
    expect(code(() => stepHistory(h, { kind: 'redo' }))).toBe('NOTHING_TO_REDO');
  });
  it('says when there is nothing to undo', () => {
    expect(code(() => stepHistory({ plan, edits: [], cursor: 0 }, { kind: 'undo' }))).toBe('NOTHING_TO_UNDO');
  });
});

describe('plan files', () => {
  it('fit another copy of the recording by file name, keys included', () => {
    let given = applyEdit(plan, editGate(plan, TOM, { on: true, thresholdDb: -33, keyFrom: '07-tom-2' }));
    given = JSON.parse(JSON.stringify(given).replaceAll('"07-tom-2"', '"other-id"'));
    const { edit, missing } = editFromPlan(plan, given, 'Opened');
    expect(missing).toEqual([]);
    const opened = applyEdit(plan, edit);
    expect(opened.mics[TOM].treatment.gate).toMatchObject({ on: true, thresholdDb: -33, keyFrom: '07-tom-2' });
    expect(applyEdit(opened, invertEdit(edit))).toEqual(plan);
  });
  it('carry the treatment that was put aside too, its key fitted', () => {
    let given = applyEdit(plan, editGate(plan, TOM, { on: true, keyFrom: '07-tom-2' }));
    given = applyEdit(given, putAside(given, TOM));
    given = applyEdit(given, editGate(given, TOM, { thresholdDb: -21 }));
    given = JSON.parse(JSON.stringify(given).replaceAll('"07-tom-2"', '"other-id"'));
    const { edit } = editFromPlan(plan, given, 'Opened');
    const opened = applyEdit(plan, edit);
    expect(opened.mics[TOM].second?.gate).toMatchObject({ on: true, keyFrom: '07-tom-2' });
    expect(opened.mics[TOM].second?.gate.thresholdDb).not.toBe(-21);
    expect(opened.mics[TOM].treatment.gate.thresholdDb).toBe(-21);
    expect(applyEdit(opened, invertEdit(edit))).toEqual(plan);
  });
  it('say what they name that is not here, and when nothing fits', () => {
    const smaller = createPlan(48000, [source('06 Tom 1.wav')]);
    expect(matchPlan(smaller, plan).missing).toContain('01 Kick In.wav');
    expect(code(() => matchPlan(createPlan(48000, [source('x.wav')]), plan))).toBe('PLAN_NO_MATCH');
  });
  it('of other kinds or newer versions are told apart', () => {
    expect(migratePlan(plan)).toEqual(plan);
    expect(code(() => migratePlan({ format: 'something' }))).toBe('PLAN_INVALID');
    expect(code(() => migratePlan(null))).toBe('PLAN_INVALID');
    expect(code(() => migratePlan({ ...plan, version: 99 }))).toBe('PLAN_VERSION');
    expect(code(() => migratePlan({ ...plan, version: 0.5 }))).toBe('PLAN_INVALID');
  });
  it('of version 4 hold soft hits as long as loud ones, in the second treatment too', () => {
    const aside = applyEdit(plan, putAside(plan, TOM));
    const old = JSON.parse(JSON.stringify({ ...aside, version: 4 }).replaceAll('"softShorter":0,', '').replaceAll(',"softShorter":0', ''));
    expect(JSON.stringify(old)).not.toContain('softShorter');
    expect(migratePlan(old)).toEqual(aside);
  });
  it('of version 5 open gates for hits however loud, in the second treatment too', () => {
    const aside = applyEdit(plan, putAside(plan, TOM));
    const old = JSON.parse(JSON.stringify({ ...aside, version: 5 }).replaceAll('"hitMax":100,', '').replaceAll(',"hitMax":100', ''));
    expect(JSON.stringify(old)).not.toContain('hitMax');
    expect(migratePlan(old)).toEqual(aside);
  });
  it('have every setting of the table, and no other', () => {
    expect(Object.keys(plan.mics[TOM].treatment.gate).sort()).toEqual(Object.keys(GATE_PARAMS).sort());
  });
});
