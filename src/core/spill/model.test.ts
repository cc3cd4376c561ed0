import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import type { MicReader } from '../render';
import { doubled } from '../dsp/halfBand';
import { type DebleedJob, LEARN_S, chooseStretches, createHand, learnModel, ownTargets, separateTargets } from './crew';
import { computeImages, sourcesOf, targetOf } from './image';
import { type Debleed, debleed } from './debleed';
import { separate, separateAgain } from './ownImages';
import { activity, describeKit } from './kit';
import { HURRIED, ROUNDS } from './learn';
import { SHARED, blockFor } from './separate';
import { HOP, createTransform, framesOf } from './transform';

const RATE = 48000;

describe('the transform', () => {
  it('gives back what was not changed, from any place on', () => {
    const gauss = createGaussian(createRng(5));
    const x = Float32Array.from({ length: 30000 }, gauss);
    const t = createTransform();
    const spec = t.forward(x, 0, 0, framesOf(x.length));
    const y = new Float32Array(12000);
    t.inverse(spec.re, spec.im, spec.frames, 0, spec.frames, y, 9000);
    for (let i = 0; i < y.length; i++) expect(Math.abs(y[i] - x[9000 + i])).toBeLessThan(1e-5);
  });
});

describe('activity', () => {
  it('is full at strokes, falls after them, and leaves a little where a stroke may have been missed', () => {
    const at = Float64Array.from({ length: 200 }, (_, k) => k / 20);
    const a = activity('tom-1', [2], at, 0.085);
    expect(a[40]).toBe(1);
    expect(a[0]).toBeCloseTo(3e-3, 6);
    expect(a[60]).toBeLessThan(a[50]);
    // 60 dB in three seconds
    expect(10 * Math.log10(a[60] / a[50])).toBeCloseTo(-10, 1);
    expect(activity('tom-1', [], at, 0.085).every((v) => v === 1)).toBe(true);
  });
});

describe('stretches to learn from', () => {
  it('are the whole of a short recording, and of a long one those with the rare drums', () => {
    expect(chooseStretches(RATE, 20 * RATE, [[1]])).toEqual([{ first: 0, frames: framesOf(20 * RATE) }]);
    const often = Array.from({ length: 300 }, (_, i) => i);
    const rare = [251, 252];
    const list = chooseStretches(RATE, 300 * RATE, [often, rare]);
    const covers = (t: number) => list.some((s) => (t * RATE) / HOP >= s.first && (t * RATE) / HOP < s.first + s.frames);
    expect(rare.every(covers)).toBe(true);
    const total = list.reduce((n, s) => n + s.frames, 0);
    expect((total * HOP) / RATE).toBeLessThanOrEqual(LEARN_S + 1);
    expect(list.every((s, i) => i === 0 || s.first >= list[i - 1].first + list[i - 1].frames)).toBe(true);
  });
});

describe('blocks of frames', () => {
  it('hold a run from anywhere, and share time out so that no hand has much more to do than its part', () => {
    fc.assert(fc.property(fc.integer({ min: 1, max: 700 * RATE }), fc.integer({ min: 1, max: 8 }), fc.integer({ min: 0, max: 100 * RATE }), (samples, hands, from) => {
      const block = blockFor(samples, hands);
      expect(block % 4).toBe(0);
      const run = (block - SHARED) * HOP;
      // as many frames as a separator goes through for one run
      expect(framesOf(from + run) - Math.max(0, Math.floor(from / HOP) - 1)).toBeLessThanOrEqual(block);
      const runs = Math.ceil(samples / run);
      const least = samples / HOP / hands;
      expect(Math.ceil(runs / hands) * (block - SHARED)).toBeLessThanOrEqual(least + 8 + 4 * Math.ceil(least / 60));
    }));
  });
});

describe('rounds over a long song', () => {
  it('go over all frames equally often, below and above, and at last twice over all', () => {
    for (const [range, visits] of [['low', 6], ['high', 4]] as const) {
      // of frames in fours every fourth has the same rounds
      for (const four of [0, 1, 2, 3]) expect(HURRIED.filter((r) => four % (r[range]?.every ?? 1) === (r[range]?.first ?? 0)).length, `${range} ${four}`).toBe(visits);
      expect(HURRIED.slice(-2).map((r) => r[range])).toEqual([undefined, undefined]);
    }
    expect(ROUNDS.every((r) => !r.low && !r.high)).toBe(true);
  });
});

