/**
 * How a drum rings in its own mic: the fall of its level after a stroke, learnt from its louder strokes, and how loud the spill is. What a natural tail rests on. Levels are dB
 * against the mic's loudest strokes. A low quantile over strokes leaves out what others add; where spill or dense playing hides the end, the slope is
 * carried on.
 */
import { type BandSteps, bandSteps, quantile } from '../hits/candidates';
import { type Kind, kindOf } from '../hits/kinds';

export interface Ring {
  /** Level after a stroke, every STEP_MS, 0 at the attack and never rising, dB. */
  readonly decayDb: readonly number[];
  /** Level of the mic away from own strokes (the louder half of it), dB against the loudest strokes. */
  readonly spillDb: number;
  /** Once de-bled, level of the raw mic where its drum is silent, the mean power, dB against the loudest strokes; where it is not known it is absent. */
  readonly rawSpillDb?: number;
  /** Level of the loudest strokes, dBFS: what thresholds of one mic are carried to another by. */
  readonly topDb: number;
  /** Where softer strokes ring on longer against their own peak: by so many dB for each dB that they are softer than `fromDb` (against the loudest). */
  readonly soft?: { readonly fromDb: number; readonly slope: number };
}

export const STEP_MS = 10;
/** Longest ring, steps. */
const LONGEST = 400;
/** Where a drum's body sounds, Hz: cymbals must not lengthen a tom. */
const BODY: Record<Kind, readonly [number, number]> = { kick: [30, 160], snare: [100, 9000], tom: [50, 450], hat: [3000, 15000], cymbal: [2000, 15000] };
/** The peak of a stroke lies within this of its attack, ms. */
const PEAK_MS = 30;
/** Once de-bled a drum is heard well beyond its note: its partials ring longer than that alone. */
const DEBLED_BODY: Record<Kind, readonly [number, number]> = { ...BODY, kick: [30, 3000], tom: [50, 2000] };
const CLEAR_OF_NEXT_MS = 15;
const LEAST_STROKES = 3;
/** Rate at which notes are looked for, Hz. */
const NOTE_RATE = 6000;
/** A tom is heard within this factor of its note. */
const NOTE_WIDTH = 1.35;
/** The slope is told over this many dB above where spill begins, which is so far over the level before strokes, and never believed deeper than this. */
const EVALUATED_DB = 15;
const OVER_FLOOR_DB = 6;
const DEEPEST_DB = -45;
/** De-bled kicks are heard deeper; one that dips at 45 dB and comes back would be cut at the dip. */
const DEEPEST_KICK_DB = -50;
/** In raw mics, toms ring along with kick and snare in fills: more of what holds their note up late is not their own stroke's. */
const OVER_FLOOR_TOM_DB = 12;
/** How long ago the stroke before must be for the level before a stroke to be without it, ms: the longest that enough strokes allow. */
const LONG_GONE_MS = [1200, 600, 300];
const RELAXED = 0.85;
/** Of the levels that strokes have at a time: low, since others only add. */
const QUANTILE = 0.4;
/** Where the others are gone, the middle. */
const DEBLED_QUANTILE = 0.5;
/** A de-bled snare's level dips and comes back, as its heads beat and its wires answer: what comes back within this time has not fallen, ms. On kicks and toms it only held gates open. */
const BEAT_MS = 60;
/** Over so long the level of a low note is even. */
const EVEN_MS = 21;
/** Struck softly, a drum gives less of the stick and more of its note: told 60 to 150 ms after strokes that have so long, from six strokes on. */
const SOFT = { fromMs: 60, toMs: 150, clearMs: 170, least: 6, apartDb: 3, from: 0.1, most: 0.6 };
/** Slopes of a ring's end that are believed, dB per ms. */
const SLOPE = { least: -0.03, most: -0.12 };
/** Toms fall quickly first and then more slowly: what cannot be heard of a de-bled one any more rings on no shorter than 0.86 s by its 60 dB. */
const TOM_MOST = -0.07;

const db = (p: number) => 10 * Math.log10(p + 1e-14);

/** Sliding mean over `n` values, centred. */
function smooth(v: Float64Array, n: number): Float64Array {
  const sum = new Float64Array(v.length + 1);
  for (let i = 0; i < v.length; i++) sum[i + 1] = sum[i] + v[i];
  const half = n >> 1;
  return v.map((_, i) => {
    const [a, b] = [Math.max(0, i - half), Math.min(v.length, i + half + 1)];
    return (sum[b] - sum[a]) / (b - a);
  });
}

