/**
 * De-bleed's model, learnt blindly from a recording and its hits. Every drum with a close mic, and a few rest sources, is a full-rank spatial source (N. Duong,
 * E. Vincent, R. Gribonval, IEEE TASLP 18(7), 2010): in bin f and frame t its covariance over the mics is v(f, t) R(f). Multiplicative and Riccati updates
 * (A. Ozerov et al., IEEE TASLP 20(4), 2012; H. Sawada et al., IEEE TASLP 21(5), 2013), an expected power by the hits, and a cap on leakage, the only
 * thing that ties bins together. decisions/0009 tells what each gave.
 */
import { quantile } from '../hits/candidates';
import { type Bins, type Part, createBins, packed, padded } from './bins';
import { type Kit, activity } from './kit';
import { STAGES, addAlong, alongBins, filtersSize, fitAlong, lineOf, ringsAlong, tapsOf } from './ringAlong';
import { JUST_STRUCK, LEAK_UP_TO_HZ, holdLeak, leakMics, mostLeak } from './tomLeak';
import { BINS, HOP, SIZE, type Spectrogram, learntBins } from './transform';

export interface DebleedModel {
  readonly kit: Kit;
  /** bins x packed x (re, im) x padded sources. */
  readonly R: Float32Array;
  /** Highest power to be expected of a source: bins x sources. */
  readonly ceiling: Float32Array;
  /** RMS of each mic: bins x mics. Spectra are divided by it. */
  readonly level: Float32Array;
  /** Noise of each mic: bins x mics, against the level. */
  readonly noise: Float32Array;
  /** What makes toms ring along: bins of alongBins x filters (ringAlong.ts), between spectra divided by the level. */
  readonly along: Float32Array;
}

/** Stretches of a recording, in frames of the transform. */
export interface Stretch {
  readonly first: number;
  readonly frames: number;
}

/** A round of learning: the frames that it goes over, in bins up to HIGH_HZ and in those above. */
export interface Round {
  readonly low?: Part;
  readonly high?: Part;
}

/** Rounds of learning a recording whole. */
export const ROUNDS: readonly Round[] = Array(8).fill({});
/** Of a long one: over every second four frames, these and the others in turn, then over all; three quarters of the work. Above HIGH_HZ, where most bins lie, the first eight go over half of those. */
export const HURRIED: readonly Round[] = [...Array.from({ length: 8 }, (_, r) => ({ low: { first: r % 2, every: 2 }, high: { first: r % 4, every: 4 } })), {}, {}];
export const HIGH_HZ = 4000;
const UPDATES = 2;
/** Updates of powers when drums are told apart by a learnt model, each the whole way. */
export const TOLD_UPDATES = 2;
/** The expected power is this many times the highest (but for one in a hundred) times the activity. */
const PRIOR = 10;
const PRIOR_QUANTILE = 0.99;
/** No power is expected of the rests. */
const FREE = 1e9;
/** Cymbals have nothing under this, Hz. */
const REST_FROM_HZ = 200;
/** How much more of a drum than over all bins together a foreign mic may hear in one bin. */
const CAP = 2;
const REGULAR = 1e-4;
const NOISE_QUANTILE = 0.03;

/** Sums over bins from which the broadband leakage follows: sources x mics, and one a source. */
export interface Leakage {
  readonly heard: Float64Array;
  readonly own: Float64Array;
}

/** The bins `from`, `from + every`, ... of a recording: what one thread learns. */
export interface Learner {
  /** Takes the spectra of a mic: all its frames in one piece. */
  take(mic: number, s: Spectrogram): void;
  /** After all mics: starts. */
  begin(): Leakage;
  /** One round with the leakage of all bins, in a part of the frames where that is said. */
  cap(all: Leakage): void;
  refine(round: Round): Leakage;
  /** After the rounds: what rings along is found and taken away in low bins, which begin anew without it. */
  takeAlong(): Leakage;
  /** One round of the low bins alone, with the leakage of all. */
  capLow(all: Leakage): void;
  refineLow(round: Round): Leakage;
  /** At last: filters as separating will use them, from all that is heard, by what is known then. No more rounds follow. */
  settleAlong(all: Leakage): void;
  /** Parts of the model: values of its own bins in their places; bins that are not learnt stay as they are. */
  fill(model: DebleedModel): void;
}