/** Two drums, each in its own mic, in the other's and in an overhead, 12 dB lower and later; strokes are decaying noise of their own colour. */
function twoDrums(spill: number, seconds = 7) {
  const n = seconds * RATE;
  const gauss = createGaussian(createRng(3));
  const strokes = [[0.5, 1.5, 2.4, 3.3, 4.5, 5.6], [1, 1.9, 2.42, 3.9, 5.1, 6.2]];
  const dry = strokes.map((list, d) => {
    const x = new Float32Array(n);
    let low = 0;
    for (const t of list) {
      const at = Math.round(t * RATE);
      for (let i = 0; i < 0.3 * RATE; i++) {
        const w = gauss();
        low += 0.15 * (w - low);
        x[at + i] += 0.3 * (d === 0 ? 2.5 * low : w - low) * Math.exp(-i / (0.05 * RATE));
      }
    }
    return x;
  });
  const own = [dry[0], dry[1]];
  const mics = [
    own[0].map((v, i) => v + spill * (dry[1][i - 90] ?? 0)),
    own[1].map((v, i) => v + spill * (dry[0][i - 110] ?? 0)),
    own[0].map((_, i) => 0.4 * (dry[0][i - 240] ?? 0) + 0.4 * (dry[1][i - 200] ?? 0) + 1e-4 * gauss()),
  ];
  return { n, strokes, own, mics };
}

const readerOf = (x: Float32Array): MicReader => ({
  read(at, out) {
    out.fill(0);
    out.set(x.subarray(at, at + out.length));
  },
});

async function separated(mics: readonly Float32Array[], strokes: readonly (readonly number[])[], order = [0, 1, 2]): Promise<Float32Array[]> {
  const all = [{ own: 'kick', overhead: false }, { own: 'snare', overhead: false }, { own: null, overhead: true }];
  const kit = describeKit(RATE, order.map((i) => all[i]));
  const hits = kit.drums.map((d) => strokes[d === 'kick' ? 0 : 1]);
  const job: DebleedJob = { kit, frames: mics[0].length, readers: order.map((i) => readerOf(mics[i])), hits, hands: [createHand(), createHand()] };
  const model = await learnModel(job);
  const targets = ownTargets(kit);
  const out = targets.map(() => new Float32Array(mics[0].length));
  await separateTargets({
    ...job, model, targets, from: 0, to: mics[0].length,
    write(at, list) {
      list.forEach((x, q) => {
        out[q].set(x, at);
      });
    },
  });
  // kick first, whatever the order
  return kit.drums[0] === 'kick' ? out : [out[1], out[0]];
}

const energy = (x: Float32Array, y?: Float32Array) => x.reduce((a, v, i) => a + (v - (y ? y[i] : 0)) ** 2, 0);
const db = (a: number, b: number) => 10 * Math.log10((a + 1e-20) / (b + 1e-20));

describe('de-bleed of two drums', () => {
  const kit = twoDrums(0.25);
  it('takes the other drum out of each mic and keeps its own', async () => {
    const out = await separated(kit.mics, kit.strokes);
    out.forEach((y, d) => {
      const spillBefore = energy(kit.mics[d], kit.own[d]);
      expect(db(energy(y, kit.own[d]), spillBefore), `mic ${d}`).toBeLessThan(-8);
      const at = kit.strokes[d].flatMap((t) => Array.from({ length: 480 }, (_, i) => Math.round(t * RATE) + i));
      const level = (x: Float32Array) => at.reduce((a, i) => a + x[i] ** 2, 0);
      expect(Math.abs(db(level(y), level(kit.own[d])))).toBeLessThan(0.3);
    });
  });

  it('leaves mics without spill as they are', async () => {
    const clean = twoDrums(0);
    const out = await separated(clean.mics, clean.strokes);
    out.forEach((y, d) => {
      expect(db(energy(y, clean.own[d]), energy(clean.own[d])), `mic ${d}`).toBeLessThan(-20);
    });
  });

  it('does not depend on the order of the mics, and follows their level', async () => {
    const one = await separated(kit.mics, kit.strokes);
    const turned = await separated(kit.mics, kit.strokes, [2, 1, 0]);
    const louder = await separated(kit.mics.map((x) => x.map((v) => 0.25 * v)), kit.strokes);
    one.forEach((y, d) => {
      expect(db(energy(turned[d], y), energy(y))).toBeLessThan(-25);
      expect(db(energy(louder[d].map((v) => 4 * v), y), energy(y))).toBeLessThan(-40);
    });
  });
});

