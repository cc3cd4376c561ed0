import { describe, expect, it } from 'vitest';
import { flagSlices } from '../clean/sliceFlags';
import { marksOver } from '../clean/marks';
import { applyEdit, invertEdit } from './edits';
import { carryOver, outlook, siblings } from './carryOver';
import type { Slice } from '../clean/slices';
import { type Likeness, likeSlices } from './likeSlices';
import { liveTreatment, sliceInput, slicesOf } from './live';
import { type Plan, createPlan } from './plan';
import { SLICE_PARAMS } from '../params/sliceParams';
import { hitHoldMs } from '../params/gateParams';
import { gateTimes, proposePlan } from './propose';
import { isUntouched } from './plan';
import { dropSlices, editSlices, editTail, joinSlices, keepStretch, moveEdges, resetSlices, setFades, splitSlice } from './sliceEdits';

const RATE = 48000;
const files = ['01 Kick In.wav', '03 Snare Top.wav', '06 Tom 1.wav', '08 Overhead L.wav'];
const hit = (frame: number, strength = 0.8, certainty = 0.95) => ({ frame, strength, certainty, state: 'found' as const });
const fresh: Plan = {
  ...createPlan(RATE, files.map((file) => ({ file, channel: 0, channels: 1, frames: 20 * RATE }))),
  hits: { 'tom-1': { a: hit(2 * RATE), b: hit(5 * RATE, 0.3), c: hit(9 * RATE, 0.9) }, snare: { s: hit(2.4 * RATE), t: hit(9 * RATE - 400) }, kick: { k: hit(RATE), l: hit(4 * RATE), m: hit(7 * RATE) } },
};
const tom = fresh.order[2];
const on = applyEdit(fresh, editSlices(fresh, tom, { on: true, tailBy: 'fixed', tailMs: 500, leadMs: 20, bridgeMs: 50 }));
const at = (p: Plan, id: string) => slicesOf(p, tom).find((s) => s.hits.some((h) => h.id === id));

describe('slices like one', () => {
  const like = (id: string, how: Likeness) => likeSlices(on, tom, at(on, id) as Slice, how).map((s) => s.id);
  it('are those as soft or softer, as strong with as many strokes, or with the same other drums in them', () => {
    expect(like('b', 'softer')).toEqual(['b']);
    expect(like('a', 'softer')).toEqual(['a', 'b']);
    // .8 and .9 are 1 dB apart, .3 is 8.5 dB under .8
    expect(like('a', 'alike')).toEqual(['a', 'c']);
    expect(like('b', 'alike')).toEqual(['b']);
    // the snare is struck in the first; the last begins after the one just before it
    expect(like('a', 'drums')).toEqual(['a']);
    expect(like('b', 'drums')).toEqual(['b', 'c']);
  });
});

