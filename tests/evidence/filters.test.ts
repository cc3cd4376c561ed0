/** Filters against closed forms. Comparison with the browser's own filters is in tests/browser. */
import { describe, expect, it } from 'vitest';
import { createKeyFilter } from '../../src/core/clean/keyFilter';
import { biquadCoefficients, biquadResponse, butterworthQs } from '../../src/core/dsp/biquad';
import { GATE_DEFAULTS } from '../../src/core/params/gateParams';

const RATE = 48000;
const db = (x: number) => 20 * Math.log10(x);
const response = (type: 'lowpass' | 'highpass', order: number, corner: number, hz: number) =>
  db(butterworthQs(order).reduce((m, q) => m * biquadResponse(biquadCoefficients(type, RATE, corner, q), RATE, hz).magnitude, 1));

/** Frequency of the analogue prototype that the bilinear transform puts at `hz`, for a corner at `corner`: ratio to it. */
const warped = (hz: number, corner: number) => Math.tan((Math.PI * hz) / RATE) / Math.tan((Math.PI * corner) / RATE);

/** Level of a sine through the running filter, dB. */
function through(settings: Partial<typeof GATE_DEFAULTS>, hz: number): number {
  const x = Float64Array.from({ length: RATE }, (_, i) => Math.sin((2 * Math.PI * hz * i) / RATE));
  createKeyFilter(RATE, { ...GATE_DEFAULTS, ...settings }).process(x, x.length);
  const tail = x.subarray(RATE / 2);
  return 10 * Math.log10((2 * tail.reduce((a, b) => a + b * b, 0)) / tail.length);
}

describe('Butterworth filters', () => {
  // derived: |H|^2 = 1 / (1 + w^2n), so 1/2 at the corner
  it('are 3.01 dB down at the corner', () => {
    for (const order of [2, 4]) {
      expect(response('lowpass', order, 1000, 1000)).toBeCloseTo(-10 * Math.log10(2), 6);
      expect(response('highpass', order, 200, 200)).toBeCloseTo(-10 * Math.log10(2), 6);
    }
  });

  // derived: order 4 an octave out is 10 log10(1 + 2^8) = 24.1 dB down; far under the Nyquist frequency warping hardly counts
  it('of order 4 are 24.1 dB down an octave out, of order 2 12.3 dB', () => {
    expect(response('lowpass', 4, 100, 200)).toBeCloseTo(-10 * Math.log10(1 + 2 ** 8), 1);
    expect(response('highpass', 4, 200, 100)).toBeCloseTo(-10 * Math.log10(1 + 2 ** 8), 1);
    expect(response('lowpass', 2, 100, 200)).toBeCloseTo(-10 * Math.log10(1 + 2 ** 4), 1);
  });

  // derived: the bilinear transform of the closed form, at any frequency
  it('follow the closed form everywhere, warping included', () => {
    for (const order of [2, 4]) {
      for (const hz of [50, 300, 999, 3000, 9000, 18000]) {
        const w = warped(hz, 1000);
        expect(response('lowpass', order, 1000, hz)).toBeCloseTo(-10 * Math.log10(1 + w ** (2 * order)), 6);
        expect(response('highpass', order, 1000, hz)).toBeCloseTo(-10 * Math.log10(1 + w ** (-2 * order)), 6);
      }
    }
  });

  // derived, on the running filter: slopes of 12 and 24 dB per octave
  it('do so on real samples: the key filter', () => {
    expect(through({ keyLpHz: 300, keyLpSlope: 24 }, 600)).toBeCloseTo(-10 * Math.log10(1 + warped(600, 300) ** 8), 2);
    expect(through({ keyLpHz: 300, keyLpSlope: 12 }, 600)).toBeCloseTo(-10 * Math.log10(1 + warped(600, 300) ** 4), 2);
    expect(through({ keyHpHz: 400, keyHpSlope: 24 }, 200)).toBeCloseTo(-10 * Math.log10(1 + warped(200, 400) ** -8), 2);
    expect(through({}, 50)).toBeCloseTo(0, 6);
  });
});