/** `x`: the mic; `own`: frames of its drum's strokes, rising; `debled`: whether only the drum is left in it. Null with fewer than three strokes. */
export function learnRing(x: Float32Array, rate: number, drum: string, own: readonly number[], debled = false, powers: BandSteps = bandSteps): Ring | null {
  if (own.length < LEAST_STROKES) return null;
  const kind = kindOf(drum);
  const tom = kind === 'tom';
  const note = tom && !debled ? noteOf(x, rate, own.slice(0, 60), BODY.tom) : 0;
  const [low, high] = note > 0 ? [note / NOTE_WIDTH, note * NOTE_WIDTH] : (debled ? DEBLED_BODY : BODY)[kind];
  const { band, all } = powers(x, rate, 1000, low, high);
  const [env, full] = [smooth(band, 5), smooth(all, 5)];
  // a low note's power swells twice a period, by the same phase after every stroke: over less than that its dips would pass for decay
  const even = debled && (tom || kind === 'kick') ? smooth(band, EVEN_MS) : env;
  const n = env.length;
  const at = own.map((f) => Math.min(n - 1, Math.round((f / rate) * 1000)));
  const peakOf = (v: Float64Array, k: number) => {
    let p = 0;
    for (let i = k; i < Math.min(n, k + PEAK_MS); i++) p = Math.max(p, v[i]);
    return p;
  };
  const peaks = at.map((k) => db(peakOf(env, k)));
  const top = quantile(peaks, 0.98);
  const middle = quantile(peaks, 0.5);
  const fullPeaks = at.map((k) => db(peakOf(full, k)));
  const steps: number[][] = [];
  at.forEach((k, i) => {
    if (peaks[i] < middle) return;
    const end = Math.min(n, (at[i + 1] ?? n) - CLEAR_OF_NEXT_MS);
    for (let s = 0; s < LONGEST && k + s * STEP_MS < end; s++) {
      steps[s] ??= [];
      // the note against the whole stroke: the stick is louder than the ring it leaves
      steps[s].push(db((s * STEP_MS > PEAK_MS ? even : env)[k + s * STEP_MS]) - fullPeaks[i]);
    }
  });
  const enough = Math.min(4, Math.max(2, Math.floor(own.length / 3)));
  const levels: number[] = [];
  for (let s = 0; s < steps.length && steps[s].length >= enough; s++) levels.push(s * STEP_MS <= PEAK_MS ? 0 : quantile(steps[s], debled ? DEBLED_QUANTILE : QUANTILE));
  const heard: number[] = [];
  levels.forEach((_, s) => {
    const v = debled && kind === 'snare' ? Math.max(...levels.slice(s, s + BEAT_MS / STEP_MS)) : levels[s];
    heard.push(Math.min(v, heard[s - 1] ?? 0));
  });
  const usual = quantile(fullPeaks.filter((_, i) => peaks[i] >= middle), 0.5);
  const decay = carriedOn(heard, Math.min(-12, Math.max(debled && kind === 'kick' ? DEEPEST_KICK_DB : DEEPEST_DB, quietBefore(env, at) - usual + (tom && !debled ? OVER_FLOOR_TOM_DB : OVER_FLOOR_DB))), STEP_MS, tom && debled ? { ...SLOPE, most: TOM_MOST } : SLOPE);
  const loudest = quantile(fullPeaks, 0.98);
  const afterwards = (i: number) => quantile(Array.from({ length: (SOFT.toMs - SOFT.fromMs) / STEP_MS }, (_, s) => db(even[at[i] + SOFT.fromMs + s * STEP_MS])), 0.5) - fullPeaks[i];
  const slope = tom && debled ? softSlope(at, n, fullPeaks, afterwards) : 0;
  const soft = slope < SOFT.from ? {} : { soft: { fromDb: Number(Math.min(0, usual - loudest).toFixed(2)), slope: Number(slope.toFixed(3)) } };
  return { decayDb: decay.map((v) => Number(v.toFixed(2))), spillDb: Number(Math.min(0, spillOf(full, at, peaks.map((p) => p - top), decay) - loudest).toFixed(2)), topDb: Number(loudest.toFixed(2)), ...soft };
}

/**
 * What is heard down to `floorDb`, where it is the drum's, and from there on no slower than the slope over the last 15 dB above, a little relaxed: below that
 * it is spill that holds the level up (as a room's decay is told above its noise, ISO 3382).
 */
export function carriedOn(heard: readonly number[], floorDb: number, stepMs = STEP_MS, range = SLOPE, longest = LONGEST): number[] {
  const at = (db: number) => heard.findIndex((v) => v <= db);
  const down = at(floorDb);
  const end = down >= 0 ? down : heard.length - 1;
  const before = at(Math.min(-3, heard[end] + EVALUATED_DB));
  const begin = before >= 0 && before < end ? before : Math.min(end, Math.ceil(PEAK_MS / stepMs));
  let slope = range.most;
  if (end - begin >= 2) {
    slope = (RELAXED * (heard[end] - heard[begin])) / ((end - begin) * stepMs);
    // short evidence, from dense playing: twice the ring
    if (down < 0 && end * stepMs < 350) slope *= 0.5;
    slope = Math.max(range.most, Math.min(range.least, slope));
  }
  const decay = heard.slice(0, end + 1);
  while (decay.length < longest && decay[decay.length - 1] > -90) {
    const line = decay[decay.length - 1] + slope * stepMs;
    decay.push(Math.min(line, heard[decay.length] ?? line));
  }
  return decay;
}

