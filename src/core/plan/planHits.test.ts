import { describe, expect, it } from 'vitest';
import { applyEdit, invertEdit } from './edits';
import { liveTreatment, possibleHits } from './live';
import { editFromPlan } from './matchPlan';
import { type PlanHit, counts, decideHits, giveHits, hitChange, isDoubtful, listHits, mergeAnalysis, moveHits } from './planHits';
import { type Plan, createPlan } from './plan';

const base = createPlan(48000, [{ file: '01 Kick.wav', channel: 0, channels: 1, frames: 480_000 }, { file: '02 Tom 1.wav', channel: 0, channels: 1, frames: 480_000 }]);
const found = { kick: [{ time: 1, strength: 0.9, certainty: 0.95 }, { time: 2, strength: 0.4, certainty: 0.5 }], 'tom-1': [{ time: 1.5, strength: 0.3, certainty: 0.3 }] };
const analysed: Plan = applyEdit(base, mergeAnalysis(base, found));

describe('hits in a plan', () => {
  it('come from an analysis as one edit that can be taken back', () => {
    const edit = mergeAnalysis(base, found);
    expect(edit.label).toBe('2 hits found');
    expect(listHits(analysed, 'kick').map((h) => h.frame)).toEqual([48_000, 96_000]);
    expect(listHits(analysed, 'tom-1')).toEqual([]);
    expect(listHits(analysed, 'tom-1', true)).toHaveLength(1);
    expect(applyEdit(analysed, invertEdit(edit))).toEqual(base);
  });

  it('that a person decided are never overwritten by a new analysis', () => {
    const [first, second] = listHits(analysed, 'kick');
    let plan = applyEdit(analysed, decideHits(analysed, [second], 'rejected', 'x'));
    plan = applyEdit(plan, moveHits(plan, [first], 240, 'x'));
    const added: PlanHit = { frame: 200_000, strength: 0.5, certainty: 1, state: 'added' };
    plan = applyEdit(plan, { label: 'x', changes: [hitChange(plan, 'kick', 'mine', added)] });
    const again = applyEdit(plan, mergeAnalysis(plan, { kick: [...found.kick, { time: 4.1667, strength: 1, certainty: 1 }, { time: 7, strength: 1, certainty: 1 }] }));
    expect(listHits(again, 'kick', true).map((h) => [h.frame, h.state])).toEqual([[48_240, 'confirmed'], [96_000, 'rejected'], [200_000, 'added'], [336_000, 'found']]);
    expect(listHits(again, 'kick').map((h) => h.frame)).toEqual([48_240, 200_000, 336_000]);
  });

  it('are wholly certain for what learns from them only where a person decided, however sure they were found', () => {
    const plan = applyEdit(base, mergeAnalysis(base, { kick: [1, 2, 3, 4].map((time) => ({ time, strength: 0.5, certainty: time === 4 ? 0.5 : 0.99998 })) }));
    const [a, b] = listHits(plan, 'kick');
    let decided = applyEdit(plan, decideHits(plan, [a], 'confirmed', 'x'));
    decided = applyEdit(decided, decideHits(decided, [b], 'rejected', 'x'));
    const [said, sure, half] = possibleHits(decided).kick.map((h) => h.certainty);
    expect(said).toBe(1);
    expect(sure).toBeLessThan(1);
    expect(sure).toBeGreaterThan(0.999);
    expect(half).toBe(0.5);
    expect(possibleHits(decided).kick.map((h) => h.time)).toEqual([1, 3, 4]);
  });

  it('can be given to a drum that had none yet, and back', () => {
    const bare = { ...analysed, hits: { kick: analysed.hits.kick } };
    const [h] = listHits(bare, 'kick');
    const edit = giveHits(bare, [h], 'tom-1', 'x');
    const given = applyEdit(bare, edit);
    expect(listHits(given, 'kick').map((x) => x.id)).not.toContain(h.id);
    expect(listHits(given, 'tom-1').map((x) => [x.frame, x.state])).toEqual([[h.frame, 'confirmed']]);
    expect(listHits(applyEdit(given, invertEdit(edit)), 'kick').map((x) => x.id)).toContain(h.id);
  });

  it('refuse an edit made on another state', () => {
    const [h] = listHits(analysed, 'kick');
    const edit = decideHits(analysed, [h], 'confirmed', 'x');
    expect(() => applyEdit(applyEdit(analysed, edit), edit)).toThrow(/another value/);
  });

  it('count by certainty, doubt and decision', () => {
    const h = (state: PlanHit['state'], certainty: number) => ({ state, certainty });
    expect([counts(h('found', 0.5), 0.4), counts(h('found', 0.3), 0.4), counts(h('rejected', 1), 0.4), counts(h('added', 0), 0.9)]).toEqual([true, false, false, true]);
    expect([isDoubtful(h('found', 0.5), 0.4), isDoubtful(h('found', 0.9), 0.4), isDoubtful(h('found', 0.25), 0.4), isDoubtful(h('confirmed', 0.5), 0.4)]).toEqual([true, false, true, false]);
  });

  it('open the gate of their own drum, between the softest and the loudest allowed', () => {
    const id = base.order[0];
    const mic = analysed.mics[id];
    const withGate = (hitMin: number, hitMax = 100): Plan => ({ ...analysed, mics: { ...analysed.mics, [id]: { ...mic, treatment: { ...mic.treatment, gate: { ...mic.treatment.gate, on: true, keyBy: 'hits', hitMin, hitMax } } } } });
    const plan = withGate(0);
    expect(liveTreatment(plan, id).hits.map((h) => h.frame)).toEqual([48_000, 96_000]);
    expect(liveTreatment(plan, id)).toBe(liveTreatment(plan, id));
    expect(liveTreatment(withGate(50), id).hits.map((h) => h.frame)).toEqual([48_000]);
    expect(liveTreatment(withGate(0, 50), id).hits.map((h) => h.frame)).toEqual([96_000]);
    expect(liveTreatment(withGate(60, 50), id).hits).toEqual([]);
    expect(liveTreatment(analysed, id).hits).toEqual([]);
  });
});

describe('opening a saved plan', () => {
  it('brings its hits, thresholds and gaps, as far as the recording reaches', () => {
    const given: Plan = {
      ...analysed,
      thresholds: { kick: 0.6 },
      mics: { ...analysed.mics, [base.order[1]]: { ...analysed.mics[base.order[1]], treatment: { ...analysed.mics[base.order[1]].treatment, gaps: { a: { from: 10, to: 20 }, b: { from: 90_000, to: 99_000 } } } } },
    };
    const short = createPlan(48000, [{ file: '01 Kick.wav', channel: 0, channels: 1, frames: 60_000 }, { file: '02 Tom 1.wav', channel: 0, channels: 1, frames: 60_000 }]);
    const plan = applyEdit(short, editFromPlan(short, given, 'x').edit);
    expect(listHits(plan, 'kick').map((h) => h.frame)).toEqual([48_000]);
    expect(plan.thresholds).toEqual({ kick: 0.6 });
    expect(plan.mics[base.order[1]].treatment.gaps).toEqual({ a: { from: 10, to: 20 } });
  });
});
