import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { createEar } from '../hits/ears';
import { FAR_FEATURES, FEATURES, LIKENESS, MEAN_CERTAINTY, SAID, type Weighing, candidatesOf, certaintiesAgain, farFeatures, movedBack, sureOf, witness } from './judgeAgain';
import { MAY_BE } from '../plan/live';
import { DEFAULT_THRESHOLD, isDoubtful } from '../plan/planHits';
import type { Hand } from './crew';
import { besideNoTom, fromFaintest, fromRest, judged, withUnheard } from './hearAgain';
import learnt from './judge.json';

const RATE = 48000;
const ear = createEar();
const hit = (time: number, certainty: number, strength = 0.5) => ({ time, strength, certainty });

describe('hits found twice', () => {
  it('are one candidate with the certainties of both', () => {
    const list = candidatesOf([hit(1, 0.9), hit(2, 0.6), hit(3, 0.3)], [hit(1.002, 0.7), hit(2.99, 0.9), hit(4, 0.9)]);
    expect(list.map((c) => [c.hit.time, c.first, c.again])).toEqual([[1, 0.9, 0.7], [2, 0.6, 0], [3, 0.3, 0.9], [4, 0, 0.9]]);
    expect(list.map(sureOf)).toEqual([true, false, false, false]);
  });

  it('begin where the second says when it tells them later: the first took another drum for them; never what a person said', () => {
    const list = candidatesOf([hit(1, 0.9, 0.3), hit(2, 1), hit(3, 0.9)], [hit(1.01, 0.6, 0.8), hit(2.01, 0.9), hit(2.99, 0.9)]);
    expect(list.map((c) => [c.hit.time, c.hit.strength])).toEqual([[1.01, 0.3], [2, 0.5], [3, 0.5]]);
  });

  it('keeps two strokes that were one hit before apart', () => {
    expect(candidatesOf([hit(1, 0.8)], [hit(1.004, 0.8), hit(1.015, 0.8)])).toHaveLength(2);
    // a doubtful one just before does not take what the second tells of the one after
    expect(candidatesOf([hit(1, 0.2), hit(1.015, 0.9)], [hit(1.0155, 0.95)]).map((c) => [c.hit.time, c.first, c.again])).toEqual([[1, 0.2, 0], [1.015, 0.9, 0.95]]);
  });
});

describe('moving strokes back to where they begin in the de-bled mic', () => {
  const list = candidatesOf([hit(1, 0.9), hit(2, 1), hit(3, 0.9), hit(4, 0.2), hit(5, 0.9), hit(5.012, 0.8)], [hit(1, 0.9)]);
  const by = (ms: number) => movedBack(list, (times) => times.map((t) => t - ms / 1000));
  const times = (l: readonly { hit: { time: number } }[]) => l.map((c) => Number(c.hit.time.toFixed(4)));

  it('leaves what a person set, what may be none, and what would fall onto the stroke before', async () => {
    expect(times(await by(6))).toEqual([0.994, 2, 2.994, 4, 4.994, 5.006]);
    const nearer = await movedBack(list, (at) => at.map((t) => (t > 5.01 ? t - 0.006 : t)));
    expect(times(nearer)).toEqual([1, 2, 3, 4, 5, 5.012]);
  });

  it('moves none later', async () => {
    expect(times(await by(-3))).toEqual(times(list));
  });

  it('finds the attack of a stroke that was told late, as the others begin', async () => {
    const rate = 48000;
    const gauss = createGaussian(createRng(5));
    const x = new Float32Array(12 * rate);
    const strokes = Array.from({ length: 20 }, (_, i) => 0.5 + 0.55 * i);
    for (const t of strokes) for (let i = 0; i < rate / 4; i++) x[Math.round(t * rate) + i] += 0.5 * gauss() * Math.exp(-i / (0.06 * rate));
    for (let i = 0; i < x.length; i++) x[i] += 1e-4 * gauss();
    const told = strokes.map((t, i) => hit(i === 7 ? t + 0.0065 : t, 0.9));
    const moved = await movedBack(candidatesOf(told, told), (at, strengths, earlierS) => ear.align(x, rate, at, strengths, 'snare', earlierS) as number[]);
    expect(moved[7].hit.time - strokes[7]).toBeLessThan(0.0015);
    expect(moved[7].hit.time - strokes[7]).toBeGreaterThan(-0.002);
    moved.forEach((c, i) => {
      if (i !== 7) expect(Math.abs(c.hit.time - strokes[i])).toBeLessThan(0.0015);
    });
  });
});

