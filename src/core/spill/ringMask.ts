/**
 * What de-bleed leaves, by the drum's own decay: in every third of an octave a drum may sound after a stroke as long and as loud as its other strokes do there; what
 * is louder is taken down to that. It reaches what the spatial model cannot tell apart: a drum that rings along with others sounds from its own place.
 */
import { carriedOn } from '../clean/ring';
import { quantile } from '../hits/candidates';
import type { Kind } from '../hits/kinds';
import { type Frames, HOP, PEAK_MS, SIZE, framesOf, peakOf, withGains } from './bandFrames';
import { type Held, REACH, heldBefore } from './untilStrokes';

const LONGEST_S = 4;
const LEAST_STROKES = 3;
/** Of the levels that strokes have at a time: low, since others only add. */
const QUANTILE = 0.4;
/** How far over the usual decay a stroke may lie, dB. */
const MARGIN_DB = 5;
/** Slopes that are believed, dB per ms. */
const SLOPE = { least: -0.02, most: -0.3 };
/** Decay is believed down to this over the level before strokes, and never deeper than this below the peak, dB. */
const OVER_FLOOR_DB = 9;
/** In bands in which less than this is heard before strokes, dB under the stroke's peak, a drum may lie so much over its usual decay, and whatever is no softer than so far under its softest usual strokes stays: one that nobody found. */
const CLEAN_DB = -35;
const CLEAN_MARGIN_DB = 8;
const UNFOUND_DB = 12;
/** With less, kicks lost of their sustain. */
const KICK_MARGIN_DB = 20;
const SOFT_QUANTILE = 0.05;
const DEEPEST_DB = -45;
/** In bands where a drum hardly stands out it is believed to fall by this before the rest is carried on, dB. */
const LEAST_DECAY_DB = -3;
/** A drum is heard in a band where its strokes are this much louder than what is there before them, dB. */
const STANDS_OUT_DB = 6;
const DEEPEST_GAIN = 10 ** (-60 / 20);
/** What is louder than the drum can be is taken down to that; where a stroke has fallen by so much in the band it is mostly others', and taken down the further the more it is louder: deeper by so much, as far as this power of what it may be against what it is, dB. A snare's wires ring now shorter, now longer: it lost of its sustain. */
const MOSTLY_OTHERS_DB = -25;
const WITHIN_DB = 8;
const STEEPEST = 2;
/** By this power it comes out at what it may be. */
const LEVEL = 0.5;
/** How hard a stroke is is told by so many bands, the loudest of the drum. */
const LOUDEST = 8;
/** After its attack a stroke is believed to have so much more in a band than the least that strokes have there for how hard they are, dB: what is more was struck with it. */
const MORE_DB = 2;
const LEAST_QUANTILE = 0.1;
/** With fewer strokes than this none may have been struck alone. */
const ENOUGH_STROKES = 8;

interface BandRing {
  /** Level after a stroke by band, one value each HOP samples, dB against the stroke's peak in the band; 0 at the attack, never rising. */
  readonly decayDb: readonly (readonly number[])[];
  /** How far over that a stroke may lie, by band, dB. */
  readonly marginDb: readonly number[];
  /** Bands in which little else is left. */
  readonly clean: readonly boolean[];
  /** Peak of a stroke by its peaks in all bands, as far as it is the drum's own, dB. */
  readonly ownPeak: (peaks: readonly number[], band: number) => number;
}

const db = (p: number) => 10 * Math.log10(p + 1e-14);

/** Peaks of a stroke by band, dB. */
const peaksAt = (f: Frames, h: number): number[] => Array.from({ length: f.bands }, (_, b) => db(peakOf(f, Math.min(f.count - 1, Math.round(h / HOP)), b)));

/** Strokes of toms are too unlike each other: by the least of them they lost of their sustain. */
const asHeard: BandRing['ownPeak'] = (peaks, band) => peaks[band];