export const emptyModel = (kit: Kit): DebleedModel => ({
  kit,
  R: new Float32Array(BINS * packed(kit.mics.length, 0) * 2 * padded(kit.sources)),
  ceiling: new Float32Array(BINS * kit.sources),
  level: new Float32Array(BINS * kit.mics.length),
  noise: new Float32Array(BINS * kit.mics.length),
  along: new Float32Array((alongBins(kit.rate)[1] - alongBins(kit.rate)[0]) * STAGES * filtersSize(ringsAlong(kit), tapsOf(kit.rate))),
});

/** Times of the frames of some stretches, seconds. */
export const frameTimes = (rate: number, stretches: readonly Stretch[]): Float64Array =>
  Float64Array.from(stretches.flatMap((s) => Array.from({ length: s.frames }, (_, k) => ((s.first + k) * HOP) / rate)));

/** How many frames of the same stretch, or of the one that ends where it begins, there are before each; before the recording there is silence, which counts too. */
export function sinceBreak(stretches: readonly Stretch[]): Int32Array {
  const out: number[] = [];
  let [n, next] = [0, -1];
  for (const { first, frames } of stretches) {
    if (first === 0) n = SILENCE;
    else if (first !== next) n = 0;
    for (let k = 0; k < frames; k++) out.push(n++);
    next = first + frames;
  }
  return Int32Array.from(out);
}
const SILENCE = 1000;

