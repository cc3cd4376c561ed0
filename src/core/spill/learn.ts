/**
 * De-bleed's model, learnt blindly from a recording and its hits. Every drum with a close mic, and a few rest sources, is a full-rank spatial source (N. Duong,
 * E. Vincent, R. Gribonval, IEEE TASLP 18(7), 2010): in bin f and frame t its covariance over the mics is v(f, t) R(f). Multiplicative and Riccati updates
 * (A. Ozerov et al., IEEE TASLP 20(4), 2012; H. Sawada et al., IEEE TASLP 21(5), 2013), an expected power by the hits, and a cap on leakage, the only
 * thing that ties bins together. decisions/0009 tells what each gave.
 */
import { quantile } from '../hits/candidates';
import { type Bins, createBins, packed, padded } from './bins';
import { type Kit, activity } from './kit';
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
}

/** Stretches of a recording, in frames of the transform. */
export interface Stretch {
  readonly first: number;
  readonly frames: number;
}

export const ROUNDS = 8;
const UPDATES = 2;
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
  /** One round with the leakage of all bins. */
  cap(all: Leakage): void;
  refine(): Leakage;
  /** Parts of the model: values of its own bins in their places; bins that are not learnt stay as they are. */
  fill(model: DebleedModel): void;
}

export const emptyModel = (kit: Kit): DebleedModel => ({
  kit,
  R: new Float32Array(BINS * packed(kit.mics.length, 0) * 2 * padded(kit.sources)),
  ceiling: new Float32Array(BINS * kit.sources),
  level: new Float32Array(BINS * kit.mics.length),
  noise: new Float32Array(BINS * kit.mics.length),
});

/** Times of the frames of some stretches, seconds. */
export const frameTimes = (rate: number, stretches: readonly Stretch[]): Float64Array =>
  Float64Array.from(stretches.flatMap((s) => Array.from({ length: s.frames }, (_, k) => ((s.first + k) * HOP) / rate)));

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

  /** R to a mean of 1 over the mics, v the other way round, a little on the diagonal; sums of levels for the cap. */
  function normalise(): Leakage {
    const heard = new Float64Array(S * M);
    const sum = new Float64Array(S);
    for (let b = 0; b < own; b++) {
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
        for (let m = 0; m < M; m++) heard[s * M + m] += e * R[packed(m, m) * 2 * SP + s] * level[b * M + m] ** 2;
        for (const m of s < D ? kit.own[s] : kit.far) sum[s] += e * R[packed(m, m) * 2 * SP + s] * level[b * M + m] ** 2;
      }
    }
    return { heard, own: sum };
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
    begin() {
      const P = new Float32Array(M * T);
      const all = new Float32Array(frames);
      for (let b = 0; b < own; b++) {
        const x = bins.x(b);
        const v = bins.v(b);
        for (let m = 0; m < M; m++) for (let t = 0; t < T; t++) P[m * T + t] = x[m * 2 * T + t] ** 2 + x[m * 2 * T + T + t] ** 2;
        startPowers(kit, P, T, frames, act, loudest, hz(b), v);
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
      return normalise();
    },
    cap(all) {
      for (let b = 0; b < own; b++) {
        const R = bins.matrices(b);
        for (let s = 0; s < S; s++) {
          const mine = s < D ? kit.own[s] : kit.far;
          const d = Array.from({ length: M }, (_, m) => R[packed(m, m) * 2 * SP + s] * level[b * M + m] ** 2);
          const ref = mine.reduce((a, m) => a + d[m], 0);
          const scale = d.map((v, m) => (mine.includes(m) ? 1 : Math.sqrt(Math.min(1, (CAP * (all.heard[s * M + m] / (all.own[s] + 1e-30)) * ref) / (v + 1e-30)))));
          for (let i = 0; i < M; i++) {
            for (let j = 0; j <= i; j++) {
              R[packed(i, j) * 2 * SP + s] *= scale[i] * scale[j];
              R[packed(i, j) * 2 * SP + SP + s] *= scale[i] * scale[j];
            }
          }
        }
      }
    },
    refine() {
      for (let b = 0; b < own; b++) {
        const v = bins.v(b);
        for (let s = 0; s < S; s++) {
          if (s >= D) {
            bins.prior.fill(FREE, s * T, (s + 1) * T);
            continue;
          }
          const c = ceilingOf(v, s);
          for (let t = 0; t < T; t++) bins.prior[s * T + t] = c * (act[s][t] ?? 1e-3) + 1e-20;
        }
        bins.refine(b, UPDATES);
      }
      return normalise();
    },
    fill(model) {
      const size = packed(M, 0) * 2 * SP;
      for (let b = 0; b < own; b++) {
        const f = from + b * every;
        const v = bins.v(b);
        for (let s = 0; s < S; s++) ceiling[b * S + s] = s < D ? ceilingOf(v, s) : FREE;
        model.R.set(bins.matrices(b), f * size);
        model.ceiling.set(ceiling.subarray(b * S, (b + 1) * S), f * S);
        model.level.set(level.subarray(b * M, (b + 1) * M), f * M);
        model.noise.set(bins.noise(b), f * M);
      }
    },
  };
}

/**
 * Where powers begin: a drum's by its own mics and its hits, a rest's by the overheads while no drum is loud. `P`: mics x T, of which `frames` are real; `act`: by
 * drum; `v`: sources x T.
 */
export function startPowers(kit: Kit, P: Float32Array, T: number, frames: number, act: readonly Float32Array[], loudest: Float32Array, hz: number, v: Float32Array): void {
  const D = kit.drums.length;
  v.fill(0);
  for (let s = 0; s < kit.sources; s++) {
    const out = v.subarray(s * T, (s + 1) * T);
    if (s < D) {
      for (const m of kit.own[s]) for (let t = 0; t < frames; t++) out[t] += P[m * T + t] / kit.own[s].length;
      for (let t = 0; t < frames; t++) out[t] *= act[s][t];
    } else if (hz >= REST_FROM_HZ) {
      for (const m of kit.far) for (let t = 0; t < frames; t++) out[t] += P[m * T + t];
      const mine = kit.far[(s - D) % kit.far.length] * T;
      for (let t = 0; t < frames; t++) out[t] = (P[mine + t] ** 2 / Math.max(1e-9, out[t])) * (1 - 0.9 * loudest[t]);
    }
    const least = s >= D && hz < REST_FROM_HZ ? 1e-12 : 1e-8;
    for (let t = 0; t < T; t++) out[t] = Math.max(out[t], least);
  }
}

/** Adds up what threads found. */
export function sumLeakage(parts: readonly Leakage[]): Leakage {
  const heard = Float64Array.from(parts[0].heard, (_, i) => parts.reduce((a, p) => a + p.heard[i], 0));
  return { heard, own: Float64Array.from(parts[0].own, (_, i) => parts.reduce((a, p) => a + p.own[i], 0)) };
}