/** What strokes have in each band for how hard they are: hats and cymbals that are struck with a drum brighten it, but seldom at its every stroke. */
function ownPeaks(strokes: readonly (readonly number[])[]): BandRing['ownPeak'] {
  if (strokes.length < ENOUGH_STROKES) return asHeard;
  const usual = strokes[0].map((_, b) => quantile(strokes.map((p) => p[b]), 0.5));
  const loudest = Array.from(usual.keys()).sort((a, b) => usual[b] - usual[a]).slice(0, LOUDEST);
  const hardness = (peaks: readonly number[]) => loudest.reduce((a, b) => a + peaks[b] - usual[b], 0) / loudest.length;
  const hard = strokes.map(hardness);
  const least = usual.map((_, b) => quantile(strokes.map((p, i) => p[b] - hard[i]), LEAST_QUANTILE));
  return (peaks, band) => Math.min(peaks[band], hardness(peaks) + least[band] + MORE_DB);
}

/** So long after its last stroke a drum is believed to have rung out, seconds; in dense playing the frames that come latest after one stand for that. */
const GONE_S = 1.5;
const LATEST_SHARE = 0.08;

/** Frames in which the drum itself is silent, or nearly. */
function silentFrames(f: Frames, rate: number, at: readonly number[]): number[] {
  const since: number[] = [];
  let k = -1;
  for (let i = 0; i < f.count; i++) {
    while (k + 1 < at.length && at[k + 1] - Math.ceil(SIZE / 2 / HOP) - 1 <= i) k++;
    // what is before the first stroke is silent, but for the first frames of the recording
    since.push(k < 0 ? (i < 8 ? 0 : Number.POSITIVE_INFINITY) : i - at[k]);
  }
  const gone = Math.min((GONE_S * rate) / HOP, quantile(since.filter(Number.isFinite), 1 - LATEST_SHARE));
  return since.flatMap((s, i) => (s >= gone && s > 0 ? [i] : []));
}

/** How a drum rings in its mic, from what de-bleed left there; `own`: frames of its strokes, rising. */
function ringOf(f: Frames, rate: number, own: readonly number[], kind: Kind): BandRing {
  const at = own.map((h) => Math.min(f.count - 1, Math.round(h / HOP)));
  const clear = Math.ceil(SIZE / 2 / HOP) + 1;
  const longest = Math.round((LONGEST_S * rate) / HOP);
  const stepMs = (1000 * HOP) / rate;
  const enough = Math.min(4, Math.max(2, Math.floor(own.length / 3)));
  const silent = silentFrames(f, rate, at);
  const clean = new Array<boolean>(f.bands).fill(false);
  const decayDb = Array.from({ length: f.bands }, (_, b) => {
    const peaks = at.map((k) => db(peakOf(f, k, b)));
    const middle = quantile(peaks, 0.5);
    const steps: number[][] = [];
    at.forEach((k, i) => {
      if (peaks[i] < middle) return;
      const end = Math.min(f.count, (at[i + 1] ?? f.count) - clear);
      for (let s = 0; s < longest && k + s < end; s++) {
        steps[s] ??= [];
        steps[s].push(db(f.power[(k + s) * f.bands + b]) - peaks[i]);
      }
    });
    const heard: number[] = [];
    for (let s = 0; s < steps.length && steps[s].length >= enough; s++) {
      const v = s * stepMs <= PEAK_MS ? 0 : quantile(steps[s], QUANTILE);
      heard.push(Math.min(v, heard[s - 1] ?? 0));
    }
    if (heard.length === 0) heard.push(0);
    const before = silent.map((k) => db(f.power[k * f.bands + b]) - middle);
    const floor = before.length >= LEAST_STROKES ? quantile(before, 0.3) + OVER_FLOOR_DB : DEEPEST_DB;
    clean[b] = before.length >= LEAST_STROKES && quantile(before, 0.7) < CLEAN_DB;
    // no louder at strokes than before them: nothing of the drum is heard here once the stick has
    if (before.length >= LEAST_STROKES && quantile(before, 0.5) > -STANDS_OUT_DB) heard.length = Math.min(heard.length, Math.ceil(PEAK_MS / stepMs) + 1);
    return carriedOn(heard, Math.min(LEAST_DECAY_DB, Math.max(DEEPEST_DB, floor)), stepMs, SLOPE, longest);
  });
  return { decayDb, ownPeak: kind === 'tom' ? asHeard : ownPeaks(own.map((h) => peaksAt(f, h))), marginDb: clean.map((c) => (!c ? MARGIN_DB : kind === 'kick' ? KICK_MARGIN_DB : CLEAN_MARGIN_DB)), clean };
}

