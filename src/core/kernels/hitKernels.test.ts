/** The kernels against plain twins of what they compute; the twins are slow and in double precision. */
import { describe, expect, it } from 'vitest';
import { biquadCoefficients, createBiquad } from '../dsp/biquad';
import { createGaussian, createRng } from '../dsp/rng';
import { bandSteps } from '../hits/candidates';
import { type FitInput, createHitKernels } from './hitKernels';

const RATE = 48000;
const noise = (n: number, seed: number) => {
  const g = createGaussian(createRng(seed));
  return Float32Array.from({ length: n }, () => 0.1 * g());
};

describe('band powers', () => {
  it.each([48000, 44100])('are those of two double-precision filters in series, at %i Hz', (rate) => {
    const k = createHitKernels();
    const x = noise(rate / 2, 1);
    k.load(x);
    const bands = [[40, 110], [450, 1200], [8000, 16000]] as const;
    const power = k.bandPowers(rate, 1000, bands);
    expect(power.length).toBe(500 * 8);
    bands.forEach(([low, high], b) => {
      const y = new Float32Array(x.length);
      createBiquad(biquadCoefficients('highpass', rate, low)).process(x, y, x.length);
      createBiquad(biquadCoefficients('lowpass', rate, high)).process(y, y, y.length);
      let [worst, mean] = [0, 0];
      for (let i = 0; i < 500; i++) {
        const [from, to] = [Math.round((i * rate) / 1000), Math.round(((i + 1) * rate) / 1000)];
        const e = y.subarray(from, to).reduce((s, v) => s + v * v, 0) / (to - from);
        worst = Math.max(worst, Math.abs(power[8 * i + b] - e));
        mean += e / 500;
      }
      // coefficients in single precision move a corner of 40 Hz by some 0.2 %
      expect(worst).toBeLessThan(0.01 * mean);
    });
  });

  it('are as quick on silence after a stroke as on sound: no denormal numbers are left', () => {
    const k = createHitKernels();
    const x = new Float32Array(RATE);
    x[100] = 1;
    k.load(x);
    const power = k.bandPowers(RATE, 1000, [[40, 110], [8000, 16000]]);
    expect(power.slice(-80).every((v) => v === 0 || v > 1.2e-38)).toBe(true);
  });
});

describe('the band filter', () => {
  it.each([[48000, 30, 160], [44100, 400, 12000], [96000, 2000, 14000], [96000, 30, 160], [192000, 30, 160]])('is that of two double-precision filters in series, also where its stretches meet: %i Hz, %i to %i', (rate, low, high) => {
    const k = createHitKernels();
    const x = noise(50_001, 5);
    k.load(x);
    const y = new Float32Array(x.length);
    createBiquad(biquadCoefficients('highpass', rate, low)).process(x, y, x.length);
    createBiquad(biquadCoefficients('lowpass', rate, high)).process(y, y, y.length);
    const out = k.bandPass(rate, low, high).slice();
    expect(out.length).toBe(x.length);
    let worst = 0;
    for (let i = 0; i < x.length; i++) worst = Math.max(worst, Math.abs(out[i] - y[i]));
    expect(worst).toBeLessThan(3e-7);
    // the mic stays loaded
    expect(k.bandPass(rate, low, high)).toEqual(out);
  });

  it.each([[48000, 1000, 30, 160], [48000, 4000, 400, 12000], [96000, 1000, 2000, 14000]])('gives the same as mean squares per step: %i Hz, %i steps a second, %i to %i', (rate, perSecond, low, high) => {
    const k = createHitKernels();
    const x = noise(50_001, 7);
    k.load(x);
    const got = k.bandSteps(rate, perSecond, low, high);
    const want = bandSteps(x, rate, perSecond, low, high);
    for (const part of ['band', 'all'] as const) {
      expect(got?.[part].length).toBe(want[part].length);
      const worst = Math.max(...want[part].map((v, i) => Math.abs((got?.[part][i] ?? 0) - v) / v));
      expect(worst).toBeLessThan(1e-4);
    }
    // 44.1 samples are no step
    expect(k.bandSteps(44100, 1000, low, high)).toBeNull();
  });

  it('refuses a band that reaches further back than what is kept before a mic', () => {
    const k = createHitKernels();
    k.load(noise(1000, 6));
    expect(() => k.bandPass(RATE, 4, 100)).toThrow(RangeError);
  });
});

