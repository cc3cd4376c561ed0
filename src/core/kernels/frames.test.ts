/** The kernels of short-time transforms against fft.js, frame by frame in double precision. */
import FFT from 'fft.js';
import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { createFrames } from './frames';

const gauss = createGaussian(createRng(17));
const hann = (size: number) => Float64Array.from({ length: size }, (_, i) => Math.sqrt(0.5 - 0.5 * Math.cos((2 * Math.PI * i) / size)));

describe('frames transformed eight at a time', () => {
  it.each([[64, 32], [2048, 512], [4096, 2048], [8192, 8192]])('of %i samples, %i apart, have the spectra of one transform each', (size, hop) => {
    const [room, count] = [16, 11];
    const window = hann(size);
    const f = createFrames(size, hop, window, room);
    f.input.set(Float32Array.from(f.input, () => 0.3 * gauss()));
    f.forward(count);
    const fft = new FFT(size);
    const out = new Float64Array(2 * size);
    for (let k = 0; k < count; k++) {
      fft.realTransform(out, Float64Array.from({ length: size }, (_, i) => window[i] * f.input[k * hop + i]));
      let worst = 0;
      for (let b = 0; b <= size / 2; b++) worst = Math.max(worst, Math.abs(f.re[b * room + k] - out[2 * b]), Math.abs(f.im[b * room + k] - out[2 * b + 1]));
      // single precision against values of some sqrt(size)
      expect(worst / Math.sqrt(size)).toBeLessThan(2e-6);
    }
  });

  it('come back as they were where windows add up to one, 120 dB and more under them', () => {
    const [size, hop, room] = [1024, 512, 8];
    const f = createFrames(size, hop, hann(size), room);
    const x = Float32Array.from({ length: f.input.length }, () => 0.3 * gauss());
    f.input.set(x);
    f.forward(room);
    f.inverse(room);
    // the first and last half frame have one window only
    for (let i = hop; i < f.output.length - hop; i++) expect(Math.abs(f.output[i] - x[i])).toBeLessThan(1e-6);
    // once more from the same spectra: nothing is left of the time before
    const before = f.output.slice();
    f.inverse(room);
    expect(f.output).toEqual(before);
  });

  it('have the power of their bands, and are turned down band by band', () => {
    const [size, hop, room, count] = [256, 64, 16, 11];
    const f = createFrames(size, hop, hann(size), room);
    f.input.set(Float32Array.from(f.input, () => 0.3 * gauss()));
    f.forward(count);
    const [re, im] = [f.re.slice(), f.im.slice()];
    // one bin alone, and some that belong to no band
    const edges = [0, 1, 7, 40, 100];
    const bins = (b: number) => Array.from({ length: edges[b + 1] - edges[b] }, (_, i) => edges[b] + i);
    f.bandPowers(count, edges);
    for (let b = 0; b < edges.length - 1; b++) {
      for (let k = 0; k < count; k++) {
        const power = bins(b).reduce((a, i) => a + re[i * room + k] ** 2 + im[i * room + k] ** 2, 0);
        expect(f.byBand[b * room + k] / power, `band ${b}, frame ${k}`).toBeCloseTo(1, 5);
      }
    }
    const gain = (b: number, k: number) => (b + 1) / (k + 2);
    f.byBand.fill(0);
    for (let b = 0; b < edges.length - 1; b++) for (let k = 0; k < count; k++) f.byBand[b * room + k] = gain(b, k);
    f.turnBands(count, edges);
    for (let i = 0; i <= size / 2; i++) {
      const b = edges.findIndex((e, j) => i >= e && i < edges[j + 1]);
      for (let k = 0; k < count; k++) {
        const by = b < 0 ? 1 : gain(b, k);
        expect(Math.hypot(f.re[i * room + k] - by * re[i * room + k], f.im[i * room + k] - by * im[i * room + k]), `bin ${i}, frame ${k}`).toBeLessThan(1e-5);
      }
    }
    expect(() => f.bandPowers(count, [0, size])).toThrow(RangeError);
    expect(() => f.turnBands(count, Array.from({ length: 66 }, (_, i) => i))).toThrow(RangeError);
  });

  it('are refused where lanes or powers of two do not fit', () => {
    expect(() => createFrames(1024, 512, hann(1024), 12)).toThrow(RangeError);
    expect(() => createFrames(1000, 500, hann(1000), 8)).toThrow(RangeError);
  });
});