export function createLearner(kit: Kit, hits: readonly (readonly number[])[], stretches: readonly Stretch[], from = 0, every = 1): Learner {
  const M = kit.mics.length;
  const D = kit.drums.length;
  const S = kit.sources;
  const SP = padded(S);
  const times = frameTimes(kit.rate, stretches);
  const frames = times.length;
  const T = Math.ceil(frames / 4) * 4;
  const own = Math.ceil((learntBins(kit.rate) - from) / every);
  const bins: Bins = createBins({ mics: M, sources: S, frames: T, bins: own });
  const act = kit.drums.map((d, i) => activity(d, hits[i], times, SIZE / kit.rate));
  const loudest = Float32Array.from(times, (_, t) => act.reduce((a, l) => Math.max(a, l[t]), 0));
  const level = new Float32Array(own * M);
  const ceiling = new Float32Array(own * S);
  const scratch = new Float32Array(frames);
  const ceilingOf = (v: Float32Array, s: number) => PRIOR * quantile(v.subarray(s * T, s * T + frames), PRIOR_QUANTILE);
  const hz = (b: number) => ((from + b * every) * kit.rate) / SIZE;

  /** R to a mean of 1 over the mics, v the other way round, a little on the diagonal; levels for the cap are added to `into`. */
  function normalise(b: number, into: Leakage): void {
    const R = bins.matrices(b);
    const v = bins.v(b);
    for (let s = 0; s < S; s++) {
      let trace = 1e-12;
      for (let m = 0; m < M; m++) trace += R[packed(m, m) * 2 * SP + s] / M;
      for (let p = 0; p < packed(M, 0) * 2; p++) R[p * SP + s] /= trace;
      for (let m = 0; m < M; m++) R[packed(m, m) * 2 * SP + s] += REGULAR;
      let e = 0;
      for (let t = 0; t < T; t++) {
        v[s * T + t] *= trace;
        e += v[s * T + t];
      }
      e /= T;
      for (let m = 0; m < M; m++) into.heard[s * M + m] += e * R[packed(m, m) * 2 * SP + s] * level[b * M + m] ** 2;
      for (const m of s < D ? kit.own[s] : kit.far) into.own[s] += e * R[packed(m, m) * 2 * SP + s] * level[b * M + m] ** 2;
    }
  }
  const along = ringsAlong(kit);
  const taps = tapsOf(kit.rate);
  const [lowest, end] = along.length ? alongBins(kit.rate) : [0, 0];
  const low = Array.from({ length: own }, (_, b) => b).filter((b) => from + b * every >= lowest && from + b * every < end);
  const none = (): Leakage => ({ heard: new Float64Array(S * M), own: new Float64Array(S) });
  /** What the bins in which nothing rings along gave last. */
  let high = none();
  const everyBin = (work: (b: number) => void): Leakage => {
    high = none();
    const rest = none();
    const isLow = new Set(low);
    for (let b = 0; b < own; b++) {
      work(b);
      normalise(b, isLow.has(b) ? rest : high);
    }
    return sumLeakage([high, rest]);
  };
  const lowBins = (work: (b: number) => void): Leakage => {
    const rest = none();
    for (const b of low) {
      work(b);
      normalise(b, rest);
    }
    return sumLeakage([high, rest]);
  };

  const P = new Float32Array(M * T);
  const all = new Float32Array(frames);
  /** Powers of a bin as they begin. */
  function start(b: number): void {
    const x = bins.x(b);
    powersOf(x, M, T, P);
    startPowers(kit, P, T, frames, act, loudest, hz(b), bins.v(b));
  }
  /** And the matrices that these give. */
  function begin(b: number): void {
    start(b);
    const v = bins.v(b);
    all.fill(0);
    for (let s = 0; s < S; s++) for (let t = 0; t < frames; t++) all[t] += v[s * T + t];
    bins.prior.fill(0);
    for (let s = 0; s < S; s++) {
      // where the source is most of what sounds counts most
      const w = bins.prior.subarray(s * T, s * T + frames);
      let mean = 0;
      for (let t = 0; t < frames; t++) {
        const own = v[s * T + t];
        mean += own / frames;
        w[t] = own / all[t] ** 2;
      }
      const most = quantile(w, 0.98);
      let sum = 1e-12;
      for (let t = 0; t < frames; t++) {
        w[t] = v[s * T + t] > 1e-3 * mean ? Math.min(w[t], most) : 0;
        sum += w[t];
      }
      for (let t = 0; t < frames; t++) w[t] /= sum;
    }
    bins.begin(b);
  }

  const reached = leakMics(kit);
  const struck = act.map((a) => Array.from({ length: frames }, (_, t) => t).filter((t) => a[t] > JUST_STRUCK));
  /** By low bin and drum, the most that each mic may hear of it. */
  const most = new Map<number, number[][]>();
  /** Tells that by a bin as it was heard. */
  function bound(b: number): void {
    if (hz(b) >= LEAK_UP_TO_HZ) return;
    const x = bins.x(b);
    const powers = (m: number, s: number) => Float64Array.from(struck[s], (t) => (x[m * 2 * T + t] ** 2 + x[m * 2 * T + T + t] ** 2) * level[b * M + m] ** 2);
    most.set(b, reached.map((list, s) => {
      const own = list.length ? powers(kit.own[s][0], s) : [];
      return kit.mics.map((_, m) => (list.includes(m) ? mostLeak(powers(m, s), own) * (level[b * M + kit.own[s][0]] / level[b * M + m]) ** 2 : Number.POSITIVE_INFINITY));
    }));
  }

  /** What foreign mics hear of a drum in one bin against what they hear over all bins, and toms of each other against what can be. */
  function cap(b: number, leakage: Leakage): void {
    const R = bins.matrices(b);
    for (let s = 0; s < S; s++) {
      const mine = s < D ? kit.own[s] : kit.far;
      const d = Array.from({ length: M }, (_, m) => R[packed(m, m) * 2 * SP + s] * level[b * M + m] ** 2);
      const ref = mine.reduce((a, m) => a + d[m], 0);
      const scale = d.map((v, m) => (mine.includes(m) ? 1 : Math.sqrt(Math.min(1, (CAP * (leakage.heard[s * M + m] / (leakage.own[s] + 1e-30)) * ref) / (v + 1e-30)))));
      for (let i = 0; i < M; i++) {
        for (let j = 0; j <= i; j++) {
          R[packed(i, j) * 2 * SP + s] *= scale[i] * scale[j];
          R[packed(i, j) * 2 * SP + SP + s] *= scale[i] * scale[j];
        }
      }
      const held = most.get(b)?.[s];
      if (held) holdLeak(R, s, 2 * SP, SP, M, kit.own[s][0], held);
    }
  }

  /** Expected powers by the hits, into bins.prior. */
  function expect(b: number): void {
    const v = bins.v(b);
    for (let s = 0; s < S; s++) {
      if (s >= D) {
        bins.prior.fill(FREE, s * T, (s + 1) * T);
        continue;
      }
      const c = ceilingOf(v, s);
      for (let t = 0; t < T; t++) bins.prior[s * T + t] = c * (act[s][t] ?? 1e-3) + 1e-20;
    }
  }
  function settleCeiling(b: number): void {
    for (let s = 0; s < S; s++) ceiling[b * S + s] = s < D ? ceilingOf(bins.v(b), s) : FREE;
  }
  function refine(b: number, { low, high }: Round): void {
    expect(b);
    bins.refine(b, UPDATES, hz(b) < HIGH_HZ ? low : high);
  }

  const since = sinceBreak(stretches);
  const filters = new Map<number, Float32Array>();
  const size = filtersSize(along, taps);
  /** By low bin, the mics that ring along as they were heard. */
  const heardAs = new Map<number, Float32Array>();
  const sources = [...new Set(along.flatMap((a) => [a.drum, ...a.refs]))];
  const targets = [...sources.map((s) => [kit.own[s][0], s] as const), ...along.map((a) => [a.mic, a.drum] as const)];
  /** The mics of a bin without what rings along, by the images (of `targets`) that were told from them before; its filters go to `into`. */
  function predict(b: number, told: Float32Array, into?: Float32Array): void {
    const images = Float32Array.from(told);
    const x = bins.x(b);
    const heard = heardAs.get(b) ?? Float32Array.from(along.flatMap(({ mic }) => Array.from(x.subarray(mic * 2 * T, (mic + 1) * 2 * T))));
    heardAs.set(b, heard);
    let at = 0;
    along.forEach(({ mic, refs }, i) => {
      x.set(heard.subarray(i * 2 * T, (i + 1) * 2 * T), mic * 2 * T);
      const mine = lineOf(x, mic, T);
      const from = refs.map((s) => lineOf(images, sources.indexOf(s), T));
      const h = fitAlong(mine, lineOf(images, sources.length + i, T), from, since, taps);
      into?.set(h, at);
      from.forEach((ref, q) => {
        addAlong(h.subarray(q * taps * 2, (q + 1) * taps * 2), ref, since, taps, mine, -1);
      });
      at += h.length;
    });
  }

  return {
    take(mic, spec) {
      for (let b = 0; b < own; b++) {
        const at = (from + b * every) * frames;
        let p = 0;
        for (let t = 0; t < frames; t++) p += spec.re[at + t] ** 2 + spec.im[at + t] ** 2;
        const g = Math.sqrt(p / frames + 1e-12);
        level[b * M + mic] = g;
        const x = bins.x(b);
        const o = mic * 2 * T;
        for (let t = 0; t < frames; t++) {
          x[o + t] = spec.re[at + t] / g;
          x[o + T + t] = spec.im[at + t] / g;
          scratch[t] = x[o + t] ** 2 + x[o + T + t] ** 2;
        }
        bins.noise(b)[mic] = 0.5 * quantile(scratch, NOISE_QUANTILE) + REGULAR;
      }
    },
    begin: () =>
      everyBin((b) => {
        bound(b);
        begin(b);
      }),
    cap(leakage) {
      for (let b = 0; b < own; b++) cap(b, leakage);
    },
    refine: (round) => everyBin((b) => refine(b, round)),
    takeAlong: () =>
      lowBins((b) => {
        expect(b);
        predict(b, bins.images(b, 1, targets));
        begin(b);
      }),
    capLow: (leakage) => {
      for (const b of low) cap(b, leakage);
    },
    refineLow: (round) => lowBins((b) => refine(b, round)),
    settleAlong(leakage) {
      for (const b of low) {
        cap(b, leakage);
        expect(b);
        settleCeiling(b);
        const x = bins.x(b);
        const heard = heardAs.get(b);
        along.forEach(({ mic }, i) => {
          if (heard) x.set(heard.subarray(i * 2 * T, (i + 1) * 2 * T), mic * 2 * T);
        });
        const list = new Float32Array(STAGES * size);
        filters.set(b, list);
        for (let stage = 0; stage < STAGES; stage++) {
          start(b);
          predict(b, bins.images(b, TOLD_UPDATES, targets), list.subarray(stage * size, (stage + 1) * size));
        }
      }
    },
    fill(model) {
      const matrix = packed(M, 0) * 2 * SP;
      for (let b = 0; b < own; b++) {
        const f = from + b * every;
        if (!filters.has(b)) settleCeiling(b);
        model.R.set(bins.matrices(b), f * matrix);
        model.ceiling.set(ceiling.subarray(b * S, (b + 1) * S), f * S);
        model.level.set(level.subarray(b * M, (b + 1) * M), f * M);
        model.noise.set(bins.noise(b), f * M);
        const list = filters.get(b);
        if (list) model.along.set(list, (f - lowest) * list.length);
      }
    },
  };
}