describe('edits of slices', () => {
  it('pull the same edge of all by the same amount, or to the same distance', () => {
    const list = slicesOf(on, tom).slice(0, 2);
    const by = applyEdit(on, moveEdges(on, tom, list, 'to', { by: 4800 }));
    expect(at(by, 'a')?.to).toBe((at(on, 'a')?.to ?? 0) + 4800);
    expect(at(by, 'b')?.to).toBe((at(on, 'b')?.to ?? 0) + 4800);
    expect(at(by, 'c')?.to).toBe(at(on, 'c')?.to);
    const to = applyEdit(by, moveEdges(by, tom, slicesOf(by, tom), 'from', { to: 960 }));
    for (const s of slicesOf(to, tom)) expect(s.from).toBe(s.hits[0].frame - 960);
  });

  it('are undone by their inverse, outlive settings, and are taken back one by one or all', () => {
    const edit = setFades(on, tom, slicesOf(on, tom).slice(0, 1), { fadeOut: 2400, fadeOutCurve: 'step' });
    const one = applyEdit(on, edit);
    expect(applyEdit(one, invertEdit(edit))).toEqual(on);
    const other = applyEdit(one, editSlices(one, tom, { tailMs: 900, fadeOutMs: 20 }));
    expect(at(other, 'a')).toMatchObject({ fadeOut: 2400, fadeOutCurve: 'step', edited: true });
    expect(at(other, 'b')?.fadeOut).toBe(960);
    const two = applyEdit(other, moveEdges(other, tom, slicesOf(other, tom).slice(1, 2), 'from', { by: -100 }));
    expect(Object.keys(applyEdit(two, resetSlices(two, tom, ['a'])).mics[tom].treatment.sliceEdits)).toEqual(['b']);
    expect(applyEdit(two, resetSlices(two, tom, null)).mics[tom].treatment.sliceEdits).toEqual({});
  });

  it('drop, bring back, cut, join and keep', () => {
    const dropped = applyEdit(on, dropSlices(on, tom, slicesOf(on, tom).slice(0, 1)));
    expect(at(dropped, 'a')).toBeUndefined();
    expect(at(applyEdit(dropped, resetSlices(dropped, tom, ['a'])), 'a')).toEqual(at(on, 'a'));
    const s = slicesOf(on, tom)[0];
    const cut = applyEdit(on, splitSlice(on, tom, s, 2.2 * RATE));
    const parts = slicesOf(cut, tom).slice(0, 2);
    expect([parts[0].to, parts[1].from, parts[1].to]).toEqual([105600, 105600, s.to]);
    const joined = applyEdit(cut, joinSlices(cut, tom, slicesOf(cut, tom).slice(1, 3)));
    expect(slicesOf(joined, tom)).toHaveLength(slicesOf(cut, tom).length - 1);
    const kept = applyEdit(on, keepStretch(on, tom, 12 * RATE, 13 * RATE));
    const stretch = slicesOf(kept, tom).find((x) => x.from <= 12 * RATE && x.to >= 13 * RATE);
    expect(stretch).toBeDefined();
    const gone = applyEdit(kept, dropSlices(kept, tom, [stretch as NonNullable<typeof stretch>]));
    expect(gone.mics[tom].treatment.sliceEdits).toEqual({});
  });
});

describe('what may be wrong', () => {
  it('is told of slices: a foreign stroke in lead or tail, a short tail, a scrap', () => {
    const ringing: Plan = { ...on, mics: { ...on.mics, [tom]: { ...on.mics[tom], ring: { decayDb: Array.from({ length: 200 }, (_, i) => -0.5 * i), spillDb: -60, topDb: -10 } } } };
    const p = applyEdit(applyEdit(ringing, editSlices(ringing, tom, { clearLead: false })), keepStretch(ringing, tom, 12 * RATE, 13 * RATE));
    const flags = flagSlices(sliceInput(p, tom), slicesOf(p, tom), [2.45 * RATE, 9.2 * RATE], new Set(['b']));
    expect(flags.get('a')).toEqual(expect.arrayContaining(['foreign-tail', 'short']));
    expect(flags.get('b')).toContain('doubt');
    expect(flags.get('c')).toContain('foreign-lead');
    expect(flags.get(`kept-${12 * RATE}`)).toContain('scrap');
  });
});

