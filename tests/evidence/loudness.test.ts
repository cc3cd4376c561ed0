/** Loudness against ITU-R BS.1770-4: the coefficients that it prints for 48 kHz (values from memory), and its rule that a full-scale sine of 997 Hz in one channel reads -3.01. */
import { describe, expect, it } from 'vitest';
import { biquadResponse } from '../../src/core/dsp/biquad';
import { createLoudness, kWeighting } from '../../src/core/dsp/loudness';

const measure = (rate: number, x: Float32Array) => {
  const l = createLoudness(rate);
  for (let at = 0; at < x.length; at += 5000) l.push(x.subarray(at, at + 5000), Math.min(5000, x.length - at));
  return l.integrated();
};
const sine = (rate: number, hz: number, amp: number, seconds: number) => Float32Array.from({ length: seconds * rate }, (_, i) => amp * Math.sin((2 * Math.PI * hz * i) / rate));

describe('loudness', () => {
  it("has the recommendation's filters at 48 kHz", () => {
    const [shelf, highpass] = kWeighting(48000);
    for (const [k, v] of Object.entries({ b0: 1.53512485958697, b1: -2.69169618940638, b2: 1.19839281085285, a1: -1.69065929318241, a2: 0.73248077421585 })) expect(shelf[k as 'b0']).toBeCloseTo(v, 8);
    for (const [k, v] of Object.entries({ b0: 1, b1: -2, b2: 1, a1: -1.99004745483398, a2: 0.99007225036621 })) expect(highpass[k as 'b0']).toBeCloseTo(v, 8);
  });

  it('reads a full-scale sine of 997 Hz as -3.01, at any rate', () => {
    for (const rate of [44100, 48000, 96000]) expect(measure(rate, sine(rate, 997, 1, 3))).toBeCloseTo(-3.01, 1);
    expect(measure(48000, sine(48000, 997, 0.1, 3))).toBeCloseTo(-23.01, 1);
  });

  it('weighs frequencies alike at other rates', () => {
    for (const hz of [50, 200, 1000, 4000, 10000]) {
      const db = (rate: number) => kWeighting(rate).reduce((sum, c) => sum + 20 * Math.log10(biquadResponse(c, rate, hz).magnitude), 0);
      expect(Math.abs(db(44100) - db(48000))).toBeLessThan(0.15);
      expect(Math.abs(db(96000) - db(48000))).toBeLessThan(0.3);
    }
  });

  it('leaves out silence, and what is 10 dB softer than the rest', () => {
    const rate = 48000;
    const loud = sine(rate, 997, 0.1, 4);
    const x = new Float32Array(20 * rate);
    x.set(loud, 2 * rate);
    expect(measure(rate, x)).toBeCloseTo(-23.01, 0);
    x.set(sine(rate, 997, 0.01, 8), 10 * rate);
    expect(measure(rate, x)).toBeCloseTo(-23.01, 0);
    expect(measure(rate, new Float32Array(rate))).toBeNull();
    // over the blocks in which the whole is heard, half of it silenced is 3 dB softer; by its own gates it is as loud
    const [all, half] = [createLoudness(rate), createLoudness(rate)];
    const y = sine(rate, 997, 0.1, 4);
    const z = y.map((v, i) => (i < 2 * rate ? v : 0));
    for (let at = 0; at < y.length; at += 4800) {
      all.push(y.subarray(at, at + 4800), 4800);
      half.push(z.subarray(at, at + 4800), 4800);
    }
    expect((half.integrated(all.heardIn()) ?? 0) - (all.integrated() ?? 0)).toBeCloseTo(-3, 0);
    expect((half.integrated() ?? 0) - (all.integrated() ?? 0)).toBeCloseTo(0, 0);
    expect(measure(rate, sine(rate, 997, 1, 3).subarray(0, 0.3 * rate))).toBeNull();
  });
});