describe('describing a kit', () => {
  it('finds a source for every drum with a close mic, and something to tell cymbals by, whatever mics there are', () => {
    fc.assert(
      fc.property(fc.array(fc.record({ own: fc.constantFrom('kick', 'snare', 'tom-1', null), overhead: fc.boolean() }), { minLength: 1, maxLength: 8 }), (mics) => {
        const kit = describeKit(RATE, mics);
        expect(kit.own.flat().sort()).toEqual(mics.flatMap((m, i) => (m.own ? [i] : [])));
        expect(kit.far.length).toBeGreaterThan(0);
        expect(kit.far.every((i) => i < mics.length)).toBe(true);
      }),
    );
  });
});

describe('a recording at twice the rate', () => {
  it('is worked on at half of it: images are those of the lower one, from odd frames on too', async () => {
    const { n, strokes, mics } = twoDrums(0.25, 6);
    const described = [{ own: 'kick', overhead: false }, { own: 'snare', overhead: false }, { own: null, overhead: true }];
    const job = { hits: strokes, hands: [createHand()] };
    const image = async (rate: number, audio: readonly Float32Array[], from: number, to: number) => {
      const kit = describeKit(rate, described);
      const all = { ...job, kit, frames: audio[0].length, readers: audio.map(readerOf) };
      return (await computeImages({ ...all, model: await learnModel({ ...all, rounds: 3 }), wanted: [{ mic: 0, source: 'kick' }], from, to }))[0];
    };
    expect(describeKit(2 * RATE, described)).toMatchObject({ rate: RATE, times: 2 });
    const usual = await image(RATE, mics, 0, n);
    const [from, to] = [2 * RATE + 1, 6 * RATE + 1];
    const high = await image(2 * RATE, mics.map((x) => doubled(x)), from, to);
    expect(high.length).toBe(to - from);
    const wanted = doubled(usual).subarray(from, to);
    expect(energy(wanted)).toBeGreaterThan(0.1);
    // what lies about half the lower rate is low-passed before, and the model is learnt without it
    expect(db(energy(high, wanted), energy(wanted))).toBeLessThan(-20);
  }, 60_000);

  it('gives back whole mics at its own rate, cleaned as at half of it, and a model that knows how much lower it is', async () => {
    const { n, strokes, mics } = twoDrums(0.25, 6);
    const hits = Object.fromEntries(['kick', 'snare'].map((d, i) => [d, strokes[i].map((time) => ({ time, strength: 0.8, certainty: 0.95 }))]));
    const all: Debleed[] = [];
    const times: number[] = [];
    for (const by of [1, 2]) {
      const audio = mics.map((x) => (by === 2 ? doubled(x) : x));
      all.push(await debleed({ rate: by * RATE, frames: audio[0].length, mics: [{ own: 'kick', overhead: false }, { own: 'snare', overhead: false }, { own: null, overhead: true }], readers: audio.map(readerOf), hits, hands: [createHand()], onModel: (m) => times.push(m.kit.times) }));
    }
    expect(times).toEqual([1, 2]);
    const [usual, high] = all;
    expect(high.mics.map((k) => k.drum)).toEqual(['kick', 'snare']);
    for (const [i, k] of high.mics.entries()) {
      expect(k.samples.length).toBe(2 * n);
      const wanted = doubled(usual.mics[i].samples);
      expect(db(energy(k.samples, wanted), energy(wanted)), k.drum).toBeLessThan(-20);
      // and something was taken
      expect(db(energy(k.samples, doubled(mics[k.mic])), energy(doubled(mics[k.mic]))), k.drum).toBeGreaterThan(-25);
    }
  }, 60_000);
});

