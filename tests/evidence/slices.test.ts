/** Slices, tails and rings against what is known outside the project. */
import { describe, expect, it } from 'vitest';
import { learnRing } from '../../src/core/clean/ring';
import { symmetricLowpass, tailLatency } from '../../src/core/clean/tailStage';
import { createGaussian, createRng } from '../../src/core/dsp/rng';
import { SLICE_DEFAULTS, SLICE_PARAMS, TAIL_DEFAULTS } from '../../src/core/params/sliceParams';
import { STARTING_POINTS } from '../../src/core/plan/startingPoints';
import { strokeSound } from '../../src/demo/strokes';

const RATE = 48000;

describe('defaults', () => {
  // common practice, no source: lead 3 to 6 ms (kick) and more for toms, up to 0.1 s; fades out of 50 to 200 ms; 20 dB of gap often enough; low-pass at about 1 kHz
  it('lie where practice puts them', () => {
    expect(SLICE_DEFAULTS.leadMs).toBeGreaterThanOrEqual(3);
    expect(SLICE_PARAMS.leadMs.max).toBeGreaterThanOrEqual(100);
    expect(SLICE_DEFAULTS.fadeOutMs).toBeGreaterThanOrEqual(50);
    expect(SLICE_DEFAULTS.fadeOutMs).toBeLessThanOrEqual(200);
    expect(TAIL_DEFAULTS.lowpassHz).toBe(1000);
    expect(SLICE_DEFAULTS.openDb - SLICE_DEFAULTS.closeDb).toBeGreaterThanOrEqual(15);
    expect(STARTING_POINTS.filter((p) => p.gate?.rangeDb === 20 || p.slices?.gapDb === 20).length).toBeGreaterThan(0);
  });
});

describe('the low-pass of tail damping', () => {
  // S. Butterworth, Wireless Engineer 7, 1930: an order of 4 falls by 24 dB per octave far above its corner
  it('falls by 24 dB per octave', () => {
    const h = symmetricLowpass(RATE, 1000, tailLatency(RATE));
    const db = (hz: number) => 20 * Math.log10(Math.abs(h.reduce((s, v, i) => s + (i ? 2 : 1) * v * Math.cos((2 * Math.PI * hz * i) / RATE), 0)));
    expect(Math.abs(db(1500) - db(3000) - 24)).toBeLessThan(1.5);
  });
});

describe("a drum's ring", () => {
  // M. Schroeder, JASA 37(3), 1965: the decay is the backward integral of the squared response
  it('falls as the backward integral of single strokes does', () => {
    const at = Array.from({ length: 10 }, (_, i) => Math.round((0.5 + 2 * i) * RATE));
    const x = new Float32Array(21 * RATE);
    const g = createGaussian(createRng(4));
    for (let i = 0; i < x.length; i++) x[i] = 1e-5 * g();
    const slopes: number[] = [];
    at.forEach((f, k) => {
      const [a, b] = strokeSound({ drum: 'tom-2', time: 0, strength: 0.9 }, 2, RATE, 50 + k);
      for (let i = 0; i < a.length; i++) x[f + i] += a[i] + b[i];
      const e = new Float64Array(a.length + 1);
      for (let i = a.length - 1; i >= 0; i--) e[i] = e[i + 1] + (a[i] + b[i]) ** 2;
      const db = (s: number) => 10 * Math.log10(e[Math.round(s * RATE)] / e[0]);
      slopes.push((db(0.7) - db(0.3)) / 0.4);
    });
    const slope = slopes.sort((p, q) => p - q)[5];
    const ring = learnRing(x, RATE, 'tom-2', at);
    const d = ring?.decayDb ?? [];
    expect(Math.abs((d[70] - d[30]) / 0.4 - slope)).toBeLessThan(0.15 * Math.abs(slope));
  });
});
