import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { HOP, withGains } from './bandFrames';
import { LEAD_MS, REACH, UP_MS, beginOf, withGainsUntil } from './untilStrokes';

const RATE = 48000;
const n = 2 * RATE;
const ms = (t: number) => Math.round((t * RATE) / 1000);
const energy = (x: Float32Array, from: number, to: number) => x.subarray(from, to).reduce((a, v) => a + v * v, 1e-20);
const db = (a: number, b: number) => 10 * Math.log10(a / b);

const STROKES = [0.3, 0.9, 1.5].map((t) => t * RATE + 77);
/** Strokes that fall 60 dB in 0.2 s over a steady wash. */
function struck(at: readonly number[]): { own: Float32Array; x: Float32Array } {
  const own = new Float32Array(n);
  for (const from of at) for (let i = 0; i < 0.2 * RATE; i++) own[from + i] += 0.5 * Math.sin((2 * Math.PI * 400 * i) / RATE) * 10 ** ((-3 * i) / (0.2 * RATE));
  const wash = createGaussian(createRng(4));
  return { own, x: own.map((v) => v + 0.003 * wash()) };
}
const CLOSED = 0.01;
/** Open from as early as windows reach a stroke until 0.2 s after it. */
function gainsFor(at: readonly number[]) {
  const frames = at.map((s) => Math.round(s / HOP));
  return (k: number, out: Float64Array) => out.fill(frames.some((f) => k >= f - REACH && k < f + (0.2 * RATE) / HOP) ? 1 : CLOSED);
}
const held = (_: number, out: Float64Array) => out.fill(CLOSED);

describe('gains that hold until a stroke begins', () => {
  const { own, x } = struck(STROKES);
  const gains = gainsFor(STROKES);
  const plain = withGains(x, RATE, gains);
  const out = withGainsUntil(x, RATE, STROKES, gains, held);

  it('keep closed what windows would open ahead of strokes, up to just before them', () => {
    for (const at of STROKES) {
      const [a, b] = [at - ms(18), at - ms(LEAD_MS + UP_MS)];
      expect(db(energy(plain, a, b), energy(x, a, b)), 'by windows alone').toBeGreaterThan(-6);
      expect(db(energy(out, a, b), energy(x, a, b)), 'held').toBeLessThan(-35);
    }
  });

  it('change nothing from the strokes on, nor further ahead than windows reach', () => {
    for (const [i, at] of STROKES.entries()) {
      const next = STROKES[i + 1] ?? n;
      expect(out.subarray(at - ms(LEAD_MS), next - ms(60))).toEqual(plain.subarray(at - ms(LEAD_MS), next - ms(60)));
      for (let j = next - ms(60); j < next - ms(45) && j < n; j++) expect(out[j]).toBeCloseTo(plain[j], 6);
    }
  });

  it('meet without a click: what is added is never louder than the mic itself', () => {
    for (const at of STROKES) for (let j = at - ms(50); j < at; j++) expect(Math.abs(out[j])).toBeLessThanOrEqual(Math.abs(x[j]) + 1e-3);
  });

  it('leave the stroke before, where two follow each other within a window', () => {
    const close = [0.5, 0.53, 1.2].map((t) => t * RATE);
    const flam = struck(close);
    const kept = withGainsUntil(flam.x, RATE, close, gainsFor(close), held);
    expect(db(energy(kept, close[0], close[0] + ms(10)), energy(flam.own, close[0], close[0] + ms(10)))).toBeGreaterThan(-0.1);
    expect(db(energy(kept, close[1] - ms(15), close[1] - ms(6)), energy(flam.own, close[1] - ms(15), close[1] - ms(6)))).toBeGreaterThan(-0.5);
  });

  it('open where a stroke begins that is told late, and leave a mic as it is where nothing closes', () => {
    const late = STROKES.map((s) => s + ms(9));
    for (const [i, s] of late.entries()) expect(Math.abs(beginOf(x, RATE, s) - STROKES[i])).toBeLessThanOrEqual(ms(1));
    const kept = withGainsUntil(x, RATE, late, gainsFor(late), held);
    for (const at of STROKES) expect(Math.abs(db(energy(kept, at, at + ms(10)), energy(own, at, at + ms(10))))).toBeLessThan(0.1);
    const open = (_: number, g: Float64Array) => g.fill(1);
    for (const [j, v] of withGainsUntil(x, RATE, STROKES, open, open).entries()) expect(v).toBeCloseTo(x[j], 6);
  });
});
