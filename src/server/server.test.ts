import { describe, expect, it } from 'vitest';
import { ERRORS, FreshGapError, toErrorData } from '../core/errors';
import { GATE_PARAMS } from '../core/params/gateParams';
import { applyEdit, editGate } from '../core/plan/edits';
import { createPlan } from '../core/plan/plan';
import { deliveredName, fileIsUntouched, micsNeeded, micsOfFile } from './deliver';
import { GateDto } from './dto/treatments.dto';
import { parsePlan } from './dto/plan.dto';
import { ExportDto, TakeStepDto } from './dto/requests.dto';
import { validated } from './dto/validate';
import { guard } from './http/guard';
import { errorBody } from './http/respond';

const plan = createPlan(48000, [
  { file: 'Kick.wav', channel: 0, channels: 1, frames: 10 },
  { file: 'OH.wav', channel: 0, channels: 2, frames: 10 },
  { file: 'OH.wav', channel: 1, channels: 2, frames: 10 },
]);
const code = (f: () => unknown) => {
  try {
    f();
  } catch (e) {
    return e instanceof FreshGapError ? e.code : e;
  }
  return 'nothing thrown';
};

describe('validation', () => {
  it('takes a plan as it is made', () => {
    expect(parsePlan(plan)).toEqual(plan);
  });
  it('takes the ends of every range and refuses what is past them', () => {
    const gate = plan.mics.kick.treatment.gate;
    for (const [id, p] of Object.entries(GATE_PARAMS)) {
      if (p.kind !== 'number') continue;
      for (const v of [p.min, p.max]) expect(validated(GateDto, { ...gate, [id]: v })).toBeTruthy();
      for (const v of [p.min - 1, p.max + 1, Number.NaN, '5']) expect(code(() => validated(GateDto, { ...gate, [id]: v })), `${id} ${v}`).toBe('BAD_REQUEST');
    }
  });
  it('refuses plans that are not whole, and says where', () => {
    const without = { ...plan, mics: { ...plan.mics, kick: { ...plan.mics.kick, role: 'gong' } } };
    expect(() => parsePlan(without)).toThrow(/kick: role/);
    const { kick: _, ...rest } = plan.mics;
    expect(code(() => parsePlan({ ...plan, mics: rest }))).toBe('PLAN_INVALID');
    expect(code(() => parsePlan({ ...plan, order: [...plan.order, 'kick'] }))).toBe('PLAN_INVALID');
    expect(code(() => parsePlan({ ...plan, extra: 1 }))).toBe('PLAN_INVALID');
    const self = applyEdit(plan, editGate(plan, 'kick', { keyFrom: 'kick' }));
    expect(code(() => parsePlan(self))).toBe('PLAN_INVALID');
  });
  it('takes how a drum rings, softer strokes too, and refuses what is no ring', () => {
    const ring = { decayDb: [0, -3, -9], spillDb: -50, topDb: -12 };
    const withRing = (r: unknown) => ({ ...plan, mics: { ...plan.mics, kick: { ...plan.mics.kick, ring: r } } });
    for (const r of [ring, { ...ring, soft: { fromDb: -4, slope: 0.4 } }, { ...ring, rawSpillDb: -31.5 }]) expect(parsePlan(withRing(r)).mics.kick.ring).toEqual(r);
    for (const r of [{ ...ring, decayDb: [1] }, { ...ring, rawSpillDb: 3 }, { ...ring, soft: { fromDb: -4 } }, { ...ring, soft: { fromDb: -4, slope: 2 } }, { ...ring, soft: { fromDb: 3, slope: 0.4 } }]) expect(code(() => parsePlan(withRing(r)))).toBe('PLAN_INVALID');
  });
  it('refuses requests it does not know', () => {
    const edit = editGate(plan, 'kick', { on: true });
    expect(validated(TakeStepDto, { revision: 1, client: 'a', step: { kind: 'do', edit } })).toBeTruthy();
    expect(code(() => validated(TakeStepDto, { revision: 1, client: 'a', step: { kind: 'do' } }))).toBe('BAD_REQUEST');
    expect(code(() => validated(TakeStepDto, { revision: 0, client: 'a', step: { kind: 'undo' } }))).toBe('BAD_REQUEST');
    expect(code(() => validated(TakeStepDto, []))).toBe('BAD_REQUEST');
    expect(code(() => validated(ExportDto, { encoding: 'mp3', suffix: '' }))).toBe('BAD_REQUEST');
    expect(code(() => validated(ExportDto, { encoding: 'pcm24', suffix: '../x' }))).toBe('BAD_REQUEST');
    expect(validated(ExportDto, { encoding: 'pcm24', suffix: '_é clean' })).toBeTruthy();
  });
});

