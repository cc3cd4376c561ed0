import FFT from 'fft.js';

/**
 * Quality of a cleaned close mic against the truth: its own drum alone, direct sound and reflections within 20 ms. What comes later of
 * the own drum may be kept or removed: level differences are zero anywhere between truth and truth with its late room.
 */
export interface CleanTruth {
  readonly rate: number;
  readonly raw: Float32Array;
  readonly truth: Float32Array;
  /** Later room sound of the own drum; silence where it is not known. */
  readonly late: Float32Array;
  /** Own strokes: frames of arrival, rising, and strengths. */
  readonly hits: readonly number[];
  readonly strengths: readonly number[];
}

export interface CleanScore {
  /** Energy raw over clean where the own drum is silent, dB, at most 80. */
  readonly gapSuppressionDb: number;
  /** Energy of clean - truth over raw - truth where it sounds, dB. */
  readonly tailSpillDb: number;
  readonly attackErrorDb: number;
  readonly attackLossDb: number;
  readonly sustainErrorDb: number;
  readonly siSdrDb: number;
  readonly siSdrImprovementDb: number;
  readonly missedStrokes: number;
  readonly recall: number;
  readonly softRecall: number;
  readonly falseOpensPerMinute: number;
  /** A constant shift (ms) or a turned polarity that was found: a defect. */
  readonly shiftMs: number;
  readonly polarity: 1 | -1;
}

const CLAMP_DB = 24;

/** Centred moving RMS over `ms`. */
function envelope(x: Float32Array, rate: number, ms: number): Float32Array {
  const w = Math.max(1, Math.floor((rate * ms) / 1000));
  const sum = cumulative(x);
  const n = x.length;
  return Float32Array.from({ length: n }, (_, i) => {
    const from = i - (w >> 1);
    return Math.sqrt(Math.max(0, sum[Math.min(n, from + w)] - sum[Math.max(0, from)]) / w);
  });
}

function cumulative(x: Float32Array, y?: Float32Array): Float64Array {
  const out = new Float64Array(x.length + 1);
  for (let i = 0; i < x.length; i++) {
    const v = x[i] + (y ? y[i] : 0);
    out[i + 1] = out[i] + v * v;
  }
  return out;
}

/** True where any sample within `reach` to either side is true. */
function widen(mask: Uint8Array, reach: number): Uint8Array {
  const out = new Uint8Array(mask.length);
  let last = Number.NEGATIVE_INFINITY;
  for (let i = 0; i < mask.length; i++) {
    if (mask[i]) last = i;
    if (i - last <= reach) out[i] = 1;
  }
  last = Number.POSITIVE_INFINITY;
  for (let i = mask.length - 1; i >= 0; i--) {
    if (mask[i]) last = i;
    if (last - i <= reach) out[i] = 1;
  }
  return out;
}

const level = (sum: Float64Array, a: number, b: number): number => {
  const to = Math.min(b, sum.length - 1);
  return 10 * Math.log10(Math.max(0, sum[to] - sum[Math.min(a, to)]) / Math.max(1, b - a) + 1e-12);
};

function siSdr(x: Float32Array, t: Float32Array): number {
  let [xt, tt] = [0, 0];
  for (let i = 0; i < t.length; i++) {
    xt += x[i] * t[i];
    tt += t[i] * t[i];
  }
  const g = xt / (tt || 1);
  let e = 0;
  for (let i = 0; i < t.length; i++) e += (x[i] - g * t[i]) ** 2;
  return 10 * Math.log10((g * g * tt + 1e-20) / (e + 1e-20));
}

const CORRELATED = 16384;