describe('a level', () => {
  it('marks stretches from its opening to its closing threshold', () => {
    const x = new Float32Array(4 * RATE);
    for (const [from, amp] of [[RATE, 0.5], [2.5 * RATE, 0.2]]) for (let i = 0; i < RATE / 2; i++) x[from + i] = amp * Math.exp(-i / 4800) * Math.sin((2 * Math.PI * 100 * i) / RATE + 1.5);
    const [first, ...rest] = marksOver(x, RATE, -10, -26);
    expect(rest).toEqual([]);
    expect(Math.abs(first[0] - RATE)).toBeLessThan(50);
    // 0.5 falls to 0.05 (-26 dBFS) in ln(10) x 100 ms
    expect(Math.abs(first[1] - RATE - 4800 * Math.log(10))).toBeLessThan(300);
    expect(marksOver(x, RATE, -20, -40)).toHaveLength(2);
    expect(marksOver(new Float32Array(100), RATE, -20, -40)).toEqual([]);
  });

  it('cuts with edits that stay at their hit when the marks move', () => {
    const level = applyEdit(on, { label: 'marks', changes: [{ path: ['mics', tom, 'treatment', 'marks'], before: [], after: [[2 * RATE - 10, 2.3 * RATE], [15 * RATE, 15.1 * RATE]] }] });
    const cut = applyEdit(level, editSlices(level, tom, { cutBy: 'level', tailBy: 'fixed', tailMs: 100 }));
    expect(slicesOf(cut, tom).map((s) => s.id)).toEqual(['a', 'at-300']);
    const edited = applyEdit(cut, moveEdges(cut, tom, slicesOf(cut, tom).slice(0, 1), 'to', { to: RATE }));
    const moved = applyEdit(edited, { label: 'marks', changes: [{ path: ['mics', tom, 'treatment', 'marks'], before: edited.mics[tom].treatment.marks as never, after: [[2 * RATE + 5, 2.1 * RATE]] }] });
    expect(slicesOf(moved, tom).map((s) => [s.id, s.to])).toEqual([['a', 3 * RATE]]);
  });

  it('never begins after the attack it belongs to, and tells of attacks that it cuts', () => {
    const at = (marks: [number, number][], settings = {}) => {
      const level = applyEdit(on, { label: 'marks', changes: [{ path: ['mics', tom, 'treatment', 'marks'], before: [], after: marks.map(([a, b]) => [Math.round(a * RATE), Math.round(b * RATE)]) }] });
      const p = applyEdit(level, editSlices(level, tom, { cutBy: 'level', tailBy: 'fixed', tailMs: 30, leadMs: 5, fadeInMs: 4, fadeOutMs: 20, ...settings }));
      return { slices: slicesOf(p, tom), flags: flagSlices(sliceInput(p, tom), slicesOf(p, tom), []) };
    };
    // 20 ms after the stroke at 2 s the level was over the threshold
    const late = at([[2.02, 2.3]]);
    expect(late.slices[0].from + late.slices[0].fadeIn).toBeLessThanOrEqual(2 * RATE - 0.002 * RATE);
    expect(late.flags.get('a') ?? []).not.toContain('shaved');
    // a slice that is made from spill just before, and faded out over the stroke
    const early = at([[1.9, 1.975]], { tailMs: 30 });
    expect(early.slices[0]).toMatchObject({ id: 'at-38' });
    expect(early.slices[0].to).toBeGreaterThan(2 * RATE);
    expect(early.flags.get('at-38')).toEqual(expect.arrayContaining(['scrap', 'shaved']));
    // and one that begins with what follows it
    const after = at([[2.026, 2.3]], { leadMs: 0 });
    expect(after.flags.get(after.slices[0].id)).toEqual(expect.arrayContaining(['scrap', 'shaved']));
    // a stroke whose level comes over the threshold twice begins the first alone
    expect(sliceInput(applyEdit(on, { label: 'marks', changes: [{ path: ['mics', tom, 'treatment', 'marks'], before: [], after: [[2 * RATE, 2.008 * RATE], [2.015 * RATE, 2.3 * RATE]] }, { path: ['mics', tom, 'treatment', 'slices', 'cutBy'], before: 'hits', after: 'level' }] }), tom).own.map((h) => h.id)).toEqual(['a', 'at-40']);
    // slices at hits never do, nor does a stroke that was dropped count
    expect([...flagSlices(sliceInput(on, tom), slicesOf(on, tom), []).values()].flat()).not.toContain('shaved');
  });
});

