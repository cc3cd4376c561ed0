/**
 * Hits found on made recordings that training never saw: other seeds, rooms, kits and parts. Synthesised drums always; real one-shot sounds where
 * Debian's hydrogen-drumkits (open data set; kits ColomboAcousticDrumkit, GNU GPL 2 or later, and Millo_MultiLayered3) is installed.
 */
import { beforeAll, describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../../src/core/dsp/rng';
import { type Analysis, analyse } from '../../src/core/hits/analyse';
import { type Detection, THRESHOLD, detectHits } from '../../src/core/hits/detectHits';
import { NETWORKS } from '../../src/core/hits/weights';
import { scoreHits } from '../../src/core/measure/scoreHits';
import { planOf } from '../../src/demo/byNumber';
import { withCymbalMics } from '../../src/demo/cymbalMics';
import type { Point } from '../../src/demo/geometry';
import { type MadeRecording, type Voice, makeRecording } from '../../src/demo/makeRecording';
import { randomRecording } from '../../src/demo/randomKit';
import { threeOf } from '../../src/demo/randomPart';
import { haveRealSounds, realVoice } from '../../src/demo/realSounds';
import { lendingFrom } from '../../src/core/lend';

const micsOf = (r: MadeRecording) => r.mics.map((m) => ({ own: m.own, overhead: m.role.startsWith('overhead') }));
const detect = (r: MadeRecording, audio: readonly Float32Array[] = r.audio) => detectHits(r.rate, micsOf(r), lendingFrom((i) => audio[i]), NETWORKS);
const found = (d: Pick<Detection, 'drums'>) => Object.fromEntries(Object.entries(d.drums).map(([k, l]) => [k, l.filter((h) => h.certainty >= THRESHOLD)]));
function truthOf(r: MadeRecording) {
  return Object.fromEntries(
    Object.entries(r.hits).map(([d, list]) => {
      const own = r.mics.findIndex((m) => m.own === d);
      return [d, list.map((h) => ({ time: h.time + (own >= 0 ? r.offsets[own] : r.overheadOffsets[d]), strength: h.strength }))];
    }),
  );
}

describe('a kit with mics at ride and crash', () => {
  it('has their strokes found, as hard as they are, and all other drums as without those mics', async () => {
    const plan = randomRecording({ seed: 903, seconds: 24, spill: 'normal', toms: 2, truth: false });
    const r = makeRecording(withCymbalMics(plan, 903));
    const d = await detect(r);
    const { drums } = scoreHits(truthOf(r), found(d));
    expect(drums.ride.hits).toBeGreaterThan(10);
    expect(drums.crash.hits).toBeGreaterThan(4);
    for (const cymbal of ['ride', 'crash']) {
      expect(drums[cymbal].f, cymbal).toBeGreaterThan(0.85);
      expect(drums[cymbal].absErrorMs, cymbal).toBeLessThan(1);
    }
    const truth = truthOf(r).ride;
    const pairs = found(d).ride.flatMap((h) => truth.flatMap((t) => (Math.abs(t.time - h.time) < 0.01 ? [[t.strength, h.strength] as const] : [])));
    const mean = (k: 0 | 1, of: typeof pairs) => of.reduce((sum, p) => sum + p[k] / of.length, 0);
    const by = [...pairs].sort((a, b) => a[0] - b[0]);
    const third = Math.floor(by.length / 3);
    expect(mean(1, by.slice(-third))).toBeGreaterThan(1.2 * mean(1, by.slice(0, third)));
    const close = r.mics.flatMap((m, i) => (m.own === 'ride' || m.own === 'crash' ? [] : [i]));
    const without = await detect({ ...r, mics: close.map((i) => r.mics[i]) }, close.map((i) => r.audio[i]));
    for (const other of ['kick', 'snare', 'hat', 'tom-1', 'tom-2']) expect(d.drums[other], other).toEqual(without.drums[other]);
  }, 240_000);
});

describe('a kit of synthesised drums that was never seen', () => {
  let r: MadeRecording;
  let d: Detection;
  beforeAll(async () => {
    r = makeRecording(randomRecording({ seed: 901, seconds: 24, spill: 'normal', toms: 2 }));
    d = await detect(r);
  }, 120_000);

  it('has its strokes found, in time', () => {
    const { drums } = scoreHits(truthOf(r), found(d));
    // 24 s are little to learn from; the table in docs/hits.md is made on 50 s
    expect(drums.kick.f).toBeGreaterThan(0.9);
    expect(drums.snare.f).toBeGreaterThan(0.85);
    expect(drums.hat.f).toBeGreaterThan(0.8);
    for (const tom of ['tom-1', 'tom-2']) expect(drums[tom].f, tom).toBeGreaterThan(0.75);
    for (const [name, s] of Object.entries(drums)) if (s.absErrorMs !== null && name !== 'crash' && name !== 'ride') expect(s.absErrorMs, name).toBeLessThan(0.5);
  });

  it('has crashes and rides told apart better by fine bands of the overheads than without', async () => {
    const without = await detectHits(r.rate, micsOf(r), lendingFrom((i) => r.audio[i]), { ...NETWORKS, third: {} });
    const cymbals = (x: Detection) => {
      const only = (v: Record<string, readonly { time: number; strength: number }[]>) => ({ crash: v.crash ?? [], ride: v.ride ?? [] });
      return scoreHits(only(truthOf(r)), only(found(x))).all.f;
    };
    expect(cymbals(d)).toBeGreaterThan(cymbals(without));
    expect(cymbals(d)).toBeGreaterThan(0.7);
    // of drums with close mics nothing changes
    expect(d.drums.snare).toEqual(without.drums.snare);
  }, 120_000);

  it('does not mind gains, an inverted mic, or where the song begins', async () => {
    const gains = r.mics.map((_, i) => (i % 3 === 0 ? 0.25 : i % 3 === 1 ? -1 : 3));
    const other = await detect(r, r.audio.map((x, i) => x.map((v) => v * gains[i])));
    const score = scoreHits(found(d), found(other)).all;
    expect(score.f).toBeGreaterThan(0.95);
    const later = await detect(r, r.audio.map((x) => {
      const y = new Float32Array(x.length + 4800);
      y.set(x, 4800);
      return y;
    }));
    const back = Object.fromEntries(Object.entries(found(later)).map(([k, l]) => [k, l.map((h) => ({ ...h, time: h.time - 0.1 }))]));
    expect(scoreHits(found(d), back).all.f).toBeGreaterThan(0.95);
  }, 120_000);

  it('loses little with a room mic silent', async () => {
    const i = r.mics.findIndex((m) => m.role.startsWith('room'));
    const other = await detect(r, r.audio.map((x, k) => (k === i ? new Float32Array(x.length) : x)));
    expect(scoreHits(found(d), found(other)).all.f).toBeGreaterThan(0.9);
  }, 120_000);

  const analysed = (audio: readonly Float32Array[]) => analyse(r.rate, r.mics.map((m) => m.role), r.mics.map((m) => m.name), lendingFrom((i) => audio[i]));
  const counted = (a: Analysis) => Object.fromEntries(Object.entries(a.drums).map(([k, l]) => [k, l.filter((h) => h.certainty >= THRESHOLD)]));

  it('has the others found when a close mic is silent or all noise, which is told', async () => {
    const hat = r.mics.findIndex((m) => m.own === 'hat');
    const gauss = createGaussian(createRng(3));
    for (const [dead, says] of [[() => 0, 'is silent'], [() => 2.5e-4 * gauss(), 'is it noise?']] as const) {
      const a = await analysed(r.audio.map((x, i) => (i === hat ? x.map(dead) : x)));
      expect(a.drums.hat).toEqual([]);
      expect(a.notes.join(' ')).toContain(says);
      const { kick, snare, 'tom-2': tom } = scoreHits(found(d), counted(a)).drums;
      for (const s of [kick, snare, tom]) expect(s.f).toBeGreaterThan(0.9);
    }
  }, 240_000);

  it('has the strokes of close mics found that come late and upside down, where their drum has no earlier mic, and says so', async () => {
    const by = Math.round(0.025 * r.rate);
    for (const drum of ['snare', 'tom-1']) {
      const own = r.mics.findIndex((m) => m.own === drum);
      const alone = r.mics.filter((m) => m.own === drum).length === 1;
      const a = await analysed(r.audio.map((x, i) => (i === own ? x.map((_, k) => -(x[k - by] ?? 0)) : x)));
      expect(a.notes.join(' ')).toMatch(/2[0-9] ms late/);
      const there = Object.fromEntries(Object.entries(found(d)).map(([k, l]) => [k, k === drum && alone ? l.map((h) => ({ ...h, time: h.time + 0.025 })) : l]));
      const { drums } = scoreHits(there, counted(a));
      expect(drums[drum].f).toBeGreaterThan(0.9);
      expect(drums.kick.f).toBeGreaterThan(0.95);
      // the map tells what is there
      expect(a.spill.find((s) => s.drum === 'kick')?.mics[own].delayMs).toBeGreaterThan(20);
    }
  }, 240_000);

  it('finds nothing in silence, and does not fail on one mic', async () => {
    const n = r.audio[0].length;
    const silent = await detect(r, r.audio.map(() => new Float32Array(n)));
    expect(Object.values(silent.drums).flat()).toEqual([]);
    const tom = r.mics.findIndex((m) => m.own === 'tom-1');
    const lone = await detectHits(r.rate, [{ own: 'tom-1', overhead: false }], lendingFrom(() => r.audio[tom]), NETWORKS);
    expect(Object.keys(lone.drums)).toEqual(['tom-1']);
  }, 120_000);
});

it('keeps a hat whose strokes a snare drowns in its own mic, and finds no ride where nobody strikes one', async () => {
  const plan = randomRecording({ seed: 977, seconds: 40, spill: 'hard', toms: 2, truth: false });
  const r = makeRecording({ ...plan, strokes: plan.strokes.filter((s) => s.drum !== 'ride') });
  const a = await analyse(r.rate, r.mics.map((m) => m.role), r.mics.map((m) => m.name), lendingFrom((i) => r.audio[i]));
  const hits = found(a);
  expect(scoreHits(truthOf(r), hits).drums.hat.f).toBeGreaterThan(0.85);
  expect(hits.ride.length).toBeLessThanOrEqual(1);
}, 240_000);

it('takes no loud ride for a crash that nobody strikes, as both overheads hear it where the ride hangs', async () => {
  const r = makeRecording(planOf('106-crash=0', false));
  const hits = found(await detect(r));
  expect(hits.crash.length).toBeLessThanOrEqual(1);
  expect(scoreHits(truthOf(r), hits).drums.ride.f).toBeGreaterThan(0.9);
}, 240_000);

it('finds no crash where nobody strikes one, though some snares are like one', async () => {
  const plan = randomRecording({ seed: 1042, seconds: 40, spill: 'normal', toms: 3, truth: false });
  const r = makeRecording({ ...plan, strokes: plan.strokes.filter((s) => s.drum !== 'crash') });
  const hits = found(await detect(r));
  expect(hits.crash.length).toBeLessThanOrEqual(1);
  expect(scoreHits(truthOf(r), hits).drums.ride.f).toBeGreaterThan(0.9);
}, 240_000);

it('learns a snare that is struck three times from what its mic hears first, not from what is loudest there', async () => {
  const plan = randomRecording({ seed: 102, seconds: 40, spill: 'normal', toms: 2, truth: false });
  const r = makeRecording({ ...plan, strokes: threeOf(plan.strokes, 'snare') });
  const { snare } = scoreHits(truthOf(r), found(await detect(r))).drums;
  expect(snare.recall).toBe(1);
  expect(snare.found).toBeLessThanOrEqual(8);
}, 240_000);

describe.skipIf(!haveRealSounds())('kits of real one-shot sounds', () => {
  it.each([
    // no closer to its mic than its neighbour is, nor louder; the third, 23 dB under the loudest, is heard closely only
    { drum: 'tom-1', seed: 1025, kit: 'millo', spill: 'hard', toms: 3, least: 2 },
    // two of them ten decibels softer, all far louder than what else its mic hears
    { drum: 'hat', seed: 1024, kit: 'colombo', spill: 'normal', toms: 3, least: 3 },
  ] as const)('finds strokes of $drum where there are three', async ({ drum, seed, kit, spill, toms, least }) => {
    const plan = randomRecording({ seed, seconds: 40, spill, toms, voice: realVoice(kit, seed, toms), truth: false });
    const r = makeRecording({ ...plan, strokes: threeOf(plan.strokes, drum) });
    const score = scoreHits(truthOf(r), found(await detect(r))).drums[drum];
    expect(score.found).toBeLessThanOrEqual(3);
    expect(score.recall * 3).toBeGreaterThanOrEqual(least);
  }, 240_000);

  it.each([['millo', 911], ['colombo', 912]] as const)('of the %s set: strokes are found, a tom that nobody strikes has at most one hit', async (kit, seed) => {
    const plan = randomRecording({ seed, seconds: 28, spill: 'normal', toms: 3, voice: realVoice(kit, seed, 3) });
    const r = makeRecording({ ...plan, strokes: plan.strokes.filter((s) => s.drum !== 'tom-2') });
    const hits = found(await detect(r));
    const { drums } = scoreHits(truthOf(r), hits);
    expect(drums.kick.f).toBeGreaterThan(0.9);
    expect(drums.snare.f).toBeGreaterThan(0.88);
    expect(drums.hat.f).toBeGreaterThan(0.85);
    for (const tom of ['tom-1', 'tom-3']) expect(drums[tom].f, tom).toBeGreaterThan(0.8);
    expect((hits['tom-2'] ?? []).length).toBeLessThanOrEqual(1);
  }, 240_000);

  it('has side sticks found that a hat is struck with, as loud as no hat ever was in the snare\'s mic', async () => {
    const r = makeRecording(planOf('106-articulated', false));
    const { snare } = scoreHits(truthOf(r), found(await detect(r))).drums;
    // 39 of them by their patterns alone
    expect(snare.hits).toBeGreaterThanOrEqual(42);
    expect(snare.precision).toBeGreaterThan(0.95);
  }, 240_000);

  it('has no hit on a hat that nobody strikes, though its mic hears a ride that no mic is close to', async () => {
    const plan = randomRecording({ seed: 928, seconds: 28, spill: 'normal', toms: 2, voice: realVoice('millo', 928, 2) });
    const r = makeRecording({ ...plan, strokes: plan.strokes.filter((s) => s.drum !== 'hat') });
    const roles = r.mics.map((m) => m.role);
    const taken = found(await detect(r));
    const a = await analyse(r.rate, roles, r.mics.map((m) => m.name), lendingFrom((i) => r.audio[i]));
    // what one mic after the other cannot tell, their times can
    expect(taken.hat.length).toBeGreaterThan(10);
    expect(a.drums.hat).toEqual([]);
    expect(a.notes.join(' ')).toContain('No strokes found on hat');
    const { ride } = scoreHits(truthOf(r), Object.fromEntries(Object.entries(a.drums).map(([k, l]) => [k, l.filter((h) => h.certainty >= THRESHOLD)]))).drums;
    expect(ride.f).toBeGreaterThan(0.8);
  }, 240_000);

  // 105 is one of the recordings that the hat's rule was chosen by; no network learnt from 101
  it.each([
    { name: '105-hat=3', most: 5, by: 'from what comes to the overheads at one distance' },
    { name: '101-ride=3', most: 4, by: 'by what nothing else explains' },
  ] as const)('finds a drum that is struck three times ($name: $most hits at most) $by', async ({ name, most }) => {
    const drum = /-(\w+)=/.exec(name)?.[1] ?? '';
    const r = makeRecording(planOf(name, false));
    const hits = found(await detect(r));
    const score = scoreHits(truthOf(r), hits).drums[drum];
    expect(score).toMatchObject({ hits: 3, recall: 1 });
    expect(score.found).toBeLessThanOrEqual(most);
    // a ride that is struck so seldom has no pattern to tell how hard; all were .001 strong
    expect(Math.max(...hits[drum].map((h) => h.strength))).toBeGreaterThan(0.5);
  }, 240_000);

  it.each([
    // each explains the other: none of 20 and one of 26 were found; listening closely finds most of the others
    { name: '3005', toms: ['tom-1', 'tom-2'], recall: 0.5 },
    // the second explains the first: 15 of 43 were found
    { name: '3145', toms: ['tom-1'], recall: 0.8 },
  ] as const)('tells toms apart that explain each other\'s strokes ($name), by who hears them first', async ({ name, toms, recall }) => {
    const r = makeRecording(planOf(name, false));
    const { drums } = scoreHits(truthOf(r), found(await detect(r)));
    for (const tom of toms) {
      expect(drums[tom].recall, tom).toBeGreaterThan(recall);
      expect(drums[tom].precision, tom).toBeGreaterThan(0.85);
    }
  }, 240_000);

  it('takes sticks that count in for no cymbal', async () => {
    const plan = randomRecording({ seed: 1198, seconds: 24, spill: 'normal', toms: 3, voice: realVoice('millo', 1198, 3), truth: false });
    const clicks = [0.5, 1, 1.5, 2].map((time) => ({ drum: 'sticks', time, strength: 0.8 }));
    const later = plan.strokes.filter((s) => s.drum !== 'ride' && s.time < 21).map((s) => ({ ...s, time: s.time + 2.2 }));
    const voice: Voice = (stroke, points, rate, seed) => {
      if (stroke.drum !== 'sticks') return plan.voice?.(stroke, points, rate, seed) ?? [];
      const noise = createGaussian(createRng(seed));
      const x = Float32Array.from({ length: 0.08 * rate }, (_, i) => Math.sin((2 * Math.PI * 2300 * i) / rate) * Math.exp(-i / (0.006 * rate)) + 0.6 * Math.sin((2 * Math.PI * 3900 * i) / rate) * Math.exp(-i / (0.004 * rate)) + 0.5 * noise() * Math.exp(-i / (0.0015 * rate)));
      return Array.from({ length: points }, () => x);
    };
    const sticks = { id: 'sticks', label: 'Sticks', points: [[3, 2.6, 1.25]] as Point[], size: 0.03, levelDb: -8, scatter: 0.03 };
    const r = makeRecording({ ...plan, strokes: [...clicks, ...later], drums: [...plan.drums, sticks], voice });
    const { crash, ride } = found(await detect(r));
    expect([...crash, ...ride].filter((h) => h.time < 2.2)).toEqual([]);
    expect(ride).toEqual([]);
  }, 240_000);
});