describe('judging strokes again', () => {
  /** Own strokes of a low drum at STROKES, another drum's noise at 3.3 and 5.3 s, which de-bleed has nearly taken out. */
  const STROKES = [1, 2, 3, 4, 5, 6];
  const FOREIGN = [3.3, 5.3];
  const n = 8 * RATE;
  const own = new Float32Array(n);
  const spill = new Float32Array(n);
  const gauss = createGaussian(createRng(3));
  for (const t of STROKES) for (let i = 0; i < RATE / 2; i++) own[t * RATE + i] += 0.5 * Math.sin((2 * Math.PI * 110 * i) / RATE) * Math.exp(-i / (0.1 * RATE));
  for (const t of FOREIGN) for (let i = 0; i < RATE / 4; i++) spill[Math.round(t * RATE) + i] += 0.2 * gauss() * Math.exp(-i / (0.05 * RATE));
  for (let i = 0; i < n; i++) own[i] += 1e-4 * gauss();
  const raw = own.map((v, i) => v + spill[i]);
  const kept = own.map((v, i) => v + 0.03 * spill[i]);
  // a soft stroke that the first finding missed, and spill that it took for a stroke
  const first = [...STROKES.filter((t) => t !== 4).map((t) => hit(t, 0.95)), hit(3.3, 0.5), hit(5.3, 0.2)].sort((a, b) => a.time - b.time);
  const again = [...STROKES.map((t) => hit(t, t === 4 ? 0.4 : 0.95))];
  const list = candidatesOf(first, again);
  const features = witness([raw], [kept], RATE, 'tom', list, FOREIGN, ear);
  const rowOf = (time: number) => features.subarray(FEATURES * list.findIndex((c) => c.hit.time === time), FEATURES * (list.findIndex((c) => c.hit.time === time) + 1));

  it('hears what stayed in the de-bled mic and what went', () => {
    const [kOwn, kSpill] = [rowOf(4), rowOf(3.3)];
    // what is kept of the raw mic, against the drum's sure strokes: all of an own stroke, little of spill
    expect(kOwn[2]).toBeCloseTo(0, 0);
    expect(kSpill[2]).toBeLessThan(-3);
    // and how it rises
    expect(kOwn[MEAN_CERTAINTY + 1]).toBeGreaterThan(20);
    expect(kSpill[MEAN_CERTAINTY + 1]).toBeLessThan(kSpill[MEAN_CERTAINTY + 3]);
  });

  it('hears whether a stroke adds what the sure ones add', () => {
    expect(rowOf(4)[LIKENESS]).toBeGreaterThan(0.99);
    expect(rowOf(3.3)[LIKENESS]).toBeLessThan(0.9);
  });

  it('does not depend on the level of the mic', () => {
    const louder = witness([raw.map((v) => 4 * v)], [kept.map((v) => 4 * v)], RATE, 'tom', list, FOREIGN, ear);
    louder.forEach((v, i) => {
      expect(v).toBeCloseTo(features[i], 2);
    });
  });

  it('believes a stroke that stayed and doubts one that went, as learnt', () => {
    const c = certaintiesAgain(learnt.near, 'tom', features) ?? [];
    const of = (time: number) => c[list.findIndex((x) => x.hit.time === time)];
    expect(of(4)).toBeGreaterThan(0.5);
    expect(of(3.3)).toBeLessThan(0.2);
    expect(of(5.3)).toBeLessThan(0.1);
    for (const t of STROKES.filter((s) => s !== 4)) expect(of(t), `${t} s`).toBeGreaterThan(0.95);
  });

  it('believes both findings alike where nothing else is learnt', () => {
    const weights = Array.from({ length: FEATURES + 1 }, (_, k) => (k === MEAN_CERTAINTY ? 1 : 0));
    const plain: Weighing = { mean: Array(FEATURES).fill(0), scale: Array(FEATURES).fill(1), weights: { hat: weights } };
    expect(certaintiesAgain(plain, 'hat', features)).toEqual(list.map((c) => expect.closeTo((c.first + c.again) / 2, 4)));
    expect(certaintiesAgain(plain, 'bell', features)).toBeNull();
  });

  it('hears several mics as one: halves of a mic as the mic', () => {
    const half = (x: Float32Array) => x.map((v) => v * Math.SQRT1_2);
    witness([half(raw), half(raw)], [half(kept), half(kept)], RATE, 'tom', list, FOREIGN, ear).forEach((v, i) => {
      expect(v).toBeCloseTo(features[i], 2);
    });
  });

  it('hears of a cymbal how sure another one is at the time', () => {
    const far = farFeatures(features, list, [{ hit: hit(1.004, 0.9), first: 0.9, again: 0.9 }]);
    expect(far).toHaveLength(list.length * FAR_FEATURES);
    const beside = (i: number) => far[(i + 1) * FAR_FEATURES - 1];
    expect(beside(list.findIndex((c) => c.hit.time === 1))).toBeCloseTo(Math.log(9), 4);
    expect(beside(list.findIndex((c) => c.hit.time === 4))).toBeLessThan(-3);
    expect(Array.from(far.subarray(0, FAR_FEATURES - 1))).toEqual(Array.from(features.subarray(0, FAR_FEATURES - 1)));
    // by what is learnt another one there never speaks for it
    for (const w of Object.values(learnt.far.weights)) expect(w[FAR_FEATURES - 1]).toBeLessThanOrEqual(0);
  });

  it('leaves what a person said, and drops what hardly can be a stroke', () => {
    const said = candidatesOf([hit(1, 1), hit(2, 0.15), hit(3, 0.9)], [hit(3, 0.8)]);
    expect(judged({ drum: 'tom-1', list: said, features: null }, learnt).map((h) => [h.time, h.certainty])).toEqual([[1, 1], [3, expect.closeTo(0.85, 6)]]);
  });

  it('leaves listed what the first finding counted of snare and hat, whatever speaks against it, but not to be asked about, and opens no gate for it', () => {
    // as far from every feature's mean as speaks against a stroke
    const against = (w: Weighing, name: string) => Float32Array.from(w.mean, (m, k) => m - 4 * Math.sign(w.weights[name][k]) * w.scale[k]);
    const nothing = (drum: string) => (drum === 'crash' ? against(learnt.far, 'crash') : against(learnt.near, drum === 'snare' ? 'snare' : 'tom'));
    const certainties = (drum: string, first: number) => judged({ drum, list: candidatesOf([hit(1, first)], []), features: nothing(drum) }, learnt).map((h) => h.certainty);
    expect(certainties('snare', 0.95)).toEqual([0.1]);
    expect(certainties('snare', 0.95)[0]).toBeLessThan(MAY_BE.cut);
    expect(isDoubtful({ state: 'found', certainty: certainties('snare', 0.95)[0] }, DEFAULT_THRESHOLD)).toBe(false);
    expect(certainties('snare', 0.35)).toEqual([]);
    expect(certainties('tom-1', 0.95)).toEqual([]);
  });

  it('gives the first finding two votes of three of a cymbal that no close mic owns', () => {
    const w = learnt.far.weights.crash;
    const speaks = (by: number) => Float32Array.from(learnt.far.mean, (m, k) => m + by * Math.sign(w[k]) * learnt.far.scale[k]);
    const certainty = (first: number, by: number) => judged({ drum: 'crash', list: candidatesOf([hit(1, first)], [hit(1, first)]), features: speaks(by) }, learnt)[0]?.certainty ?? 0;
    const logit = (c: number) => Math.log(c / (1 - c));
    // whatever speaks against it, what the first is very sure of stays in doubt, and what it is not goes
    expect(logit(certainty(0.95, -4))).toBeCloseTo((2 / 3) * logit(0.95) - 6 / 3, 5);
    expect(certainty(0.6, -4)).toBeLessThan(0.2);
    // what the first hardly heard counts where all speaks for it, not where the judgement alone would count it
    expect(logit(certainty(0.12, 4))).toBeCloseTo((2 / 3) * logit(0.12) + 6 / 3, 5);
    expect(w[w.length - 1]).toBeGreaterThan(1);
    expect(logit(certainty(0.12, 0))).toBeCloseTo((2 / 3) * logit(0.12) + w[w.length - 1] / 3, 5);
    expect(certainty(0.12, 0)).toBeLessThan(DEFAULT_THRESHOLD);
  });

  it('believes little of what one finding alone heard of a drum that may not be played', () => {
    const certainties = (drum: string, first: number, again: number, sure: boolean) =>
      judged({ drum, list: candidatesOf([...(first ? [hit(1, first)] : []), ...(sure ? [hit(2, 0.9)] : [])], [...(again ? [hit(1, again)] : []), ...(sure ? [hit(2, 0.9)] : [])]), features: null }, learnt).filter((h) => h.time === 1).map((h) => h.certainty);
    expect(certainties('hat', 0, 0.9, false)).toEqual([expect.closeTo(0.18, 6)]);
    expect(certainties('hat', 0, 0.9, true)).toEqual([expect.closeTo(0.45, 6)]);
    // a tom that is struck twice may be hidden from the second
    expect(certainties('tom-1', 1, 0, false)).toEqual([1]);
    expect(certainties('tom-1', 0.98, 0, false)).toEqual([expect.closeTo(0.49, 6)]);
    expect(certainties('crash', 0.98, 0, false)).toEqual([expect.closeTo(0.196, 6)]);
  });

  it('believes half of it where each finding is certain of a stroke the other did not hear', () => {
    const certainties = (first: number, again: number) => judged({ drum: 'ride', list: candidatesOf([hit(4, first)], [hit(15, again), hit(32, 0.97)]), features: null }, learnt).map((h) => h.certainty);
    expect(certainties(0.96, 0.95)).toEqual([0.48, 0.475, 0.485].map((c) => expect.closeTo(c, 6)));
    // the first is not certain
    expect(certainties(0.85, 0.95)).toEqual([0.17, 0.19, 0.194].map((c) => expect.closeTo(c, 6)));
  });

  it('believes little of what the second finding alone heard of a cymbal where that is more than a few and a third of what the first counted', () => {
    // a column that says nothing but that it is a stroke
    const w = learnt.far.weights.ride;
    const row = Float32Array.from(learnt.far.mean, (m, k) => m + 2 * Math.sign(w[k]) * learnt.far.scale[k]);
    const found = (known: number, anew: number) => {
      const first = Array.from({ length: known }, (_, i) => hit(1 + i, 0.9));
      const list = candidatesOf(first, [...first, ...Array.from({ length: anew }, (_, i) => hit(20 + i, 0.95))]);
      return judged({ drum: 'ride', list, features: Float32Array.from(list.flatMap(() => [...row])) }, learnt);
    };
    const counted = (hits: readonly { certainty: number }[]) => hits.filter((h) => h.certainty >= 0.4).length;
    expect(counted(found(1, 2))).toBe(3);
    expect(counted(found(4, 3))).toBe(4);
    expect(counted(found(12, 4))).toBe(16);
    expect(counted(found(12, 5))).toBe(12);
    // they stay to be looked at
    expect(found(12, 5)).toHaveLength(17);
  });

  it('takes a doubtful stroke far under a certain one that follows at once for the beginning of that; grace notes are not that soft', () => {
    const times = (certainty: number, strength: number, at: number, next = 0.95, drum = 'tom-1') => {
      const list = [hit(at, certainty, strength), hit(1, next, 0.8)];
      return [judged({ drum, list: candidatesOf(list, list), features: null }, learnt), withUnheard([hit(1, next, 0.8)], [{ time: at, strength }])].map((hits) => hits.map((h) => h.time));
    };
    expect(times(0.4, 0.03, 0.945)).toEqual([[1], [1]]);
    expect(times(0.4, 0.16, 0.945)).toEqual([[0.945, 1], [0.945, 1]]);
    expect(times(0.4, 0.03, 0.92)).toEqual([[0.92, 1], [0.92, 1]]);
    expect(times(0.4, 0.03, 0.945, 0.6)).toEqual([[0.945, 1], [0.945, 1]]);
    expect(times(0.6, 0.03, 0.945, 0.95, 'snare')[0]).toEqual([0.945, 1]);
    // toms are not struck so, unless it is all but sure
    expect(times(0.6, 0.03, 0.945)[0]).toEqual([1]);
    expect(times(0.97, 0.03, 0.945)[0]).toEqual([0.945, 1]);
    expect(times(0.6, 0.06, 0.945)[0]).toEqual([1]);
    expect(times(0.6, 0.07, 0.945)[0]).toEqual([0.945, 1]);
    // after a stroke, nothing is said
    expect(times(0.4, 0.03, 1.055)).toEqual([[1, 1.055], [1, 1.055]]);
  });

  it('knows nothing of no candidates', () => {
    expect(witness([raw], [kept], RATE, 'tom', [], [], ear)).toHaveLength(0);
  });

  it("lays a snare's strokes over each other once more: what counts may move back, what is in doubt or a person's stays", async () => {
    const asked: unknown[] = [];
    const moving = (which: readonly number[]): Hand['align'] => (x, _rate, times, strengths, kind, earlierS, faint) => {
      asked.push([x[0], strengths, kind, earlierS, faint]);
      // the others would go later
      return times.map((t) => (which.includes(t) ? t - 0.003 : t + 0.003));
    };
    const hits = [hit(1, 0.99), hit(2, 0.3), hit(3, 1), hit(4, 0.98), hit(5, 0.97), hit(6, 0.9), hit(7, 0.9)];
    const list = hits.map((h) => ({ hit: h, first: h.time === 3 ? SAID : 0.9, again: 0.9 }));
    const images = [Float32Array.of(7), Float32Array.of(8)];
    const place = (drum: string, align: Hand['align'], raw = new Float32Array(1)) =>
      fromFaintest({ rate: RATE, late: new Map([[4, 0.025]]), hands: [{ align }] }, { targets: [[4, 1], [5, 1]], images }, { drum, list }, hits, 1, async (mic, work) => {
        expect(mic).toBe(5);
        return work(raw);
      });
    const times = (l: readonly { time: number }[]) => l.map((h) => Number(h.time.toFixed(4)));
    const placed = await place('snare', moving([1, 3, 4]));
    expect(times(placed)).toEqual([0.997, 2, 3, 3.997, 5, 6, 7]);
    expect(placed.map((h) => h.certainty)).toEqual(hits.map((h) => h.certainty));
    // in the mic that is not late, at the usual reach, faint movements too
    expect(asked).toEqual([[8, [0.99, 1, 0.98, 0.97, 0.9, 0.9].map((c) => 0.5 * c), 'snare', undefined, true]]);
    // where more than a third begin earlier it is no movement of soft strokes
    expect(await place('snare', moving([1, 4, 5]))).toEqual(hits);
    // a kick's is one where the raw mic has it
    const silent = new Float32Array(8 * RATE);
    const heard = silent.map((_, i) => ([1, 4, 5].some((t) => i > (t - 0.003) * RATE && i < (t + 0.05) * RATE) ? Math.sin(i / 9) : 1e-3 * Math.sin(i)));
    expect(times(await place('kick', moving([1, 4, 5]), heard))).toEqual([0.997, 2, 3, 3.997, 4.997, 6, 7]);
    expect(await place('kick', moving([1, 4, 5]), silent)).toEqual(hits);
  });

  it("takes what stands out of a tom's mic beside another tom's stroke for that, unless it is as like as strokes are to each other", () => {
    const hits = { 'tom-1': [hit(1, 0.9), hit(2, 0.3)], 'tom-2': [hit(3, 0.9)], snare: [hit(4, 0.9)] };
    const stands = (time: number, likeness = 0.97) => ({ time, strength: 0.08, keptDb: -10, overDb: 60, likeness });
    const times = (drum: string, ...list: ReturnType<typeof stands>[]) => besideNoTom(drum, list, hits).map((u) => u.time);
    // near a stroke of the other tom that counts; not near a doubtful one, another drum's or its own
    expect(times('tom-2', stands(0.975), stands(1.025), stands(1.04), stands(2), stands(3.01), stands(4))).toEqual([1.04, 2, 3.01, 4]);
    expect(times('tom-2', stands(1.01, 0.986))).toEqual([1.01]);
    // two that begin at once were both struck where neither is far softer
    expect(times('tom-2', stands(0.997, 0.99), stands(1.004, 0.99), { ...stands(1.003, 0.99), strength: 0.2 })).toEqual([1.003]);
    // a snare is struck with toms
    expect(times('snare', stands(1), stands(3))).toEqual([1, 3]);
  });

  it("tells a cymbal's strokes where what no close mic owns of the first overhead begins", async () => {
    // a cymbal at 1, 2, 2.015 and 3 s under nothing; told by other drums' arrivals
    const g = createGaussian(createRng(5));
    const rest = Float32Array.from({ length: 4 * RATE }, (_, i) => (1e-4 + [1, 2, 2.015, 3].reduce((a, t) => a + (i >= t * RATE ? 0.1 * Math.exp(-(i - t * RATE) / (0.2 * RATE)) : 0), 0)) * g());
    const hits = [hit(1.005, 0.9), hit(1.996, 0.9), hit(2.0135, 0.3), hit(2.995, 1)];
    const list = hits.map((h) => ({ hit: h, first: h.time === 2.995 ? SAID : 0.9, again: 0.9 }));
    const placed = await fromRest(rest, RATE, { list }, hits, createEar());
    expect(placed.map((h) => h.certainty)).toEqual([0.9, 0.9, 0.3, 1]);
    expect(Math.abs(placed[0].time - 1)).toBeLessThan(0.0005);
    expect(Math.abs(placed[1].time - 2)).toBeLessThan(0.0005);
    // what a person said stays
    expect(placed[3].time).toBe(2.995);
    // none comes nearer to another than a cymbal can be struck
    const close = await fromRest(rest, RATE, { list: [] }, [hit(0.991, 0.9), hit(1.0045, 0.9)], createEar());
    expect(close[1].time - close[0].time).toBeGreaterThanOrEqual(0.012);
    // nothing there: as told
    const [silent] = await fromRest(new Float32Array(RATE), RATE, { list: [] }, [hit(0.5, 0.9)], createEar());
    expect(Math.abs(silent.time - 0.5)).toBeLessThan(0.0005);
  });
});
