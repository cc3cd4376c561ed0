/** The gate against published and derived values. Each check names its source. */
import { describe, expect, it } from 'vitest';
import { createDetector, PEAK_FALL_MS, RMS_MS } from '../../src/core/clean/detector';
import { createGainStage } from '../../src/core/clean/gainStage';
import { createGate, gateLatency } from '../../src/core/clean/gate';
import { expanderReductionDb, gateCurveDb } from '../../src/core/clean/gateCurve';
import { GATE_DEFAULTS, GATE_PARAMS, type GateSettings } from '../../src/core/params/gateParams';

const RATE = 48000;
const on = (s: Partial<GateSettings>): GateSettings => ({ ...GATE_DEFAULTS, on: true, ...s });

/** Output level of the running gate for a steady level, dB. */
function steady(s: GateSettings, levelDb: number): number {
  const gate = createGate(RATE, s);
  const x = new Float32Array(RATE).fill(10 ** (levelDb / 20));
  const y = new Float32Array(RATE);
  gate.process(x, x, y, RATE);
  return 20 * Math.log10(y[RATE - 1]);
}

describe('gate curve', () => {
  // D. Giannoulis, M. Massberg, J. Reiss, JAES 60(6), 2012, eq. 4, mirrored for expansion: y = T + R(x - T) under the threshold
  it('under the threshold the output falls by the ratio: y = T + R(x - T)', () => {
    const s = on({ ratio: 3, kneeDb: 0, thresholdDb: -30, hysteresisDb: 0, holdMs: 0, rangeDb: 90, releaseMs: 5 });
    for (const x of [-31, -35, -40, -50]) {
      expect(gateCurveDb(s, x, false)).toBeCloseTo(-30 + 3 * (x + 30), 6);
      expect(steady(s, x)).toBeCloseTo(-30 + 3 * (x + 30), 2);
    }
    for (const x of [-30, -20, 0]) expect(steady(s, x)).toBeCloseTo(x, 4);
  });

  // the same paper, the quadratic knee of width W, mirrored: continuous in value and slope at both of its ends
  it('the knee meets both straight lines without a corner', () => {
    const [T, R, W] = [-30, 4, 12];
    const d = 1e-4;
    const slope = (x: number) => (expanderReductionDb(x + d, T, R, W) - expanderReductionDb(x - d, T, R, W)) / (2 * d);
    expect(expanderReductionDb(T + W / 2, T, R, W)).toBe(0);
    expect(slope(T + W / 2)).toBeCloseTo(0, 3);
    expect(expanderReductionDb(T - W / 2, T, R, W)).toBeCloseTo((R - 1) * (W / 2), 9);
    expect(slope(T - W / 2)).toBeCloseTo(-(R - 1), 3);
    // in the middle: (R - 1) W / 8, derived from the quadratic
    expect(expanderReductionDb(T, T, R, W)).toBeCloseTo(((R - 1) * W) / 8, 9);
    const s = on({ ratio: R, kneeDb: W, thresholdDb: T, hysteresisDb: 0, holdMs: 0, releaseMs: 5 });
    expect(steady(s, T)).toBeCloseTo(T - ((R - 1) * W) / 8, 2);
  });

  // derived: the range is a floor of the gain
  it('the range limits the reduction', () => {
    const s = on({ ratio: 10, kneeDb: 0, thresholdDb: -20, hysteresisDb: 0, holdMs: 0, rangeDb: 24, releaseMs: 5 });
    expect(steady(s, -22)).toBeCloseTo(-40, 2);
    expect(steady(s, -50)).toBeCloseTo(-74, 2);
  });
});