/** Correlation of `x` with `t` at lags -reach to reach (x later than t is positive), through summed cross spectra of stretches. */
function correlate(x: Float32Array, t: Float32Array, reach: number): Float64Array {
  const fft = new FFT(CORRELATED);
  const [heard, wanted, sum, back] = [fft.createComplexArray(), fft.createComplexArray(), fft.createComplexArray(), fft.createComplexArray()];
  const [a, b] = [new Float64Array(CORRELATED), new Float64Array(CORRELATED)];
  const step = CORRELATED - 2 * reach;
  sum.fill(0);
  for (let from = 0; from < t.length; from += step) {
    const to = Math.min(t.length, from + step);
    b.fill(0);
    for (let i = from; i < to; i++) b[i - from] = t[i];
    for (let i = 0; i < CORRELATED; i++) a[i] = x[from - reach + i] ?? 0;
    fft.realTransform(heard, a);
    fft.realTransform(wanted, b);
    for (let k = 0; k <= CORRELATED; k += 2) {
      sum[k] += heard[k] * wanted[k] + heard[k + 1] * wanted[k + 1];
      sum[k + 1] += heard[k + 1] * wanted[k] - heard[k] * wanted[k + 1];
    }
  }
  fft.completeSpectrum(sum);
  fft.inverseTransform(back, sum);
  return Float64Array.from({ length: 2 * reach + 1 }, (_, i) => back[2 * i]);
}

/** Best shift within 10 ms and polarity of `clean` against the truth, by correlation at all lags; 0 and 1 unless clearly better. */
export function findShift(clean: Float32Array, truth: Float32Array, rate: number): { shift: number; polarity: 1 | -1 } {
  const reach = Math.floor(0.01 * rate);
  const at = correlate(clean, truth, reach);
  let best = reach;
  for (let i = 0; i < at.length; i++) if (Math.abs(at[i]) > Math.abs(at[best])) best = i;
  if (Math.abs(at[best]) < 1.01 * Math.abs(at[reach])) best = reach;
  return { shift: best - reach, polarity: at[best] < 0 ? -1 : 1 };
}