describe('carrying over', () => {
  const two: Plan = (() => {
    const p = { ...createPlan(RATE, ['06 Tom 1.wav', '07 Tom 2.wav', '03 Snare Top.wav'].map((file) => ({ file, channel: 0, channels: 1, frames: 20 * RATE }))), hits: { ...fresh.hits, 'tom-2': { x: hit(6 * RATE), y: hit(11 * RATE) } } };
    const ring = (topDb: number) => ({ decayDb: Array.from({ length: 90 }, (_, i) => -i), spillDb: -50, topDb });
    return { ...p, mics: { ...p.mics, [p.order[0]]: { ...p.mics[p.order[0]], ring: ring(-8) }, [p.order[1]]: { ...p.mics[p.order[1]], ring: ring(-14) } } };
  })();
  const [a, b] = two.order;

  it('goes to drums of the same kind, with levels that follow their own strokes', () => {
    expect(siblings(two, a)).toEqual([b]);
    const from = applyEdit(applyEdit(two, editSlices(two, a, { on: true, openDb: -20, closeDb: -40, leadMs: 12 })), moveEdges(applyEdit(two, editSlices(two, a, { on: true })), a, slicesOf(applyEdit(two, editSlices(two, a, { on: true })), a).slice(0, 1), 'to', { by: 100 }));
    const looked = outlook(from, a, [b], ['slices', 'tail']);
    expect(looked).toMatchObject([{ micId: b, louderDb: -6, slicesBefore: 0, slicesAfter: 2, differs: true }]);
    const done = applyEdit(from, carryOver(from, a, [b], ['slices', 'tail']));
    expect(done.mics[b].treatment.slices).toMatchObject({ on: true, openDb: -26, closeDb: -46, leadMs: 12 });
    // what was changed at single slices stays with its mic
    expect(done.mics[b].treatment.sliceEdits).toEqual({});
    expect(done.mics[b].treatment.gate).toEqual(two.mics[b].treatment.gate);
  });
});

