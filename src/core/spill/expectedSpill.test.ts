import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { framesOf } from './bandFrames';
import { giveBackUnexpected } from './expectedSpill';

const RATE = 48000;
const N = 12 * RATE;
const STROKES = Array.from({ length: 11 }, (_, k) => Math.round((0.7 + k) * RATE));

/** Noise that rises within 5 ms and falls 60 dB in so many seconds, at every stroke. */
function strokesOf(seed: number, level: number, seconds: number, strokes: readonly number[]): Float32Array {
  const gauss = createGaussian(createRng(seed));
  const x = new Float32Array(N);
  for (const at of strokes) for (let i = 0; i < 0.9 * RATE && at + i < N; i++) x[at + i] += level * Math.min(1, i / (0.005 * RATE)) ** 2 * gauss() * 10 ** ((-3 * i) / (seconds * RATE));
  return x;
}
const sum = (...all: Float32Array[]) => all[0].map((_, i) => all.reduce((a, x) => a + x[i], 0));
const times = (x: Float32Array, g: number) => x.map((v) => g * v);
const energy = (x: Float32Array, from = 0, to = N) => x.subarray(from, to).reduce((a, v) => a + v * v, 0);
const overDb = (a: number, b: number) => 10 * Math.log10((a + 1e-30) / b);
const minus = (a: Float32Array, b: Float32Array) => a.map((v, i) => v - b[i]);

/** The drum, and another that is struck between its strokes and, every third time, with it. */
const drum = strokesOf(1, 0.3, 0.5, STROKES);
const other = strokesOf(2, 0.3, 0.4, [...STROKES.map((at) => at + RATE / 2), ...STROKES.filter((_, i) => i % 3 === 0)]);
const told = [framesOf(other, RATE).power];
const spillDb = (db: number) => times(other, 10 ** (db / 20));

describe('what is taken of a drum and cannot be spill', () => {
  const little = spillDb(-40);
  const raw = sum(drum, little);

  it('comes back where the mic hears little: it is no worse than it was', () => {
    // all spill is gone, and of the drum what models are off by
    const kept = times(drum, 0.95);
    const before = overDb(energy(minus(kept, drum)), energy(little));
    giveBackUnexpected(raw, kept, RATE, STROKES, STROKES, told);
    expect(before).toBeGreaterThan(10);
    expect(overDb(energy(minus(kept, drum)), energy(little))).toBeLessThan(1);
  });

  it('stays taken where the drum is silent', () => {
    const kept = times(drum, 0.97);
    const before = kept.slice();
    giveBackUnexpected(raw, kept, RATE, STROKES, STROKES, told);
    for (const at of STROKES.slice(0, -1)) {
      const [from, to] = [at + RATE * 0.5, at + RATE * 0.9];
      expect(energy(minus(kept, before), from, to)).toBeLessThan(0.01 * energy(little, from, to));
    }
  });

  it('is not so much as a sample where there is spill to be taken', () => {
    const heard = sum(drum, spillDb(-15));
    const kept = times(drum, 0.97);
    const before = kept.slice();
    giveBackUnexpected(heard, kept, RATE, STROKES, STROKES, told);
    expect(kept.every((v, i) => v === before[i])).toBe(true);
  });

  it('comes back whole from 45 dB over all spill on: the mic is left as it came', () => {
    const faint = sum(drum, spillDb(-60));
    const kept = times(drum, 0.97);
    giveBackUnexpected(faint, kept, RATE, STROKES, STROKES, told);
    for (const at of STROKES) expect(overDb(energy(minus(kept, faint), at, at + RATE / 4), energy(faint, at, at + RATE / 4))).toBeLessThan(-80);
  });

  it('comes back where the end of a ring was cut off, and the mic is far louder than spill can be', () => {
    const faint = sum(drum, spillDb(-90));
    // gone where it has fallen 50 dB, .42 s after each stroke
    const kept = times(drum, 0.97);
    for (const at of STROKES) for (let i = 0.4 * RATE; i < 0.9 * RATE; i++) kept[at + i] *= Math.max(0, 1 - (i - 0.4 * RATE) / (0.02 * RATE));
    const ends = (x: Float32Array) => STROKES.reduce((a, at) => a + energy(minus(x, drum), at + 0.42 * RATE, at + 0.48 * RATE), 0);
    const before = ends(kept);
    giveBackUnexpected(faint, kept, RATE, STROKES, STROKES, told);
    expect(overDb(ends(kept), before)).toBeLessThan(-10);
  });

  it('tells how loud spill is in the raw mic', () => {
    const telling = (db: number) => giveBackUnexpected(sum(drum, spillDb(db)), times(drum, 0.97), RATE, STROKES, STROKES, told) as number;
    expect(telling(-15) - telling(-35)).toBeCloseTo(20, 0);
    expect(telling(-50)).toBeLessThan(-50);
    expect(giveBackUnexpected(raw, drum.slice(), RATE, STROKES, STROKES, [])).toBeNull();
  });

  it('is told by when the others play: what they add to a stroke stays taken', () => {
    const kept = times(drum, 0.97);
    giveBackUnexpected(raw, kept, RATE, STROKES, STROKES, told);
    // for half a second after strokes with the other and without
    const error = (with_: boolean) => STROKES.filter((_, i) => (i % 3 === 0) === with_).reduce((a, at) => a + energy(minus(raw, kept), at, at + RATE / 4), 0) / STROKES.filter((_, i) => (i % 3 === 0) === with_).length;
    expect(overDb(error(true), error(false))).toBeGreaterThan(6);
  });

  it('is not known without other mics, of a drum that never rests, or of two strokes', () => {
    for (const [own, others] of [[STROKES, []], [Array.from({ length: 100 }, (_, k) => Math.round(0.12 * k * RATE)), told], [STROKES.slice(0, 2), told]] as const) {
      const kept = times(drum, 0.97);
      const before = kept.slice();
      giveBackUnexpected(raw, kept, RATE, own, own, others);
      expect(kept.every((v, i) => v === before[i])).toBe(true);
    }
  });
});
