import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { quietAhead } from './aheadOfStrokes';

const RATE = 48000;
const N = 4 * RATE;
const ms = (t: number) => Math.round((t * RATE) / 1000);
const energy = (x: Float32Array, from: number, to: number) => x.subarray(from, to).reduce((a, v) => a + v * v, 1e-20);
const db = (a: number, b: number) => 10 * Math.log10(a / b);
const STROKES = [1, 2, 3].map((t) => t * RATE + 77);

/** A note that falls 60 dB in so many seconds. */
function note(x: Float32Array, at: number, level: number, seconds = 0.2): void {
  for (let i = 0; i < 0.9 * RATE && at + i < x.length; i++) x[at + i] += level * Math.sin((2 * Math.PI * 200 * i) / RATE) * 10 ** ((-3 * i) / (seconds * RATE));
}
const sum = (...all: Float32Array[]) => all[0].map((_, i) => all.reduce((a, x) => a + x[i], 0));

const own = new Float32Array(N);
for (const at of STROKES) note(own, at, 0.5);
/** What the others leave of their steady sound, and it alone. */
const wash = new Float32Array(N);
const gauss = createGaussian(createRng(6));
for (let i = 0; i < N; i++) wash[i] = 0.01 * gauss();
const left = wash.map((v) => 0.02 * v);
const raw = sum(own, wash);
/** As separation leaves it: the 40 ms before a stroke swell. */
const swell = new Float32Array(N);
for (const at of STROKES) for (let i = 1; i < ms(40); i++) swell[at - i] = 0.012 * (1 - i / ms(40)) * Math.sin((2 * Math.PI * 200 * i) / RATE);

describe('what separation leaves ahead of strokes', () => {
  it('is taken down to what was kept before, and nothing else changes', () => {
    const before = sum(own, left, swell);
    const kept = before.slice();
    quietAhead(raw, kept, RATE, STROKES);
    for (const [i, at] of STROKES.entries()) {
      const [from, to] = [at - ms(35), at - ms(6)];
      expect(db(energy(before, from, to), energy(left, from, to)), 'swells').toBeGreaterThan(20);
      expect(db(energy(kept, from, to), energy(before, from, to)), 'is gone').toBeLessThan(-15);
      // from the stroke on, and further ahead than windows reach
      expect(kept.subarray(at - ms(4), (STROKES[i + 1] ?? N) - ms(110)).every((v, j) => v === before[at - ms(4) + j])).toBe(true);
    }
  });

  it('meets the stroke without a click', () => {
    const before = sum(own, left, swell);
    const kept = before.slice();
    quietAhead(raw, kept, RATE, STROKES);
    for (const at of STROKES) for (let i = at - ms(60); i < at; i++) expect(Math.abs(kept[i])).toBeLessThanOrEqual(Math.abs(before[i]) + 2e-3);
  });

  it('stays where the drum still rings, for that is its own', () => {
    const ringing = new Float32Array(N);
    for (const at of STROKES) note(ringing, at, 0.5, 1.5);
    // the mic heard nothing else
    const kept = ringing.slice();
    quietAhead(ringing, kept, RATE, STROKES);
    expect(kept.every((v, i) => v === ringing[i])).toBe(true);
  });

  it('stays where it may be a stroke that nobody found', () => {
    const grace = new Float32Array(N);
    for (const at of STROKES) note(grace, at - ms(50), 0.05, 0.1);
    const before = sum(own, left, grace);
    const kept = before.slice();
    quietAhead(sum(raw, grace), kept, RATE, STROKES);
    expect(kept.every((v, i) => v === before[i])).toBe(true);
  });

  it('stays between two strokes that follow each other within what windows reach', () => {
    const flam = sum(own, left);
    note(flam, STROKES[0] + ms(60), 0.4);
    const kept = flam.slice();
    quietAhead(sum(flam, wash), kept, RATE, [STROKES[0], STROKES[0] + ms(60)]);
    expect(kept.subarray(STROKES[0]).every((v, i) => v === flam[STROKES[0] + i])).toBe(true);
  });
});