describe('a plan proposed after de-bleed', () => {
  it('de-bleeds a hat and leaves its open strokes to ring: no gate', () => {
    const two = createPlan(RATE, ['Hat.wav', 'Kick In.wav'].map((file) => ({ file, channel: 0, channels: 1, frames: 20 * RATE })));
    const p = { ...two, hits: { hat: { a: hit(RATE, 1, 1) }, kick: { b: hit(RATE, 1, 1) } } };
    const of = (role: string, kept: ReadonlySet<string>) => Object.values(applyEdit(p, proposePlan(p, isUntouched, kept)).mics).find((m) => m.role === role)?.treatment;
    const all = new Set(two.order);
    expect(of('hat', all)).toMatchObject({ debleed: { on: true }, gate: { on: false }, slices: { on: false } });
    expect(of('kick-in', all)).toMatchObject({ debleed: { on: true }, gate: { on: true } });
    expect(of('hat', new Set())).toMatchObject({ debleed: { on: false }, gate: { on: false } });
  });

  it('de-bleeds the mics it is computed for, and keeps more of soft strokes', () => {
    const kept = new Set(fresh.order);
    const p = applyEdit(fresh, proposePlan(fresh, isUntouched, kept));
    for (const id of fresh.order) {
      const t = p.mics[id].treatment;
      expect(t.debleed.on, id).toBe(true);
      expect(t.debleed.amounts).toEqual({});
      if (t.slices.on) expect(t.slices.ownDb).toBeGreaterThan(SLICE_PARAMS.ownDb.default);
      if (t.gate.on) expect(t.gate, id).toMatchObject({ keyBy: 'hits', keepDoubtful: !p.mics[id].role.startsWith('kick') });
    }
    const plain = applyEdit(fresh, proposePlan(fresh, isUntouched));
    for (const id of fresh.order) expect(plain.mics[id].treatment.gate.keepDoubtful).toBe(false);
  });

  it('opens gates and makes slices for what is in doubt, from .12 on', () => {
    const doubtful = { d: hit(11 * RATE, 0.4, 0.3), e: hit(13 * RATE, 0.4, 0.15), f: hit(15 * RATE, 0.4, 0.1), g: hit(17 * RATE, 0.4, 0.21) };
    const p: Plan = { ...fresh, hits: { ...fresh.hits, 'tom-1': { ...fresh.hits['tom-1'], ...doubtful }, snare: { ...fresh.hits.snare, ...doubtful } } };
    const proposed = applyEdit(p, proposePlan(p, isUntouched, new Set(p.order)));
    const gateHits = liveTreatment(proposed, p.order[1]).hits.map((h) => h.frame / RATE);
    expect(gateHits.filter((t) => t > 10)).toEqual([11, 13, 17]);
    expect(slicesOf(proposed, tom).flatMap((s) => s.hits.map((h) => h.id)).sort()).toEqual(['a', 'b', 'c', 'd', 'e', 'g']);
  });

  it('holds soft strokes for a shorter time once de-bled, by how the drum rings, but not on hats or raw mics', () => {
    // 2 dB in 10 ms: loud strokes are 46 dB down after 230 ms, those 24 dB under them 36 dB down after 180
    const ring = { decayDb: Array.from({ length: 100 }, (_, i) => -2 * i), spillDb: -60, topDb: -6 };
    const t = gateTimes(ring, true, 'snare');
    expect(t.holdMs).toBe(230);
    expect(hitHoldMs(t, 10 ** (-24 / 20))).toBeCloseTo(180, -1);
    expect(hitHoldMs(t, 1)).toBe(230);
    expect(gateTimes(ring, true, 'hat').softShorter).toBe(0);
    expect(gateTimes(ring, false, 'snare').softShorter).toBe(0);
    expect(gateTimes(null, true, 'snare').softShorter).toBe(0);
  });

  it('cuts no sooner than 12 dB under the spill of a mic that hears little', () => {
    const ring = { decayDb: Array.from({ length: 100 }, (_, i) => -2 * i), spillDb: -60, topDb: -6 };
    const times = (rawSpillDb?: number, debled = true) => gateTimes({ ...ring, rawSpillDb }, debled, 'snare');
    expect(times(-30)).toEqual(times());
    expect(times(-50)).toMatchObject({ holdMs: 310, releaseMs: 70 });
    expect(times(-90).holdMs).toBe(360);
    expect(times(-50, false)).toEqual(times(undefined, false));
    const p = (rawSpillDb: number): Plan => ({ ...fresh, mics: { ...fresh.mics, [tom]: { ...fresh.mics[tom], ring: { ...ring, rawSpillDb } } } });
    const ringDb = (rawSpillDb: number) => applyEdit(p(rawSpillDb), proposePlan(p(rawSpillDb), isUntouched, new Set([tom]))).mics[tom].treatment.slices.ringDb;
    expect([-20, -34, -50, -90].map(ringDb)).toEqual([46, 46, 62, 72]);
  });

  it("holds a hat's gate far longer than its ring: open strokes ring longest", () => {
    const ring = { decayDb: Array.from({ length: 100 }, (_, i) => -2 * i), spillDb: -60, topDb: -6 };
    expect(gateTimes(ring, true, 'hat').holdMs).toBeGreaterThanOrEqual(2 * gateTimes(ring, true, 'snare').holdMs);
    expect(gateTimes(ring, true, 'hat').holdMs).toBeGreaterThanOrEqual(600);
    // with a short ring never shorter than 0.6 s
    const short = { ...ring, decayDb: [0, -90] };
    expect(gateTimes(short, true, 'hat').holdMs).toBe(600);
  });
});

describe('a proposed plan', () => {
  it('cuts toms, gates kick and snare by their hits, leaves the rest and what a person treated', () => {
    const p = applyEdit(fresh, proposePlan(fresh, isUntouched));
    const [kick, snare, , overhead] = p.order;
    expect(p.mics[tom].treatment.slices.on).toBe(true);
    for (const id of [kick, snare]) expect(p.mics[id].treatment.gate).toMatchObject({ on: true, keyBy: 'hits' });
    expect(isUntouched(p.mics[overhead].treatment)).toBe(true);
    expect(proposePlan(p, isUntouched).changes).toEqual([]);
    const mine = applyEdit(fresh, editTail(fresh, tom, { on: true }));
    expect(proposePlan(mine, isUntouched).changes.some((c) => c.path[1] === tom)).toBe(false);
  });

  it('gives the same live treatment for the same plan, and another when hits change', () => {
    const live = liveTreatment(on, tom);
    expect(liveTreatment({ ...on }, tom)).toBe(live);
    const more = { ...on, hits: { ...on.hits, 'tom-1': { ...on.hits['tom-1'], d: hit(15 * RATE) } } };
    expect(liveTreatment(more, tom).slices?.list).toHaveLength(4);
  });
});