/**
 * The mic with everything taken down that is louder than its drum can be there, by how it rings in the mic itself; `own`: frames of strokes, rising; `possible`: doubtful ones too. With fewer than three
 * strokes there is nothing to tell that by: the mic comes back as it is. `into`: where to write, may be `x` itself. `held` is given what is to be put there once the drum's ring has been learnt (untilStrokes.ts).
 */
export function followRing(x: Float32Array, rate: number, kind: Kind, own: readonly number[], possible: readonly number[] = own, into?: Float32Array, held?: Held[]): Float32Array {
  if (own.length < LEAST_STROKES) return x;
  const f = framesOf(x, rate);
  const { bands, count, power } = f;
  const ring = ringOf(f, rate, own, kind);
  const { allowed, steep } = allowedBy(f, rate, ring, own, possible, kind === 'snare' ? LEVEL : STEEPEST);
  const level = Float64Array.from({ length: count }, (_, k) => db(power.subarray(k * bands, (k + 1) * bands).reduce((a, v) => a + v, 0)));
  const within = Math.ceil(((PEAK_MS / 1000) * rate) / HOP);
  const peaks = own.map((h) => level.subarray(Math.min(count - 1, Math.round(h / HOP))).subarray(0, within + 1).reduce((a, v) => Math.max(a, v), -200));
  const unfound = quantile(peaks, SOFT_QUANTILE) - UNFOUND_DB;
  const gains = (k: number, gain: Float64Array) => {
    for (let b = 0; b < bands; b++) {
      const i = Math.max(0, k) * bands + b;
      gain[b] = power[i] <= allowed[i] || (ring.clean[b] && level[k] > unfound) ? 1 : Math.max(DEEPEST_GAIN, (allowed[i] / power[i]) ** steep[i]);
    }
  };
  held?.push(...heldBefore(x, rate, possible, gains, (k, gain) => gains(k - REACH - 1, gain)));
  return withGains(x, rate, gains, into);
}

/** Power that the drum may have, count x bands: of its strokes together, in clean bands of doubtful ones too; and by what power of that against what is there it is taken down. */
function allowedBy(f: Frames, rate: number, ring: BandRing, own: readonly number[], possible: readonly number[], steepest: number): { readonly allowed: Float32Array; readonly steep: Float32Array } {
  const { bands, count } = f;
  const allowed = new Float32Array(count * bands);
  const loudest = new Float32Array(count * bands);
  const steep = new Float32Array(count * bands).fill(LEVEL);
  const told = (list: readonly number[]) => list.map((h) => ({ k: Math.min(count - 1, Math.round(h / HOP)), peaks: peaksAt(f, h) }));
  const [strokes, all] = [told(own), told(possible)];
  for (let b = 0; b < bands; b++) {
    const margin = 10 ** (ring.marginDb[b] / 10);
    const decay = ring.decayDb[b];
    const lasting = decay.map((d) => 10 ** (d / 10));
    const steepness = decay.map((d) => LEVEL + (steepest - LEVEL) * Math.min(1, Math.max(0, (MOSTLY_OTHERS_DB - d) / WITHIN_DB)));
    for (const { k, peaks } of ring.clean[b] ? all : strokes) {
      const peak = 10 ** (ring.ownPeak(peaks, b) / 10) * margin;
      for (let s = -SIZE / 2 / HOP; s < decay.length && k + s < count; s++) {
        if (k + s < 0) continue;
        const i = (k + s) * bands + b;
        const may = s * HOP <= (PEAK_MS * rate) / 1000 ? Number.POSITIVE_INFINITY : peak * lasting[s];
        allowed[i] += may;
        if (may <= loudest[i]) continue;
        loudest[i] = may;
        steep[i] = steepness[Math.max(0, s)];
      }
    }
  }
  return { allowed, steep };
}