describe('separating once more', () => {
  const { n, strokes, own, mics } = twoDrums(0.25);
  const found = (list: readonly number[]) => list.map((time) => ({ time, strength: 0.8, certainty: 0.95 }));
  const missing = strokes[1][2];
  const known = { kick: found(strokes[0]), snare: found(strokes[1].filter((t) => t !== missing)) };
  const input = () => ({ rate: RATE, frames: n, mics: [{ own: 'kick', overhead: false }, { own: 'snare', overhead: false }, { own: null, overhead: true }], readers: mics.map(readerOf), hits: known, hands: [createHand(), createHand()] });

  it('gives a drum the strokes that the model was not told of, and leaves what does not sound with them as it is', async () => {
    const o = input();
    const s = (await separate(o)) as NonNullable<Awaited<ReturnType<typeof separate>>>;
    const before = s.images.map((x) => x.slice());
    const all = { ...known, snare: found(strokes[1]) };
    expect(await separateAgain(o, s, all, new Map())).toEqual(strokes);
    const stroke = (x: Float32Array, y?: Float32Array) => energy(x.subarray(missing * RATE, (missing + 0.15) * RATE), y?.subarray(missing * RATE, (missing + 0.15) * RATE));
    const error = (x: Float32Array) => db(stroke(x, own[1]), stroke(own[1]));
    expect(error(s.images[1])).toBeLessThan(error(before[1]) - 0.5);
    // with all strokes known the whole song comes out the same, wherever its blocks begin
    expect(s.shares.map((k) => k.share)).toEqual([1, 1]);
    await separateTargets({
      kit: s.kit, frames: n, readers: o.readers, hits: strokes, hands: o.hands, model: s.model, targets: s.targets, from: 0, to: n,
      write: (at, list) => {
        for (const [q, x] of list.entries()) expect(x.reduce((a, v, i) => Math.max(a, Math.abs(v - s.images[q][at + i])), 0), `mic ${q} from ${at}`).toBeLessThan(1e-6);
      },
    });
    // what is long after it was not separated anew
    for (const [q, x] of s.images.entries()) expect(x.subarray(4 * RATE).every((v, i) => v === before[q][4 * RATE + i]), `mic ${q}`).toBe(true);
  }, 60_000);

  it('hears strokes that stand out of a mic though nobody found them', async () => {
    const o = input();
    const s = (await separate(o)) as NonNullable<Awaited<ReturnType<typeof separate>>>;
    expect(await separateAgain(o, s, known, new Map([['snare', [missing, missing + 0.005]]]))).toEqual(strokes);
  }, 60_000);

  it('does nothing where no stroke is new', async () => {
    const o = input();
    const s = (await separate(o)) as NonNullable<Awaited<ReturnType<typeof separate>>>;
    const before = s.images.map((x) => x.slice());
    expect(await separateAgain(o, s, { ...known, kick: found(strokes[0].map((t) => t + 0.002)) }, new Map())).toBe(s.hits);
    for (const [q, x] of s.images.entries()) expect(x.every((v, i) => v === before[q][i])).toBe(true);
  }, 60_000);
});

describe('images', () => {
  it('of all drums and the rest in a mic sum to it, noise and what lies over 16 kHz left out', async () => {
    const { n, strokes, mics } = twoDrums(0.25, 7);
    const kit = describeKit(RATE, [{ own: 'kick', overhead: false }, { own: 'snare', overhead: false }, { own: null, overhead: true }]);
    const job: DebleedJob = { kit, frames: n, readers: mics.map(readerOf), hits: strokes, hands: [createHand()] };
    const model = await learnModel({ ...job, rounds: 4 });
    expect(sourcesOf(kit)).toEqual(['kick', 'snare', 'rest']);
    expect(targetOf(kit, 1, 'kick')).toEqual([1, 0]);
    expect(targetOf(kit, 1, 'rest')).toEqual([1, 2]);
    expect(targetOf(kit, 1, 'cowbell')).toBeNull();
    const [from, to] = [RATE, 4 * RATE];
    const images = await computeImages({ ...job, model, wanted: ['kick', 'snare', 'rest'].map((source) => ({ mic: 0, source })), from, to });
    let [error, all] = [0, 0];
    for (let i = 0; i < to - from; i++) {
      error += (images[0][i] + images[1][i] + images[2][i] - mics[0][from + i]) ** 2;
      all += mics[0][from + i] ** 2;
    }
    expect(10 * Math.log10(error / all)).toBeLessThan(-25);
    // a stretch of the song is what the song has there
    const [part] = await computeImages({ ...job, model, wanted: [{ mic: 0, source: 'snare' }], from: 2 * RATE, to: 3 * RATE });
    let worst = 0;
    for (let i = 0; i < RATE; i++) worst = Math.max(worst, Math.abs(part[i] - images[1][RATE + i]));
    expect(worst).toBeLessThan(0.02);
  }, 60_000);
});
