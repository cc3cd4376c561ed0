/**
 * From the key's power to the gate's gain: open or closed, with hysteresis and hold, then attack and release.
 *
 * - Powers are compared in the linear domain: no logarithm a sample. Only the sloped part of an expander needs log and pow.
 * - Where hits open the gate, the powers are 0 except at hits, where they are the gain to open to, and as long after loud ones as those hold longer than soft ones; see hitKey.
 * - The gain rises evenly in amplitude (no corner at the loud end, where it would click) and falls evenly in dB, as drums do.
 */
import { dbToGain } from '../dsp/db';
import { type GateSettings, closedGain, isHardGate, leastHoldMs } from '../params/gateParams';
import { expanderReductionDb } from './gateCurve';

/** Silence counts as this many dB for the speed of release; a gain under -96 dB is zero. */
const SILENCE_DB = 96;
const SILENCE = 10 ** (-SILENCE_DB / 20);

export interface GainStage {
  /**
   * Gains (linear) of `n` frames from `from` on, from the powers at the same positions; `gain` may not be `power`.
   * Allocates nothing; the result does not depend on how a signal is cut into blocks.
   */
  process(power: Float64Array, gain: Float64Array | Float32Array, from: number, n: number): void;
  set(s: GateSettings): void;
  /** Closed, as before the first sample; open where the gate is off. */
  reset(): void;
}

/** `rate` in Hz. */
export function createGainStage(rate: number, initial: GateSettings): GainStage {
  let on = false;
  let hard = true;
  let byHits = false;
  let openDb = 0;
  let closeDb = 0;
  let openPower = 0;
  let closePower = 0;
  let ratio = 1;
  let kneeDb = 0;
  let floor = 0;
  let floorDb = 0;
  let holdFrames = 0;
  let riseStep = 1;
  let fallFactor = 0;

  let isOpen = false;
  let holdLeft = 0;
  let gain = 1;
  let openGain = 1;

  function set(s: GateSettings) {
    on = s.on;
    byHits = s.keyBy === 'hits';
    hard = byHits || isHardGate(s);
    openDb = s.thresholdDb;
    closeDb = s.thresholdDb - s.hysteresisDb;
    openPower = byHits ? 1e-9 : 10 ** (openDb / 10);
    closePower = byHits ? 1e-9 : 10 ** (closeDb / 10);
    ratio = s.ratio;
    kneeDb = s.kneeDb;
    floor = closedGain(s);
    floorDb = floor > 0 ? -s.rangeDb : Number.NEGATIVE_INFINITY;
    holdFrames = Math.round(((byHits ? leastHoldMs(s) : s.holdMs) / 1000) * rate);
    // at least a tenth of the way and one dB in the given time, so that a range of 0 does not leave the gain where it was
    riseStep = Math.max(1 - floor, 0.1) / Math.max(1, (s.attackMs / 1000) * rate);
    fallFactor = dbToGain(-Math.max(1, floor > 0 ? s.rangeDb : SILENCE_DB) / Math.max(1, (s.releaseMs / 1000) * rate));
  }

  /** Gain wanted at a power, for ratios under 100:1; `cornerDb` is that of the open or of the closed gate. */
  function sloped(power: number, cornerDb: number): number {
    const levelDb = 10 * Math.log10(power + 1e-20);
    if (levelDb >= cornerDb + kneeDb / 2) return 1;
    const reduction = expanderReductionDb(levelDb, cornerDb, ratio, kneeDb);
    return -reduction <= floorDb ? floor : dbToGain(-reduction);
  }

  set(initial);
  const reset = () => {
    isOpen = false;
    holdLeft = 0;
    openGain = 1;
    gain = on ? floor : 1;
  };
  reset();
  return {
    process(power, out, from, n) {
      // locals: the engine keeps them in registers
      const [opens, closes, rise, fall, low, holds, active, switching, hits] = [openPower, closePower, riseStep, fallFactor, floor, holdFrames, on, hard, byHits];
      let [o, hold, g, top] = [isOpen, holdLeft, gain, hits ? openGain : 1];
      for (let i = from; i < from + n; i++) {
        const p = power[i];
        if (hits && p > 0) top = p;
        if (o) {
          if (p >= closes) hold = holds;
          else if (hold > 0) hold--;
          else o = false;
        } else if (p >= opens) {
          o = true;
          hold = holds;
        }
        let wanted = 1;
        if (active) {
          if (switching) wanted = o ? top : low;
          else if (!o) wanted = sloped(p, openDb);
          else if (hold === 0) wanted = sloped(p, closeDb);
        }
        if (g < wanted) {
          g += rise;
          if (g > wanted) g = wanted;
        } else if (g > wanted) {
          g *= fall;
          if (g < wanted) g = wanted;
          else if (wanted === 0 && g < SILENCE) g = 0;
        }
        out[i] = g;
      }
      [isOpen, holdLeft, gain, openGain] = [o, hold, g, top];
    },
    set,
    reset,
  };
}
