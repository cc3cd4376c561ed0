/** What rings along: filters of made spectra are recovered, and a tom that answers the kick is left with its own strokes. Made for the test; no outside source. */
import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import type { MicReader } from '../render';
import { type DebleedJob, createHand, learnModel, ownTargets, separateTargets } from './crew';
import { computeImages } from './image';
import { describeKit } from './kit';
import { sinceBreak } from './learn';
import { type Line, addAlong, alongBins, filtersSize, fitAlong, ringsAlong, tapsOf } from './ringAlong';
import { HOP, SIZE } from './transform';

const RATE = 48000;
const line = (n: number): Line => ({ re: new Float32Array(n), im: new Float32Array(n) });
const power = (l: Line) => l.re.reduce((a, v, t) => a + v * v + l.im[t] ** 2, 0);

/** A ref that sounds now and then, a tom's own strokes elsewhere, and what the ref makes ring by a known filter. */
function made(T: number, taps: number, seed = 5) {
  const gauss = createGaussian(createRng(seed));
  const [ref, own] = [line(T), line(T)];
  for (let t = 0; t < T; t++) {
    const [a, b] = [t % 9 < 2 ? 1 : 0.01, t % 23 < 3 ? 2 : 1e-3];
    ref.re[t] = a * gauss();
    ref.im[t] = a * gauss();
    own.re[t] = b * gauss();
    own.im[t] = b * gauss();
  }
  const filter = Float32Array.from({ length: 2 * taps }, (_, i) => 0.5 * 0.7 ** (i >> 1) * (i % 2 ? Math.sin(i) : Math.cos(i)));
  const x = { re: Float32Array.from(own.re), im: Float32Array.from(own.im) };
  addAlong(filter, ref, new Int32Array(T).fill(1000), taps, x, 1);
  return { ref, own, filter, x };
}

describe('what a drum makes ring', () => {
  const [T, taps] = [600, 6];
  const since = new Int32Array(T).fill(1000);

  it('is told from the frames before of that drum, and taken away without the own strokes', () => {
    const { ref, own, filter, x } = made(T, taps);
    const h = fitAlong(x, x, [ref], since, taps);
    for (let i = 0; i < filter.length; i++) expect(h[i]).toBeCloseTo(filter[i], 2);
    const left = { re: Float32Array.from(x.re), im: Float32Array.from(x.im) };
    addAlong(h, ref, since, taps, left, -1);
    const error = { re: left.re.map((v, t) => v - own.re[t]), im: left.im.map((v, t) => v - own.im[t]) };
    const ringing = { re: x.re.map((v, t) => v - own.re[t]), im: x.im.map((v, t) => v - own.im[t]) };
    expect(10 * Math.log10(power(error) / power(ringing))).toBeLessThan(-30);
    expect(10 * Math.log10(power(error) / power(own))).toBeLessThan(-30);
  });

  it('adds as the sum over frames before says, and none from before a break or the beginning', () => {
    const { ref, filter } = made(40, taps);
    const breaks = Int32Array.from({ length: 40 }, (_, t) => (t < 20 ? 1000 + t : t - 20));
    const out = line(40);
    addAlong(filter, ref, breaks, taps, out, 1);
    for (const [t, least] of [[3, 0], [15, 0], [21, 20], [24, 20], [35, 20]]) {
      let [a, b] = [0, 0];
      for (let l = 1; l <= taps && t - l >= least; l++) {
        const [p, q] = [filter[2 * l - 2], filter[2 * l - 1]];
        a += p * ref.re[t - l] - q * ref.im[t - l];
        b += p * ref.im[t - l] + q * ref.re[t - l];
      }
      expect(out.re[t]).toBeCloseTo(a, 5);
      expect(out.im[t]).toBeCloseTo(b, 5);
    }
    expect([out.re[20], out.im[20], out.re[0]]).toEqual([0, 0, 0]);
  });

  it('is nothing where nothing is heard, and little where nothing rings along', () => {
    const { ref, own } = made(T, taps);
    expect(fitAlong(line(T), line(T), [ref], since, taps).every((v) => v === 0)).toBe(true);
    expect(fitAlong(own, own, [line(T)], since, taps).every((v) => v === 0)).toBe(true);
    const left = { re: Float32Array.from(own.re), im: Float32Array.from(own.im) };
    addAlong(fitAlong(own, own, [ref], since, taps), ref, since, taps, left, -1);
    expect(Math.abs(10 * Math.log10(power(left) / power(own)))).toBeLessThan(0.05);
  });

  it('has fewer frames before to be told by where little is heard', () => {
    const { ref, x } = made(40, taps);
    const h = fitAlong(x, x, [ref, x], new Int32Array(40).fill(1000), taps);
    // 40 frames, two drums: one frame before each
    expect(Array.from(h).map((v, i) => (v !== 0 ? i : -1)).filter((i) => i >= 0)).toEqual([0, 1, 2 * taps, 2 * taps + 1]);
  });
});

