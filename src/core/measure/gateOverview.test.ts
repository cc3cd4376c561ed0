import { describe, expect, it } from 'vitest';
import { createDetector } from '../clean/detector';
import { createGate } from '../clean/gate';
import { createGaussian, createRng } from '../dsp/rng';
import { createHitKey } from '../clean/hitKey';
import { GATE_DEFAULTS, type GateSettings } from '../params/gateParams';
import type { KeyHit } from '../plan/live';
import { gateGains, gateOverview, heardPeaks } from './gateOverview';

const RATE = 48000;

describe('gate overview', () => {
  const g = createGaussian(createRng(7));
  const x = Float32Array.from({ length: 60000 }, (_, i) => 0.3 * g() * Math.exp(-(i % 15000) / 2000));
  /** Largest difference between the mic times the gains and the rendered gate. */
  const difference = (patch: Partial<GateSettings>, hits: readonly KeyHit[] = []) => {
    const settings = { ...GATE_DEFAULTS, on: true, thresholdDb: -20, ...patch };
    const power = new Float64Array(x.length);
    if (settings.keyBy === 'hits') {
      const key = createHitKey(RATE);
      key.set(hits, settings);
      key.fill(power, 0, x.length, 0);
    } else createDetector(RATE, settings).process(x, power, 0, x.length);
    const gain = new Float32Array(x.length);
    gateGains(RATE, settings, power, gain);
    const gate = createGate(RATE, settings, hits);
    const padded = new Float32Array(x.length + gate.latency);
    padded.set(x);
    const y = new Float32Array(padded.length);
    gate.process(padded, padded, y, padded.length);
    // the last 10 ms hear past the end of the song and may differ
    return x.subarray(0, x.length - gate.latency).reduce((most, v, i) => Math.max(most, Math.abs(y[i + gate.latency] - v * gain[i])), 0);
  };

  it('draws what the gate does: the gains are those of the render', () => {
    for (const s of [{}, { lookaheadMs: 0 }, { lookaheadMs: 10, keyLpHz: 900 }, { ratio: 3, holdMs: 0, hysteresisDb: 0, rangeDb: 40 }, { detector: 'rms' as const }]) expect(difference(s)).toBeLessThan(1e-6);
  });

  it('draws so what hits open too, soft ones for a shorter time', () => {
    const hits = [{ frame: 4000, strength: 1 }, { frame: 9000, strength: 0.1 }, { frame: 30000, strength: 0.05 }];
    for (const s of [{}, { softShorter: 70 }, { softShorter: 70, softDb: 6, lookaheadMs: 3.5 }]) expect(difference({ keyBy: 'hits', holdMs: 200, releaseMs: 50, ...s }, hits)).toBeLessThan(1e-6);
  });

  it('counts openings, and what stays outside', () => {
    const n = 100 * 256;
    const audio = new Float32Array(n).fill(0.01);
    const gain = new Float32Array(n);
    const power = new Float64Array(n).fill(1e-4);
    for (const [from, peak] of [[2000, 0.5], [12000, 0.2]]) {
      gain.fill(1, from, from + 3000);
      audio[from + 10] = peak;
    }
    audio[20000] = 0.05;
    const { figures, clean, level } = gateOverview(audio, gain, power, 1);
    expect(figures.openings).toBe(2);
    expect(figures.openShare).toBeCloseTo(6000 / n, 6);
    expect(figures.softestOpenDb).toBeCloseTo(20 * Math.log10(0.2), 4);
    expect(figures.loudestClosedDb).toBeCloseTo(20 * Math.log10(0.05), 4);
    expect(figures.takenDb).toBe(-120);
    expect(clean[0]).toBe(0);
    expect(heardPeaks(audio, gain, 1)).toEqual(clean);
    expect(heardPeaks(audio, gain, 0.5)).toEqual(clean.map((v) => 0.5 * v));
    expect(level[5]).toBeCloseTo(0.01, 6);
  });

  it('counts no fade among what is taken while closed, whatever is left there', () => {
    const n = 40 * 256;
    const power = new Float64Array(n);
    const audio = Float32Array.from({ length: n }, (_, i) => (i < n / 2 ? 0.5 : 0.1));
    for (const least of [0.001, 0.1]) {
      const gain = Float32Array.from({ length: n }, (_, i) => (i < 1000 ? 1 : Math.max(least, 1 - (i - 1000) / 2000)));
      const { takenDb } = gateOverview(audio, gain, power, 1).figures;
      // with the whole fade counted it would be -16 dB where nearly nothing is left
      expect(takenDb).toBeGreaterThanOrEqual(20 * Math.log10(least) - 0.01);
      expect(takenDb).toBeLessThan(20 * Math.log10(least) + 2);
    }
  });

  it('has no figure where there is nothing to tell', () => {
    const { figures } = gateOverview(new Float32Array(512), new Float32Array(512).fill(1), new Float64Array(512), 1);
    expect(figures).toEqual({ openings: 1, openShare: 1, takenDb: null, loudestClosedDb: null, softestOpenDb: null });
  });
});
