/**
 * A gate's work over a whole mic at once, for drawing and figures: the gain of every frame, its peaks per bin, and what was taken.
 * Made with the very detector and gain stage that render; a test holds both equal.
 */
import { lookaheadFrames } from '../clean/gate';
import { createGainStage } from '../clean/gainStage';
import { gainToDb } from '../dsp/db';
import { PEAK_BASE } from '../dsp/peaks';
import type { GateSettings } from '../params/gateParams';

/**
 * Gain (linear, output level not included) of every frame of a mic from its key's powers (see Detector). Same length; `rate` in Hz.
 * The last frames, whose look-ahead reaches past the end, hear the last power held.
 */
export function gateGains(rate: number, s: GateSettings, power: Float64Array, gain: Float32Array): void {
  const n = power.length;
  const ahead = Math.min(n, lookaheadFrames(rate, s));
  const stage = createGainStage(rate, s);
  const edge = new Float64Array(ahead);
  stage.process(power, edge, 0, ahead);
  const rest = power.subarray(ahead);
  stage.process(rest, gain, 0, rest.length);
  if (ahead === 0) return;
  stage.process(new Float64Array(ahead).fill(power[n - 1]), edge, 0, ahead);
  gain.set(edge, n - ahead);
}

export interface GateFigures {
  /** How often it opens. */
  readonly openings: number;
  /** Share of the time it is open, 0..1. */
  readonly openShare: number;
  /** Energy taken while it is closed and the fade is over, dB, negative or 0, at most 120; null where it never is. */
  readonly takenDb: number | null;
  /** Loudest peak while closed, dBFS; null where there is none. */
  readonly loudestClosedDb: number | null;
  /** Peak of the softest opening, dBFS; null where there is none. */
  readonly softestOpenDb: number | null;
}

export interface GateOverview {
  /** Min/max pairs of the cleaned mic per bin of 256 frames. */
  readonly clean: Float32Array;
  /** Lowest and highest gain per bin, pairs. */
  readonly gain: Float32Array;
  /** Highest key level per bin, linear amplitude. */
  readonly level: Float32Array;
  readonly figures: GateFigures;
}

/** A fade is over where no more than this is left, or twice the least that ever is. */
const FADED = 0.01;

/** A gate counts as open while its gain is over -6 dB. `outGain` is the linear output level. All arrays have the same length. */
export function gateOverview(audio: Float32Array, gain: Float32Array, power: Float64Array, outGain: number): GateOverview {
  const n = audio.length;
  const bins = Math.ceil(n / PEAK_BASE);
  const clean = new Float32Array(bins * 2);
  const gains = new Float32Array(bins * 2);
  const level = new Float32Array(bins);
  let [openFrames, openings, closedIn, closedOut, closedPeak, openPeak] = [0, 0, 0, 0, 0, 0];
  let softest = Number.POSITIVE_INFINITY;
  let open = false;
  let least = Number.POSITIVE_INFINITY;
  for (let i = 0; i < n; i++) if (gain[i] < least) least = gain[i];
  const faded = Math.max(FADED, 2 * least);
  for (let b = 0; b < bins; b++) {
    const to = Math.min(n, (b + 1) * PEAK_BASE);
    let [lo, hi, glo, ghi, p] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY, Number.POSITIVE_INFINITY, 0, 0];
    for (let i = b * PEAK_BASE; i < to; i++) {
      const g = gain[i];
      const x = audio[i];
      const y = x * g * outGain;
      if (y < lo) lo = y;
      if (y > hi) hi = y;
      if (g < glo) glo = g;
      if (g > ghi) ghi = g;
      if (power[i] > p) p = power[i];
      const a = x < 0 ? -x : x;
      if (g > 0.5) {
        openFrames++;
        if (!open) {
          open = true;
          openings++;
          openPeak = 0;
        }
        if (a > openPeak) openPeak = a;
      } else {
        if (open) {
          open = false;
          softest = Math.min(softest, openPeak);
        }
        if (g <= faded) {
          closedIn += x * x;
          closedOut += x * g * x * g;
        }
        if (a > closedPeak) closedPeak = a;
      }
    }
    clean[2 * b] = lo;
    clean[2 * b + 1] = hi;
    gains[2 * b] = glo;
    gains[2 * b + 1] = ghi;
    level[b] = Math.sqrt(p);
  }
  if (open) softest = Math.min(softest, openPeak);
  return {
    clean,
    gain: gains,
    level,
    figures: {
      openings,
      openShare: n ? openFrames / n : 0,
      takenDb: closedIn > 0 ? Math.min(0, Math.max(-120, 10 * Math.log10((closedOut + 1e-30) / closedIn))) : null,
      loudestClosedDb: closedPeak > 0 ? gainToDb(closedPeak) : null,
      softestOpenDb: Number.isFinite(softest) && softest > 0 ? gainToDb(softest) : null,
    },
  };
}

/** Min/max pairs of what is heard of a mic, per bin of 256 frames: another sound than the one the overview was made of, under the same gain. */
export function heardPeaks(audio: Float32Array, gain: Float32Array, outGain: number): Float32Array {
  const bins = Math.ceil(audio.length / PEAK_BASE);
  const out = new Float32Array(bins * 2);
  for (let b = 0; b < bins; b++) {
    const to = Math.min(audio.length, (b + 1) * PEAK_BASE);
    let [lo, hi] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
    for (let i = b * PEAK_BASE; i < to; i++) {
      const y = audio[i] * gain[i] * outGain;
      if (y < lo) lo = y;
      if (y > hi) hi = y;
    }
    out[2 * b] = lo;
    out[2 * b + 1] = hi;
  }
  return out;
}
