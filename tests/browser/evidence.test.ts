/** What the browser's own Web Audio says of our filters. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { biquadCoefficients, biquadResponse } from '../../src/core/dsp/biquad';
import { type Session, openBrowser } from '../support/browser';

let s: Session;
beforeAll(async () => {
  s = await openBrowser();
  await s.page.goto(s.url);
});
afterAll(() => s.close());

const RATE = 48000;
const HZ = Array.from({ length: 60 }, (_, i) => 20 * 1.12 ** i);

describe('biquads', () => {
  // source: W3C Web Audio API, BiquadFilterNode, run in Chromium; formulas: R. Bristow-Johnson, Audio EQ Cookbook.
  // Web Audio's Q of low-pass and high-pass is in dB.
  it.each(['lowpass', 'highpass'] as const)('%s has the magnitude and phase of the browser, at many corners and Qs', async (type) => {
    for (const corner of [40, 200, 1000, 4000, 12000]) {
      for (const q of [0.5412, Math.SQRT1_2, 1.3066, 4]) {
        const theirs = await s.page.evaluate(
          (t, rate, f, qDb, list) => {
            const context = new OfflineAudioContext(1, 128, rate);
            const node = context.createBiquadFilter();
            node.type = t;
            node.frequency.value = f;
            node.Q.value = qDb;
            const mag = new Float32Array(list.length);
            const phase = new Float32Array(list.length);
            node.getFrequencyResponse(new Float32Array(list), mag, phase);
            return { mag: Array.from(mag), phase: Array.from(phase) };
          },
          type, RATE, corner, 20 * Math.log10(q), HZ,
        );
        const c = biquadCoefficients(type, RATE, corner, q);
        HZ.forEach((hz, i) => {
          const ours = biquadResponse(c, RATE, Math.fround(hz));
          // they are told corner and Q as 32-bit floats
          expect(Math.abs(ours.magnitude - theirs.mag[i])).toBeLessThan(2e-5 * Math.max(1, ours.magnitude));
          if (ours.magnitude > 1e-3) {
            const turn = Math.abs(ours.phase - theirs.phase[i]) % (2 * Math.PI);
            expect(Math.min(turn, 2 * Math.PI - turn)).toBeLessThan(5e-4);
          }
        });
      }
    }
  });
});
