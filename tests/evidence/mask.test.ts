/** The ideal ratio mask as the bound of masks. Each check names its source. */
import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../../src/core/dsp/rng';
import { idealMask } from '../../src/core/measure/idealMask';
import { scoreClean } from '../../src/core/measure/scoreClean';

const RATE = 48000;
const N = 2 * RATE;

const levelDb = (x: Float32Array, from = 0, to = x.length) => 10 * Math.log10(x.subarray(from, to).reduce((a, v) => a + v * v, 1e-20) / (to - from));
const minus = (a: Float32Array, b: Float32Array) => a.map((v, i) => v - b[i]);
const sum = (a: Float32Array, b: Float32Array) => a.map((v, i) => v + b[i]);

/** Strokes of noise that ring out, every `apart` seconds. */
function strokes(seed: number, first: number, apart: number, tau: number, level: number) {
  const gauss = createGaussian(createRng(seed));
  const x = new Float32Array(N);
  const at: number[] = [];
  for (let t = first; t < 1.9; t += apart) at.push(Math.round(t * RATE));
  for (const a of at) for (let i = 0; a + i < N && i < 6 * tau * RATE; i++) x[a + i] += level * gauss() * Math.exp(-i / (tau * RATE));
  return { x, at };
}

const own = strokes(1, 0.1, 0.4, 0.05, 0.3);
const other = strokes(2, 0.22, 0.13, 0.08, 0.15);
const raw = sum(own.x, other.x);
const score = (clean: Float32Array) => scoreClean({ rate: RATE, raw, truth: own.x, late: new Float32Array(N), hits: own.at, strengths: own.at.map(() => 1) }, clean);

describe('the ideal ratio mask', () => {
  // derived: shares of 1 and 0, and squares of Hann windows a quarter apart sum to 3/2
  it('gives back what is alone in its bins, and nothing of what is not there', () => {
    const sine = (hz: number) => Float32Array.from({ length: N }, (_, i) => 0.25 * Math.sin((2 * Math.PI * hz * i) / RATE));
    const [low, high] = [sine(750), sine(7500)];
    expect(levelDb(minus(idealMask(low, low), low))).toBeLessThan(-100);
    expect(levelDb(idealMask(high, new Float32Array(N)))).toBeLessThan(-100);
    const both = idealMask(sum(low, high), low);
    expect(levelDb(minus(both, low), 4096, N - 4096)).toBeLessThan(-60);
  });

  // derived: of two complex normal numbers of equal power, the first's share of power is uniform in 0..1, so that the mean gain is 1/2 and the mean square of gains 1/3
  it('has gains that are uniform where own and other are as loud', () => {
    const gains: number[] = [];
    const gauss = createGaussian(createRng(7));
    const [a, b] = [0, 1].map(() => Float32Array.from({ length: N }, () => 0.1 * gauss()));
    idealMask(sum(a, b), a, (share) => {
      gains.push(share);
      return share;
    });
    const inner = gains.slice(5 * 1025, -5 * 1025);
    expect(inner.reduce((s, g) => s + g, 0) / inner.length).toBeCloseTo(1 / 2, 1);
    expect(inner.reduce((s, g) => s + g * g, 0) / inner.length).toBeCloseTo(1 / 3, 1);
  });

  // Y. Wang, A. Narayanan, D. Wang, On training targets for supervised speech separation, IEEE/ACM TASLP 22(12), 2014, from memory: ratio masks sound better than binary ones
  it('is nearer to the truth than the binary mask, and than masks that are bolder or more timid', () => {
    const ratio = score(idealMask(raw, own.x)).siSdrImprovementDb;
    expect(ratio).toBeGreaterThan(3);
    for (const worse of [(s: number) => (s > 0.5 ? 1 : 0), (s: number) => s ** 4, (s: number) => s ** 0.25]) expect(score(idealMask(raw, own.x, worse)).siSdrImprovementDb).toBeLessThan(ratio);
  });

  // N. Duong, E. Vincent, R. Gribonval, IEEE TASLP 18(7), 2010: filters over several mics take out what no mask of one can, since spill is a filtered copy of what another mic hears
  it('is no bound for what hears the other mic: the delayed, softer copy of that is taken out whole', () => {
    const far = new Float32Array(N);
    far.set(other.x.subarray(0, N - 90), 90);
    const spilt = sum(own.x, far.map((v) => 0.7 * v));
    const by = (clean: Float32Array) => scoreClean({ rate: RATE, raw: spilt, truth: own.x, late: new Float32Array(N), hits: own.at, strengths: own.at.map(() => 1) }, clean).tailSpillDb;
    // least squares for one tap at each delay, the delay that fits best
    let [best, gain, lag] = [0, 0, 0];
    for (let d = 0; d < 200; d++) {
      let [xy, yy] = [0, 0];
      for (let i = d; i < N; i++) {
        xy += spilt[i] * other.x[i - d];
        yy += other.x[i - d] ** 2;
      }
      if ((xy * xy) / yy > best) [best, gain, lag] = [(xy * xy) / yy, xy / yy, d];
    }
    expect(lag).toBe(90);
    const linear = by(spilt.map((v, i) => v - gain * (other.x[i - lag] ?? 0)));
    const mask = by(idealMask(spilt, own.x));
    expect(mask).toBeLessThan(-3);
    expect(linear).toBeLessThan(mask - 10);
  });
});