describe('ballistics', () => {
  // derived: a one-pole reaches 1 - 1/e of a step after one time constant
  it('the short RMS reads 63.2 % of a step in power after one time constant', () => {
    const d = createDetector(RATE, { ...GATE_DEFAULTS, detector: 'rms' });
    const n = Math.round((RMS_MS / 1000) * RATE);
    const power = new Float64Array(n);
    d.process(new Float32Array(n).fill(1), power, 0, n);
    expect(power[n - 1]).toBeCloseTo(1 - 1 / Math.E, 4);
  });

  // derived: the RMS of a sine is 3.01 dB under its peak
  it('a sine reads 3.01 dB lower by RMS than by peak', () => {
    const x = Float32Array.from({ length: RATE }, (_, i) => 0.5 * Math.sin((2 * Math.PI * 400 * i) / RATE));
    const level = (detector: 'peak' | 'rms') => {
      const power = new Float64Array(RATE);
      createDetector(RATE, { ...GATE_DEFAULTS, detector }).process(x, power, 0, RATE);
      const tail = power.subarray(RATE / 2);
      return 10 * Math.log10(tail.reduce((a, b) => a + b, 0) / tail.length);
    };
    expect(level('peak')).toBeCloseTo(20 * Math.log10(0.5), 2);
    expect(level('peak') - level('rms')).toBeCloseTo(3.0103, 2);
  });

  // derived: after its hold the peak falls by 1/e (8.69 dB) in one time constant
  it('the peak detector falls by its time constant', () => {
    const x = new Float32Array(RATE);
    x[0] = 1;
    const power = new Float64Array(RATE);
    createDetector(RATE, GATE_DEFAULTS).process(x, power, 0, RATE);
    const start = power.findIndex((p) => p < 1) - 1;
    const tau = Math.round((PEAK_FALL_MS / 1000) * RATE);
    expect(Math.sqrt(power[start + tau])).toBeCloseTo(1 / Math.E, 4);
  });

  // derived: time from open to closed, evenly in dB: after half the time half the dB
  it('release falls evenly in dB over exactly its time', () => {
    const s = on({ rangeDb: 60, releaseMs: 200, holdMs: 0, hysteresisDb: 0, thresholdDb: -20 });
    const n = RATE;
    const power = new Float64Array(n);
    power.fill(1, 0, 1000);
    const gain = new Float64Array(n);
    createGainStage(RATE, s).process(power, gain, 0, n);
    const db = (i: number) => 20 * Math.log10(gain[i]);
    for (const part of [0.25, 0.5, 0.75]) expect(db(999 + part * 9600)).toBeCloseTo(-60 * part, 1);
    expect(db(999 + 9600)).toBeCloseTo(-60, 3);
    expect(db(999 + 9500)).toBeGreaterThan(-60);
  });

  // derived: time from closed to fully open, evenly in amplitude
  it('attack rises evenly in amplitude over exactly its time', () => {
    const s = on({ rangeDb: 90, attackMs: 10, thresholdDb: -20 });
    const power = new Float64Array(2000).fill(1);
    const gain = new Float64Array(2000);
    createGainStage(RATE, s).process(power, gain, 0, 2000);
    expect(gain[239]).toBeCloseTo(0.5, 6);
    expect(gain[479]).toBeCloseTo(1, 6);
    expect(gain[470]).toBeLessThan(1);
  });
});

describe('practice', () => {
  // common practice, no source: the figures practitioners set
  it('every setting reaches what practitioners use', () => {
    const within = (id: 'holdMs' | 'releaseMs' | 'lookaheadMs' | 'rangeDb' | 'ratio' | 'attackMs' | 'hysteresisDb', ...values: number[]) => {
      for (const v of values) {
        expect(v, id).toBeGreaterThanOrEqual(GATE_PARAMS[id].min);
        expect(v, id).toBeLessThanOrEqual(GATE_PARAMS[id].max);
      }
    };
    within('holdMs', 0, 4000);
    within('releaseMs', 100, 400, 500);
    within('lookaheadMs', 1, 2, 10);
    within('rangeDb', 20, 50, 80, 90);
    within('ratio', 3, 100);
    within('attackMs', 0.1, 1.5, 10);
    // opens at -16, closes at -32; closing level down around 30 dB
    within('hysteresisDb', 16, 30);
    expect(gateLatency(48000)).toBe(480);
  });

  // common practice, no source: sound is 343 m/s, so a look-ahead of 2 ms bridges 69 cm between a drum and a mic that keys it
  it('the default look-ahead bridges the way from a kick in to a kick out mic', () => {
    expect((GATE_DEFAULTS.lookaheadMs / 1000) * 343).toBeGreaterThan(0.4);
  });
});