/** `clean` is read with its shift and polarity undone, both of which are reported. Shorter ones count as followed by silence. */
export function scoreClean(ref: CleanTruth, cleaned: Float32Array): CleanScore {
  const { rate, truth: t, late, hits } = ref;
  const n = t.length;
  const padded = new Float32Array(n);
  padded.set(cleaned.subarray(0, n));
  const { shift, polarity } = findShift(padded, t, rate);
  const c = new Float32Array(n);
  for (let i = 0; i < n; i++) c[i] = polarity * (padded[i + shift] ?? 0);

  const env = envelope(t, rate, 10);
  const peak = env.reduce((p, v) => Math.max(p, v), 0);
  const active = Uint8Array.from(env, (v) => (v > peak * 10 ** (-50 / 20) ? 1 : 0));
  const [sumT, sumW, sumC, sumR] = [cumulative(t), cumulative(t, late), cumulative(c), cumulative(ref.raw)];

  // where it sounds: own late room is left out, as much of it as is there, fitted per 50 ms
  const block = Math.floor(rate / 20);
  const residual = (x: Float32Array) => {
    let total = 0;
    for (let from = 0; from < n; from += block) {
      const to = Math.min(n, from + block);
      let [el, ll] = [0, 1e-20];
      for (let i = from; i < to; i++) {
        el += (x[i] - t[i]) * late[i];
        ll += late[i] * late[i];
      }
      const g = Math.min(1, Math.max(0, el / ll));
      for (let i = from; i < to; i++) if (active[i]) total += (x[i] - t[i] - g * late[i]) ** 2;
    }
    return total;
  };

  // where it is silent: only what exceeds the drum's own fading tail
  const frame = Math.floor(rate / 50);
  const near = widen(active, frame >> 1);
  const excess = (sum: Float64Array) => {
    let total = 0;
    for (let f = 0; f + frame < n; f += frame) {
      if (near[f + (frame >> 1)]) continue;
      const e = (s: Float64Array) => s[f + frame] - s[f];
      total += Math.max(0, e(sum) - Math.max(e(sumT), e(sumW)));
    }
    return total;
  };

  const diff = (a: number, ms: number) => {
    const b = a + Math.floor((ms * rate) / 1000);
    const [lo, hi, x] = [level(sumT, a, b), level(sumW, a, b), level(sumC, a, b)];
    return x - Math.min(Math.max(lo, hi), Math.max(Math.min(lo, hi), x));
  };
  const clamp = (v: number) => Math.min(CLAMP_DB, Math.max(-CLAMP_DB, v));
  const attack = hits.map((h) => clamp(diff(h, 10)));
  const missed = hits.map((h) => diff(h, 20) < -10);
  const sustain: number[] = [];
  hits.forEach((h, k) => {
    const end = Math.min(h + Math.floor(0.4 * rate), hits[k + 1] ?? n, n) - frame;
    const starts: number[] = [];
    for (let a = h + Math.floor(rate / 100); a < end; a += frame) starts.push(a);
    const levels = starts.map((a) => level(sumT, a, a + frame));
    const top = Math.max(level(sumT, h, Math.min(h + frame, n)), ...levels);
    starts.forEach((a, i) => {
      if (levels[i] > top - 30) sustain.push(clamp(diff(a, 20)));
    });
  });
  const strengths = [...ref.strengths].sort((a, b) => a - b);
  const at = 0.25 * (strengths.length - 1);
  const limit = strengths.length ? strengths[Math.floor(at)] + (at % 1) * (strengths[Math.ceil(at)] - strengths[Math.floor(at)]) : 0;
  const soft = missed.filter((_, i) => ref.strengths[i] <= limit + 1e-12);

  const quiet = widen(active, Math.floor(0.15 * rate));
  const loud = envelope(c, rate, 5);
  const limitLoud = peak * 10 ** (-45 / 20);
  let [opens, run] = [0, 0];
  for (let i = 0; i <= n; i++) {
    if (i < n && !quiet[i] && loud[i] > limitLoud) run++;
    else {
      if (run > 0.01 * rate) opens++;
      run = 0;
    }
  }
  const mean = (v: readonly number[]) => (v.length ? v.reduce((a, b) => a + b, 0) / v.length : 0);
  const si = siSdr(c, t);
  return {
    gapSuppressionDb: Math.min(80, 10 * Math.log10((excess(sumR) + 1e-20) / (excess(sumC) + 1e-20))),
    tailSpillDb: 10 * Math.log10((residual(c) + 1e-20) / (residual(ref.raw) + 1e-20)),
    attackErrorDb: mean(attack.map(Math.abs)),
    attackLossDb: mean(attack),
    sustainErrorDb: mean(sustain.map(Math.abs)),
    siSdrDb: si,
    siSdrImprovementDb: si - siSdr(ref.raw, t),
    missedStrokes: missed.filter(Boolean).length,
    recall: hits.length ? 1 - missed.filter(Boolean).length / hits.length : 1,
    softRecall: soft.length ? 1 - soft.filter(Boolean).length / soft.length : 1,
    falseOpensPerMinute: opens / (n / rate / 60),
    shiftMs: (1000 * shift) / rate,
    polarity,
  };
}

/** Mean of every figure over mics. */
export function meanScore(list: readonly CleanScore[]): Omit<CleanScore, 'polarity'> {
  const mean = (pick: (s: CleanScore) => number) => list.reduce((t, s) => t + pick(s), 0) / Math.max(1, list.length);
  const keys = ['gapSuppressionDb', 'tailSpillDb', 'attackErrorDb', 'attackLossDb', 'sustainErrorDb', 'siSdrDb', 'siSdrImprovementDb', 'missedStrokes', 'recall', 'softRecall', 'falseOpensPerMinute', 'shiftMs'] as const;
  return Object.fromEntries(keys.map((k) => [k, mean((s) => s[k])])) as unknown as Omit<CleanScore, 'polarity'>;
}