describe('drums that ring along', () => {
  const kit = describeKit(RATE, ['kick', 'snare', 'snare', 'hat', 'tom-1', 'tom-2', null].map((own) => ({ own, overhead: own === null })));
  it('are toms, made to ring by kick, snare and the other toms', () => {
    const list = ringsAlong(kit);
    expect(list.map((r) => [kit.drums[r.drum], r.mic, r.refs.map((s) => kit.drums[s])])).toEqual([['tom-1', 4, ['kick', 'snare', 'tom-2']], ['tom-2', 5, ['kick', 'snare', 'tom-1']]]);
    expect(filtersSize(list, 12)).toBe(2 * 3 * 12 * 2);
    expect(ringsAlong(describeKit(RATE, [{ own: 'tom-1', overhead: false }]))).toEqual([]);
  });
  it('do so in low bins and for half a second, at any sample rate', () => {
    for (const rate of [22050, 44100, 48000, 96000]) {
      const [from, to] = alongBins(rate);
      expect(((to - 1) * rate) / SIZE).toBeLessThan(600);
      expect((from * rate) / SIZE).toBeGreaterThan(10);
      expect((tapsOf(rate) * HOP) / rate).toBeCloseTo(0.5, 1);
    }
  });
});

describe('frames since a break', () => {
  it('go on over stretches that touch, begin anew after a gap, and count silence before the recording', () => {
    const s = sinceBreak([{ first: 0, frames: 3 }, { first: 3, frames: 2 }, { first: 9, frames: 3 }]);
    expect(s[0]).toBeGreaterThan(100);
    expect(s[4]).toBe(s[0] + 4);
    expect([...s.subarray(5)]).toEqual([0, 1, 2]);
  });
});

/** Kick and tom in their mics and an overhead; the tom's head, 110 Hz, answers the kick. */
function kickAndTom(seconds = 12) {
  const n = seconds * RATE;
  const gauss = createGaussian(createRng(8));
  const strokes = [[0.5, 1.4, 3.1, 4, 5.2, 6.9, 7.8, 9.3, 10.2, 11.1], [2.2, 4.5, 6.1, 8.5, 10.7]];
  const hz = [60, 110];
  const [kick, tom] = strokes.map((list, d) => {
    const x = new Float32Array(n);
    for (const t of list) {
      const at = Math.round(t * RATE);
      for (let i = 0; i < RATE && at + i < n; i++) {
        const s = i / RATE;
        x[at + i] += 0.4 * Math.sin(2 * Math.PI * hz[d] * s) * 10 ** ((-3 * s) / (d ? 0.7 : 0.4)) + 0.1 * gauss() * Math.exp(-s / 0.006);
      }
    }
    return x;
  });
  const r = 10 ** (-3 / (0.8 * RATE));
  const c = 2 * r * Math.cos((2 * Math.PI * 112) / RATE);
  const ringing = new Float32Array(n);
  for (let i = 0; i < n; i++) ringing[i] = 6e-4 * (kick[i - 120] ?? 0) + c * (ringing[i - 1] ?? 0) - r * r * (ringing[i - 2] ?? 0);
  const mics = [
    kick.map((v, i) => v + 0.03 * (tom[i - 150] ?? 0) + 2e-5 * gauss()),
    tom.map((v, i) => v + 0.1 * (kick[i - 120] ?? 0) + ringing[i] + 2e-5 * gauss()),
    kick.map((_, i) => 0.3 * (kick[i - 260] ?? 0) + 0.3 * (tom[i - 220] ?? 0) + 2e-5 * gauss()),
  ];
  return { n, strokes, tom, ringing, mics };
}

