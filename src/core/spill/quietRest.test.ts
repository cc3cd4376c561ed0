import { describe, expect, it } from 'vitest';
import { learnRing } from '../clean/ring';
import { createGaussian, createRng } from '../dsp/rng';
import { UNDER_LOUD_CYMBAL_DB, quietRest } from './quietRest';

const RATE = 48000;
const n = 20 * RATE;
/** A drum of 120 Hz that falls 60 dB in 0.9 s; the third stroke is 20 dB softer, the one at 17 s 26 dB softer and not found. */
const STROKES = [1, 3, 5, 7, 9, 11, 13].map((t) => t * RATE);
const UNFOUND = 17 * RATE;
const levelOf = (k: number) => (k === 2 ? 0.1 : 1);
const own = new Float32Array(n);
[...STROKES, UNFOUND].forEach((at, k) => {
  const level = k === STROKES.length ? 0.05 : levelOf(k);
  for (let i = 0; i < 1.4 * RATE && at + i < n; i++) own[at + i] += 0.5 * level * Math.sin((2 * Math.PI * 120 * i) / RATE) * 10 ** ((-3 * i) / (0.9 * RATE));
});
const gauss = createGaussian(createRng(8));
/** 50 dB under the strokes. */
const mic = own.map((v) => v + 0.0008 * gauss());
const ring = learnRing(mic, RATE, 'tom-1', STROKES, true);
const out = quietRest(mic, RATE, STROKES, ring);

const energy = (x: Float32Array, from: number, to: number) => x.subarray(Math.round(from), Math.round(to)).reduce((a, v) => a + v * v, 0);
const change = (from: number, to: number) => 10 * Math.log10((energy(out, from, to) + 1e-20) / energy(mic, from, to));

describe('the rest when a drum has rung out', () => {
  it('goes down by 10 dB and more', () => {
    for (const at of [0.1, 2.5, 4.5, 8.5, 14.5]) expect(change(at * RATE, (at + 0.3) * RATE), `${at} s`).toBeLessThan(-10);
  });

  it('leaves strokes, soft ones too, and what they ring', () => {
    STROKES.forEach((at, k) => {
      expect(Math.abs(change(at - 0.005 * RATE, at + 0.01 * RATE)), `attack at ${at / RATE} s`).toBeLessThan(0.01);
      const rings = (levelOf(k) === 1 ? 0.45 : 0.15) * RATE;
      expect(Math.abs(change(at, at + rings)), `ring at ${at / RATE} s`).toBeLessThan(0.01);
    });
  });

  it('leaves a stroke that nobody found', () => {
    expect(Math.abs(change(UNFOUND - 0.005 * RATE, UNFOUND + 0.02 * RATE))).toBeLessThan(0.05);
  });

  it('goes down where it is louder than that at a cymbal, whose strokes are more alike', () => {
    // what is left of another drum, 24 to 34 dB under these strokes
    const mixed = mic.map((v, i) => v + (i > 14.5 * RATE && i < 15.5 * RATE ? 0.02 * Math.sin(i / 3) : 0));
    const strokes = STROKES.filter((_, k) => k !== 2);
    const left = (underLoudDb?: number) => {
      const x = quietRest(mixed, RATE, strokes, ring, undefined, underLoudDb);
      return 10 * Math.log10(energy(x, 14.7 * RATE, 15.3 * RATE) / energy(mixed, 14.7 * RATE, 15.3 * RATE));
    };
    expect(Math.abs(left())).toBeLessThan(0.1);
    expect(left(UNDER_LOUD_CYMBAL_DB)).toBeLessThan(-5);
  });

  it('never turns anything up', () => {
    for (let at = 0; at + 0.02 * RATE < n; at += 0.02 * RATE) expect(change(at, at + 0.02 * RATE)).toBeLessThan(0.3);
  });

  it('leaves a mic as it is whose drum nothing is known of', () => {
    expect(quietRest(mic, RATE, STROKES, null)).toBe(mic);
    expect(quietRest(mic, RATE, STROKES.slice(0, 2), ring)).toBe(mic);
  });
});