/** How much longer softer strokes ring against their own peak, dB a dB: the median slope between any two strokes of unlike level (P. K. Sen, JASA 63(324), 1968). */
function softSlope(at: readonly number[], length: number, peaks: readonly number[], ringOf: (i: number) => number): number {
  const rows = at.flatMap((k, i) => ((at[i + 1] ?? length) - k >= SOFT.clearMs ? [{ peak: peaks[i], ring: ringOf(i) }] : []));
  if (rows.length < SOFT.least) return 0;
  const slopes = rows.flatMap((a, i) => rows.slice(i + 1).flatMap((b) => (Math.abs(a.peak - b.peak) < SOFT.apartDb ? [] : [(b.ring - a.ring) / (a.peak - b.peak)])));
  return slopes.length < SOFT.least ? 0 : Math.min(SOFT.most, Math.max(0, quantile(slopes, 0.5)));
}

/** Level before a stroke, where the one before is long gone: what the mic hears without its drum, dB. */
function quietBefore(env: Float64Array, at: readonly number[]): number {
  for (const apart of LONG_GONE_MS) {
    const levels = at.flatMap((k, i) => (k > 60 && (i === 0 || k - at[i - 1] > apart) ? [db(env.subarray(k - 60, k - 20).reduce((a, v) => a + v, 0) / 40)] : []));
    if (levels.length >= LEAST_STROKES) return quantile(levels, 0.5);
  }
  return -140;
}

/** Power of a stroke's note by frequency, whose peak is the drum's own: 20 to 150 ms after the attack, at strokes in the upper half by what sounds there. Hz. */
function noteOf(x: Float32Array, rate: number, own: readonly number[], band: readonly [number, number]): number {
  let best = { hz: 0, p: 0 };
  // means of a few samples are enough for notes this low
  const step = Math.max(1, Math.floor(rate / NOTE_RATE));
  const [from, length] = [Math.round(0.02 * rate), Math.round((0.13 * rate) / step)];
  const notes = own.map((f) =>
    Float64Array.from({ length }, (_, i) => {
      let sum = 0;
      for (let k = f + from + i * step; k < f + from + (i + 1) * step; k++) sum += x[k] ?? 0;
      return (0.5 - 0.5 * Math.cos((2 * Math.PI * i) / length)) * (sum / step);
    }),
  );
  for (let hz = band[0]; hz <= band[1]; hz *= 1.03) {
    const c = 2 * Math.cos((2 * Math.PI * hz * step) / rate);
    const powers = notes.map((note) => {
      // Goertzel's recurrence
      let [a, b] = [0, 0];
      for (let i = 0; i < length; i++) {
        const v = note[i] + c * a - b;
        b = a;
        a = v;
      }
      return a * a + b * b - c * a * b;
    });
    const p = quantile(powers, 0.6) / hz;
    if (p > best.p) best = { hz, p };
  }
  return best.hz;
}

/** Level of the louder half of what is heard where the drum itself has rung out, dB. */
function spillOf(full: Float64Array, at: readonly number[], strengths: readonly number[], decay: readonly number[]): number {
  const silent = new Uint8Array(full.length).fill(1);
  at.forEach((k, i) => {
    let s = decay.findIndex((d) => strengths[i] + d < -50);
    if (s < 0) s = decay.length;
    silent.fill(0, Math.max(0, k - 5), Math.min(full.length, k + s * STEP_MS));
  });
  const rest = Array.from(full).filter((_, i) => silent[i] && i % 7 === 0);
  return rest.length < 20 ? -90 : db(quantile(rest, 0.75));
}

/** Level of a stroke of `strength` (0..1) against the loudest, dB. */
export const strokeDb = (strength: number): number => 20 * Math.log10(Math.max(strength, 1e-3));

/** Milliseconds until a stroke of `strength` (0..1) has fallen to `floorDb` under the loudest. */
export function ringMs(ring: Ring, strength: number, floorDb: number): number {
  const stroke = strokeDb(strength);
  const level = stroke + (ring.soft ? ring.soft.slope * Math.max(0, ring.soft.fromDb - stroke) : 0);
  const s = ring.decayDb.findIndex((d) => level + d <= floorDb);
  return (s < 0 ? ring.decayDb.length : s) * STEP_MS;
}
