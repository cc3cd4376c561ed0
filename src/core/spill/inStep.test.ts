import { describe, expect, it } from 'vitest';
import { createRng } from '../dsp/rng';
import { giveBackInStep, takenInStep } from './inStep';

const RATE = 48000;
const AT = [4800, 14400, 24000, 33600];
const db = (x: number) => 10 * Math.log10(x);
const energy = (x: Float32Array, from: number, to: number) => x.subarray(from, to).reduce((a, v) => a + v * v, 0);

/** Bursts of noise that fall by 60 dB in .2 s, at AT. */
function bursts(seed: number, level: number): Float32Array {
  const random = createRng(seed);
  const x = new Float32Array(RATE);
  for (const at of AT) for (let i = 0; i < 9000 && at + i < RATE; i++) x[at + i] += level * (2 * random() - 1) * 10 ** (-i / 3200);
  return x;
}
const sum = (...list: Float32Array[]) => list[0].map((_, i) => list.reduce((a, x) => a + x[i], 0));
const own = bursts(1, 0.5);
const other = bursts(2, 0.1);
const raw = sum(own, other);

describe('what de-bleed took in step with what it kept', () => {
  it('is told by stroke: a tenth of the first two, nothing of the others', () => {
    const kept = own.map((v, i) => (i < 20000 ? 0.9 * v : v));
    const taken = takenInStep(raw, kept, RATE, AT);
    // 0.1 / 0.9 of what is kept
    for (const t of taken.slice(0, 2)) expect(Math.abs(t - 1 / 9)).toBeLessThan(0.03);
    expect(taken.slice(2)).toEqual([0, 0]);
  });

  it('is given back to the attack alone, which then has its own level', () => {
    const kept = own.map((v) => 0.9 * v);
    const before = kept.slice();
    giveBackInStep(raw, kept, RATE, AT);
    for (const at of AT) {
      expect(Math.abs(db(energy(kept, at, at + 480) / energy(own, at, at + 480)))).toBeLessThan(0.3);
      // 25 ms on it is as it was, and so it is before
      expect(kept.subarray(at + 1200, at + 4000)).toEqual(before.subarray(at + 1200, at + 4000));
      expect(kept.subarray(at - 400, at - 96)).toEqual(before.subarray(at - 400, at - 96));
    }
  });

  it('leaves a mic exactly as it is whose own strokes are whole, under spill as loud as they are', () => {
    for (const level of [0.02, 0.1, 0.5]) {
      const kept = own.slice();
      giveBackInStep(sum(own, bursts(3, level)), kept, RATE, AT);
      expect(kept).toEqual(own);
    }
  });

  it('says nothing of silence, of what was not changed, and of strokes that lost a third', () => {
    expect(takenInStep(new Float32Array(RATE), new Float32Array(RATE), RATE, AT)).toEqual([0, 0, 0, 0]);
    expect(takenInStep(raw, raw, RATE, AT)).toEqual([0, 0, 0, 0]);
    expect(takenInStep(own, own.map((v) => 0.66 * v), RATE, AT)).toEqual([0, 0, 0, 0]);
  });

  it('is the same at any level', () => {
    const kept = own.map((v) => 0.9 * v);
    const at = (gain: number) => takenInStep(raw.map((v) => gain * v), kept.map((v) => gain * v), RATE, AT).map((t) => t.toFixed(3));
    expect(at(0.01)).toEqual(at(1));
  });

  it('goes no further than the next stroke', () => {
    const kept = own.map((v) => 0.9 * v);
    const next = AT[0] + 600;
    const once = kept.slice();
    giveBackInStep(raw, once, RATE, [AT[0], next]);
    const alone = kept.slice();
    giveBackInStep(raw, alone, RATE, [next]);
    expect(once.subarray(next - 96)).toEqual(alone.subarray(next - 96));
    expect(once[AT[0] + 100]).not.toBe(kept[AT[0] + 100]);
  });
});
