import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { applyEdit } from '../../src/core/plan/edits';
import { createPlan } from '../../src/core/plan/plan';
import { STARTING_POINTS, applyNamed, applyPoint, namedSettings, pointsFor } from '../../src/core/plan/startingPoints';
import { parsePlan } from '../../src/server/dto/plan.dto';
import { parseSettings } from '../../src/server/dto/namedSettings.dto';
import { deleteSettings, listSettings, saveSettings } from '../../src/server/sql/namedSettings';
import { type TestDatabase, createDatabase } from '../support/database';

let db: TestDatabase;
beforeAll(async () => {
  db = await createDatabase();
});
afterAll(() => db.drop());

const plan = createPlan(48000, ['01 Kick In.wav', '02 Kick Out.wav', '03 Snare Top.wav', '05 Hat.wav', '06 Tom 1.wav', '08 Overhead L.wav'].map((file) => ({ file, channel: 0, channels: 1, frames: 48000 })));
const [kick, kickOut, , , tom] = plan.order;

describe('starting points', () => {
  it('give valid plans on the mics they are for, and none for overheads', () => {
    for (const id of plan.order) {
      for (const p of pointsFor(plan.mics[id].role)) {
        const after = applyEdit(plan, applyPoint(plan, id, p));
        expect(parsePlan(JSON.parse(JSON.stringify(after)))).toEqual(after);
      }
    }
    expect(pointsFor('overhead-left')).toEqual([]);
    expect(new Set(STARTING_POINTS.map((p) => p.id)).size).toBe(STARTING_POINTS.length);
    expect(STARTING_POINTS.every((p) => p.purpose.length > 20)).toBe(true);
  });
});

describe('a starting point on a de-bled mic', () => {
  const ring = { decayDb: Array.from({ length: 100 }, (_, i) => -i), spillDb: -30, topDb: -10 };
  const withRing = (id: string, on: boolean) => {
    const mic = plan.mics[id];
    return { ...plan, mics: { ...plan.mics, [id]: { ...mic, ring, treatment: { ...mic.treatment, debleed: { ...mic.treatment.debleed, on } } } } };
  };
  const treated = (id: string, on: boolean) => applyEdit(withRing(id, on), applyPoint(withRing(id, on), id, pointsFor(plan.mics[id].role)[0])).mics[id].treatment;

  it('lets strokes ring longer, since less is left behind them, and leaves de-bleed as it is', () => {
    // 1 dB every 10 ms: held to 32 dB under the loudest in a raw mic, to 46 in a de-bled one
    expect(treated(kick, false).gate.holdMs).toBe(320);
    expect(treated(kick, true).gate.holdMs).toBe(460);
    expect(treated(kick, true).debleed.on).toBe(true);
    expect(treated(tom, true).slices.ringDb).toBe(46);
    expect(treated(tom, false).slices.ringDb).not.toBe(46);
  });
});

describe('settings saved under a name', () => {
  it('come back as they were, are replaced by the same name, and go', async () => {
    const cut = applyEdit(plan, applyPoint(plan, tom, pointsFor('tom-1')[0]));
    await saveSettings(db.sql, namedSettings(cut, tom, 'Toms, wide room'));
    await saveSettings(db.sql, namedSettings(plan, tom, 'as is'));
    const [first, second] = await listSettings(db.sql);
    expect([first.name, second.name]).toEqual(['as is', 'Toms, wide room']);
    expect(applyEdit(plan, applyNamed(plan, tom, second)).mics[tom].treatment).toEqual(cut.mics[tom].treatment);
    await saveSettings(db.sql, { ...namedSettings(plan, tom, 'Toms, wide room') });
    expect((await listSettings(db.sql))[1].slices.on).toBe(false);
    await deleteSettings(db.sql, 'Toms, wide room');
    expect((await listSettings(db.sql)).map((s) => s.name)).toEqual(['as is']);
  });

  it('hold no other mic, and leave the key mic of the one they are given to', () => {
    const keyed = { ...plan, mics: { ...plan.mics, [kickOut]: { ...plan.mics[kickOut], treatment: { ...plan.mics[kickOut].treatment, gate: { ...plan.mics[kickOut].treatment.gate, on: true, keyFrom: kick } } } } };
    const s = namedSettings(keyed, kickOut, 'out');
    expect(s.gate.keyFrom).toBe('');
    expect(applyEdit(keyed, applyNamed(keyed, kickOut, { ...s, gate: { ...s.gate, thresholdDb: -20 } })).mics[kickOut].treatment.gate).toMatchObject({ keyFrom: kick, thresholdDb: -20 });
  });

  it('from a file are refused with what is wrong, and lose a key mic', () => {
    const good = JSON.parse(JSON.stringify(namedSettings(plan, tom, 'x')));
    expect(parseSettings({ ...good, gate: { ...good.gate, keyFrom: 'elsewhere' } }).gate.keyFrom).toBe('');
    for (const bad of [null, {}, { ...good, name: ' ' }, { ...good, slices: { ...good.slices, leadMs: -4 } }, { ...good, tail: { ...good.tail, lowpassHz: 'low' } }, { ...good, format: 'other' }]) expect(() => parseSettings(bad)).toThrow();
    expect(() => parseSettings({ ...good, slices: { ...good.slices, leadMs: -4 } })).toThrow(/leadMs/);
  });
});