describe('guard', () => {
  const ask = (method: string, headers: Record<string, string>) => code(() => guard({ method, headers }));
  it('answers only to its own names', () => {
    for (const host of ['127.0.0.1:4310', 'localhost:4310', '[::1]:4310']) expect(ask('GET', { host })).toBe('nothing thrown');
    for (const host of ['evil.example', '127.0.0.1.evil.example', '']) expect(ask('GET', { host })).toBe('BAD_ORIGIN');
  });
  it('lets only pages of its own write', () => {
    const host = 'localhost:4310';
    expect(ask('POST', { host, origin: 'http://localhost:4310', 'sec-fetch-site': 'same-origin' })).toBe('nothing thrown');
    expect(ask('POST', { host })).toBe('nothing thrown');
    expect(ask('PUT', { host, origin: 'http://evil.example' })).toBe('BAD_ORIGIN');
    expect(ask('DELETE', { host, origin: 'http://localhost:9999' })).toBe('BAD_ORIGIN');
    expect(ask('POST', { host, 'sec-fetch-site': 'cross-site' })).toBe('BAD_ORIGIN');
    expect(ask('POST', { host, origin: 'null' })).toBe('BAD_ORIGIN');
  });
});

describe('errors', () => {
  it('have a title, a hint that says what to do, and a status', () => {
    for (const [id, e] of Object.entries(ERRORS)) {
      expect(e.title.length, id).toBeGreaterThan(5);
      expect(e.hint.length, id).toBeGreaterThan(10);
      expect(e.status, id).toBeGreaterThanOrEqual(400);
    }
  });
  it('cross borders as plain data and do not tell of insides', () => {
    const e = new FreshGapError('WAV_EMPTY', 'none', { a: 1 });
    expect(FreshGapError.fromData(JSON.parse(JSON.stringify(e.toData())))).toMatchObject({ code: 'WAV_EMPTY', message: 'none', details: { a: 1 } });
    expect(toErrorData(new Error('x')).code).toBe('INTERNAL');
    expect(errorBody(e).status).toBe(422);
  });
});

describe('delivery', () => {
  it('names files after the originals', () => {
    expect(deliveredName('06 Tom 1.wav', '_clean')).toBe('06 Tom 1_clean.wav');
    expect(deliveredName('Tom 1.rack.WAV', ' gated')).toBe('Tom 1.rack gated.WAV');
    expect(deliveredName('Tom', '_x')).toBe('Tom_x.wav');
  });
  it('knows the mics of a file, what keys them, and what needs no rendering', () => {
    const treated = applyEdit(plan, editGate(plan, 'oh-right', { on: true, keyFrom: 'kick' }));
    expect(micsOfFile(treated, 'OH.wav')).toEqual(['oh-left', 'oh-right']);
    expect(micsNeeded(treated, 'OH.wav')).toEqual(['oh-left', 'oh-right', 'kick']);
    expect(fileIsUntouched(treated, 'OH.wav')).toBe(false);
    expect(fileIsUntouched(treated, 'Kick.wav')).toBe(true);
  });
});