/** Powers of the mics in one bin, from their spectra, mics x (re, im) x T: mics x T. */
export function powersOf(x: Float32Array, mics: number, T: number, into: Float32Array): void {
  for (let m = 0; m < mics; m++) {
    for (let t = 0, i = m * 2 * T, o = m * T; t < T; t++, i++, o++) into[o] = x[i] * x[i] + x[i + T] * x[i + T];
  }
}

/**
 * Where powers begin: a drum's by its own mics and its hits, a rest's by the overheads while no drum is loud. `P`: mics x T, of which `frames` are real; `act`: by
 * drum; `v`: sources x T.
 */
export function startPowers(kit: Kit, P: Float32Array, T: number, frames: number, act: readonly Float32Array[], loudest: Float32Array, hz: number, v: Float32Array): void {
  const D = kit.drums.length;
  const all = new Float32Array(T);
  if (hz >= REST_FROM_HZ) for (const m of kit.far) for (let t = 0, i = m * T; t < frames; t++, i++) all[t] += P[i];
  v.fill(0);
  for (let s = 0; s < kit.sources; s++) {
    const o = s * T;
    const least = s >= D && hz < REST_FROM_HZ ? 1e-12 : 1e-8;
    if (s < D) {
      const [a, each] = [act[s], 1 / kit.own[s].length];
      for (const m of kit.own[s]) for (let t = 0, i = m * T; t < frames; t++, i++) v[o + t] += P[i] * each;
      for (let t = 0; t < frames; t++) v[o + t] *= a[t];
    } else if (hz >= REST_FROM_HZ) {
      for (let t = 0, i = kit.far[(s - D) % kit.far.length] * T; t < frames; t++, i++) v[o + t] = ((P[i] * P[i]) / Math.max(1e-9, all[t])) * (1 - 0.9 * loudest[t]);
    }
    for (let t = o; t < o + T; t++) if (v[t] < least) v[t] = least;
  }
}

/** Adds up what threads found. */
export function sumLeakage(parts: readonly Leakage[]): Leakage {
  const heard = Float64Array.from(parts[0].heard, (_, i) => parts.reduce((a, p) => a + p.heard[i], 0));
  return { heard, own: Float64Array.from(parts[0].own, (_, i) => parts.reduce((a, p) => a + p.own[i], 0)) };
}
