import { describe, expect, it } from 'vitest';
import { applyEdit } from '../plan/edits';
import { createPlan } from '../plan/plan';
import { mergeAnalysis } from '../plan/planHits';
import type { SpillRow } from './spillMap';
import { cutReach, spillMatrix, strokeBandInMic, verdicts } from './verdict';

const files = ['01 Kick In.wav', '03 Snare Top.wav', '06 Tom 1.wav', '08 Overhead L.wav', '10 Room L.wav'];
const plan0 = createPlan(48000, files.map((file) => ({ file, channel: 0, channels: 1, frames: 480000 })));
const hit = (time: number, certainty = 1) => ({ time, strength: 0.5, certainty });
const plan = applyEdit(plan0, mergeAnalysis(plan0, { kick: [hit(1), hit(2)], snare: [hit(1.5), hit(2.5, 0.45)], 'tom-1': [hit(3)] }));
/** Levels of a drum's stroke in each mic against its own. */
const row = (drum: string, main: number, strokeDb: number, levels: readonly number[]): SpillRow => ({
  drum, main, strokes: 5, strokeDb, strokeBandsDb: [strokeDb - 3, strokeDb - 3],
  mics: levels.map((levelDb) => ({ levelDb, bandsDb: [levelDb, levelDb - 6], delayMs: 1.5, polarity: 1 as const })),
});
const spill = [row('kick', 0, -10, [0, -40, -34, -20, -25]), row('snare', 1, -4, [-32, 0, -8, -10, -18]), row('tom-1', 2, -12, [-45, -30, 0, -16, -22])];
const owns = ['kick', 'snare', 'tom-1', null, null];

describe('the spill matrix', () => {
  const m = spillMatrix(spill, owns);
  it("is against the mic's own drum, which is at 0", () => {
    expect(m[0][0]).toBe(0);
    expect(m[1][1]).toBe(0);
    // the snare is 8 dB louder than the tom, and reaches the tom's mic 8 dB down
    expect(m[2][1]).toBeCloseTo(0, 6);
    expect(m[0][1]).toBeCloseTo(-4 - 32 + 10, 6);
  });
  it('is against the loudest drum where a mic has none of its own', () => {
    expect(Math.max(...m[3])).toBe(0);
    expect(m[3][1]).toBe(0);
  });
  it('has bands that add up to the same comparison', () => {
    expect(strokeBandInMic(spill[1], 2, 1)).toBeCloseTo(-4 - 3 - 8 - 6, 6);
  });
});

describe('what a mic calls for', () => {
  const v = verdicts(plan, spill);
  const of = (id: string) => v.find((x) => x.micId.includes(id));
  it('follows from how near the loudest other drum comes', () => {
    expect(of('kick')?.call).toBe('cut');
    expect(of('snare')?.call).toBe('stay');
    expect(of('tom')?.call).toBe('debleed');
    expect(of('overhead')?.call).toBe('wanted');
    expect(of('room')?.call).toBe('wanted');
    expect(of('tom')?.loudest[0]).toMatchObject({ drum: 'snare', delayMs: 1.5 });
  });
  it('counts strokes and doubts of the own drum', () => {
    expect(of('snare')).toMatchObject({ strokes: 2, doubtful: 1 });
  });
  it('says that nothing is known where the drum was never found', () => {
    expect(verdicts(plan0, spill.slice(0, 2)).find((x) => x.micId.includes('tom'))).toMatchObject({ call: 'unknown', mapped: false, strokes: 0, reach: null });
    // strokes of which none is sure enough for the map are strokes all the same
    expect(verdicts(plan, spill.slice(0, 2)).find((x) => x.micId.includes('tom'))).toMatchObject({ call: 'debleed', mapped: false, strokes: 1, reach: { tails: 1 } });
  });
  it('is what is done once de-bleed is computed: used wherever it costs the drum nothing', () => {
    const calls = (shares: Record<string, number>) => verdicts(plan, spill, [], shares).map((x) => x.call);
    const [kick, snare, tom] = plan.order;
    expect(calls({ [kick]: 1, [snare]: 1, [tom]: 0 })).toEqual(['debleed', 'stay', 'cut', 'wanted', 'wanted']);
    expect(calls({ [kick]: 0, [snare]: 0, [tom]: 0.5 })).toEqual(['cut', 'stay', 'debleed', 'wanted', 'wanted']);
  });
});

describe('what a gate could do', () => {
  /** 10 dB down every 100 ms: to -32 dB in 320 ms, to -52 in 520. */
  const ring = { decayDb: Array.from({ length: 61 }, (_, s) => -s), spillDb: -24, topDb: -6 };
  const struck = (drums: Record<string, number[]>) => applyEdit(plan0, mergeAnalysis(plan0, Object.fromEntries(Object.entries(drums).map(([d, l]) => [d, l.map((t) => hit(t))]))));

  it('is to be closed where no own stroke rings', () => {
    // of 10 s, three strokes are open for 320 ms and five eighths of the 200 ms that it takes to fall to -52 dB and silence, two of them until the next
    const r = cutReach(struck({ 'tom-1': [1, 1.1, 1.2], kick: [5] }), 'tom-1', ring, ['kick']);
    expect(r?.closed).toBeCloseTo(1 - (0.1 + 0.1 + 0.32 + (0.2 * 60) / 96) / 10, 2);
    expect(r).toMatchObject({ tails: 3, struck: 0, gapsDb: -24 });
  });

  it('is nothing about other strokes in own tails, but for those at once with the stroke and of drums that the mic does not hear', () => {
    const p = struck({ 'tom-1': [1, 3, 5, 5.1], kick: [1.2, 3.005, 3.6, 5.15], snare: [3.2] });
    expect(cutReach(p, 'tom-1', ring, ['kick'])?.struck).toBe(2);
    expect(cutReach(p, 'tom-1', ring, ['kick', 'snare'])?.struck).toBe(3);
    expect(cutReach(p, 'tom-1', ring, [])?.struck).toBe(0);
  });

  it('is not known without strokes, and told without a ring', () => {
    expect(cutReach(plan0, 'tom-1', ring, [])).toBeNull();
    expect(cutReach(struck({ 'tom-1': [9.9] }), 'tom-1', null, [])).toMatchObject({ gapsDb: null, closed: expect.closeTo(0.99, 3) });
    expect(verdicts(struck({ kick: [1] }), [spill[0]], [ring]).map((v) => v.reach?.gapsDb)).toEqual([-24, undefined, undefined, undefined, undefined]);
  });
});