describe('spectra', () => {
  const shape = (length: number, size: number) => ({ length, size, window: Float32Array.from({ length }, (_, i) => Math.sin((Math.PI * (i + 0.5)) / length) ** 2), bins: [1, 9, 30, size / 2] });

  // discrete Fourier transform by its definition; 512 is 2 x 4^4, 1024 is 4^5
  it.each([[256, 512], [512, 1024]])('of %i samples are those of a direct transform of %i', (length, size) => {
    const k = createHitKernels();
    const x = noise(6000, 2);
    k.load(x);
    const s = shape(length, size);
    const starts = [10, 1500, 2222, 3001, 5900];
    const out = k.spectra(Int32Array.from(starts), s);
    const power = (from: number, mirrored: boolean) => {
      const y = Float64Array.from({ length }, (_, i) => (x[from + i] ?? 0) * s.window[mirrored ? length - 1 - i : i]);
      return s.bins.slice(0, -1).map((first, b) => {
        let p = 0;
        for (let f = first; f < s.bins[b + 1]; f++) {
          let [re, im] = [0, 0];
          for (let i = 0; i < length; i++) {
            re += y[i] * Math.cos((2 * Math.PI * f * i) / size);
            im -= y[i] * Math.sin((2 * Math.PI * f * i) / size);
          }
          p += re * re + im * im;
        }
        return p / length;
      });
    };
    starts.forEach((start, i) => {
      const expected = [...power(start, false), ...power(start - length, true)];
      for (const [j, e] of expected.entries()) expect(Math.abs(out[6 * i + j] - e)).toBeLessThan(1e-4 * e + 1e-7);
    });
  });

  it('need a mic to be loaded, also after a fit took its place', () => {
    const k = createHitKernels();
    expect(() => k.bandPowers(RATE, 1000, [[40, 110]])).toThrow(/load a mic/);
    k.load(noise(2000, 3));
    k.fit({ cells: 4, patterns: new Float32Array(4).fill(1), after: new Float32Array(4).fill(1), before: new Float32Array(4).fill(0.1), rounds: 2, use: Uint8Array.from([1]), gains: new Float32Array([0.1]), aStart: 0.7, aRange: [0.02, 1.3] });
    expect(() => k.spectra(Int32Array.from([10]), shape(256, 512))).toThrow(/load a mic/);
  });

  it('of times outside the song are of silence', () => {
    const k = createHitKernels();
    k.load(noise(2000, 3));
    const out = k.spectra(Int32Array.from([-90000, 90000]), shape(256, 512));
    expect(Array.from(out).every((v) => v === 0)).toBe(true);
  });
});

describe('fits', () => {
  /** The same updates, one after the other. */
  const twin = (i: FitInput) => {
    const { cells, patterns: w } = i;
    const K = w.length / cells;
    const n = i.after.length / cells;
    const gains = Float64Array.from(i.gains);
    const a = new Float64Array(n).fill(i.aStart);
    for (let e = 0; e < n; e++) {
      for (let r = 0; r < i.rounds; r++) {
        const y = Float64Array.from({ length: cells }, (_, f) => {
          let s = a[e] * i.before[e * cells + f] + 1e-16;
          for (let k = 0; k < K; k++) s += gains[e * K + k] * w[k * cells + f];
          return s;
        });
        const ratio = (p: (f: number) => number) => {
          let [up, down] = [0, 0];
          for (let f = 0; f < cells; f++) {
            up += (i.after[e * cells + f] / y[f] ** 2) * p(f);
            down += p(f) / y[f];
          }
          return Math.sqrt(up / down);
        };
        for (let k = 0; k < K; k++) if (i.use[k]) gains[e * K + k] *= ratio((f) => w[k * cells + f]);
        a[e] = Math.min(i.aRange[1], Math.max(i.aRange[0], a[e] * ratio((f) => i.before[e * cells + f])));
      }
    }
    return { gains, a };
  };

  it('are those of a plain loop, for any number of cells', () => {
    const u = createRng(4);
    for (const cells of [11, 22, 121]) {
      const K = 5;
      const n = 7;
      const input: FitInput = {
        cells, patterns: Float32Array.from({ length: K * cells }, () => u() ** 3 + 1e-3), after: Float32Array.from({ length: n * cells }, () => u() + 0.01), before: Float32Array.from({ length: n * cells }, () => 0.1 * u() + 1e-3),
        rounds: 20, use: Uint8Array.from([1, 1, 0, 1, 1]), gains: Float32Array.from({ length: n * K }, (_, i) => (i % K === 2 ? 0 : 0.05)), aStart: 0.7, aRange: [0.02, 1.3],
      };
      const r = createHitKernels().fit(input);
      const e = twin(input);
      for (let i = 0; i < n * K; i++) expect(Math.abs(r.gains[i] - e.gains[i])).toBeLessThan(2e-3 * e.gains[i] + 1e-6);
      for (let i = 0; i < n; i++) expect(Math.abs(r.a[i] - e.a[i])).toBeLessThan(2e-3 * e.a[i]);
      expect(r.gains.filter((_, i) => i % K === 2).every((v) => v === 0)).toBe(true);
      // the model is what gains and patterns say
      for (let f = 0; f < cells; f++) {
        let y = r.a[3] * input.before[3 * cells + f];
        for (let k = 0; k < K; k++) y += r.gains[3 * K + k] * input.patterns[k * cells + f];
        expect(Math.abs(r.model[3 * cells + f] - y)).toBeLessThan(1e-4 * y);
      }
    }
  });
});