const readerOf = (x: Float32Array): MicReader => ({
  read(at, out) {
    out.fill(0);
    out.set(x.subarray(at, at + out.length));
  },
});
const between = (x: Float32Array, a: number, z: number, y?: Float32Array) => {
  let p = 0;
  for (let i = Math.round(a * RATE); i < z * RATE; i++) p += (x[i] - (y ? y[i] : 0)) ** 2;
  return p;
};

describe('a tom that answers the kick', () => {
  it('is left with its own strokes; what rang belongs to the kick, and all images sum to the mic', async () => {
    const { n, strokes, tom, ringing, mics } = kickAndTom();
    const kit = describeKit(RATE, [{ own: 'kick', overhead: false }, { own: 'tom-1', overhead: false }, { own: null, overhead: true }]);
    const job: DebleedJob = { kit, frames: n, readers: mics.map(readerOf), hits: strokes, hands: [createHand(), createHand()] };
    const model = await learnModel(job);
    const own = ownTargets(kit).map(() => new Float32Array(n));
    const tell = (m: typeof model, out: Float32Array[]) =>
      separateTargets({
        ...job, model: m, targets: ownTargets(kit), from: 0, to: n,
        write(at, list) {
          list.forEach((x, q) => {
            out[q].set(x, at);
          });
        },
      });
    await tell(model, own);
    // 0.15 to 0.6 s after kicks that no tom follows
    const after = strokes[0].filter((t) => !strokes[1].some((u) => u > t - 1 && u < t + 0.7));
    const rung = (x: Float32Array) => after.reduce((a, t) => a + between(x, t + 0.15, t + 0.6), 0);
    expect(after.length).toBeGreaterThan(2);
    const without = own.map(() => new Float32Array(n));
    await tell({ ...model, along: model.along.map(() => 0) }, without);
    expect(10 * Math.log10(rung(own[1]) / rung(ringing))).toBeLessThan(-15);
    expect(10 * Math.log10(rung(own[1]) / rung(without[1]))).toBeLessThan(-6);
    for (const t of strokes[1]) expect(Math.abs(10 * Math.log10(between(own[1], t, t + 0.3) / between(tom, t, t + 0.3)))).toBeLessThan(0.5);
    const [from, to] = [2 * RATE, 9 * RATE];
    const [kickThere, tomThere, rest] = await computeImages({ ...job, model, wanted: ['kick', 'tom-1', 'rest'].map((source) => ({ mic: 1, source })), from, to });
    const heard = mics[1].subarray(from, to);
    const sum = kickThere.map((v, i) => v + tomThere[i] + rest[i]);
    expect(10 * Math.log10(between(sum, 0, 7, heard) / between(heard, 0, 7))).toBeLessThan(-25);
    // what rang is the kick's: 3.25 to 3.7 s, after a kick alone
    expect(10 * Math.log10(between(kickThere, 1.25, 1.7, heard) / between(heard, 1.25, 1.7))).toBeLessThan(-10);
    // and a stretch from anywhere is what the song has there
    const [part] = await computeImages({ ...job, model, wanted: [{ mic: 1, source: 'tom-1' }], from: 5 * RATE, to: 7 * RATE });
    expect(10 * Math.log10(between(part, 0.1, 1.9, tomThere.subarray(3 * RATE, 5 * RATE)) / between(part, 0.1, 1.9))).toBeLessThan(-40);
  }, 120_000);
});
