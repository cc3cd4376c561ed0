import { describe, expect, it } from 'vitest';
import { createLoudness } from '../core/dsp/loudness';
import { type MixHop, createMixLoudness } from '../core/dsp/mixLoudness';
import { createKitLoudness, toEven } from './kitLoudness';

const RATE = 48000;
const HOP = 4800;
const noise = (seconds: number, seed = 1) => {
  let s = seed;
  return Float32Array.from({ length: seconds * RATE }, () => {
    s = (s * 1664525 + 1013904223) % 4294967296;
    return 0.2 * (s / 2147483648 - 1);
  });
};
/** Plays two mixes from `position` on, in blocks of `block` frames. */
function played(before: [Float32Array, Float32Array], after: [Float32Array, Float32Array], position = 0, block = 128, mix = createMixLoudness(RATE)): MixHop[] {
  const hops: MixHop[] = [];
  for (let at = 0; at < before[0].length; at += block) {
    const n = Math.min(block, before[0].length - at);
    const part = (x: [Float32Array, Float32Array]) => [x[0].subarray(at, at + n), x[1].subarray(at, at + n)] as const;
    hops.push(...mix.push({ before: part(before), after: part(after) }, n, position + at));
  }
  return hops;
}
const scaled = (x: Float32Array, by: number) => x.map((v) => v * by);

describe('loudness of a mix as it is played', () => {
  it('adds up to what the whole measures, both channels together', () => {
    const [l, r] = [noise(4), noise(4, 7)];
    const whole = [l, r].map((x) => {
      const one = createLoudness(RATE);
      for (let at = 0; at < x.length; at += HOP) one.push(x.subarray(at, at + HOP), HOP);
      return 10 ** ((one.integrated() ?? Number.NaN) / 10);
    });
    const kit = createKitLoudness();
    kit.hear(played([l, r], [l, new Float32Array(l.length)]));
    // one channel silenced: by how much both are louder than it
    expect(kit.even(RATE, null)?.after).toBeCloseTo(10 * Math.log10((whole[0] + whole[1]) / whole[0]), 2);
  });

  it('tells what each way of hearing has to be turned up by', () => {
    const [l, r] = [noise(3), noise(3, 5)];
    const kit = createKitLoudness();
    kit.hear(played([l, r], [scaled(l, 0.5), scaled(r, 0.5)]));
    const db = kit.even(RATE, null);
    expect(db?.before).toBe(0);
    expect(db?.after).toBeCloseTo(6.02, 2);
    expect(db?.removed).toBeCloseTo(6.02, 2);
    kit.clear();
    expect(kit.even(RATE, null)).toBeNull();
  });

  it('takes only what was heard from its first frame to its last, and goes on after a jump', () => {
    const x = noise(1);
    const mix = createMixLoudness(RATE);
    expect(played([x, x], [x, x], 100, 128, mix).map((h) => h.at)).toEqual([1, 2, 3, 4, 5, 6, 7, 8, 9]);
    expect(played([x, x], [x, x], 30 * HOP - 5, 128, mix).map((h) => h.at)).toEqual([30, 31, 32, 33, 34, 35, 36, 37, 38]);
  });

  it('goes by the loop where one is on, and by no block that reaches where nothing was heard', () => {
    const x = noise(3);
    const kit = createKitLoudness();
    kit.hear(played([x, x], [x, x]));
    kit.hear(played([x, x], [scaled(x, 0.5), scaled(x, 0.5)], 60 * HOP));
    expect(kit.even(RATE, { from: 60 * HOP, to: 90 * HOP })?.after).toBeCloseTo(6.02, 1);
    expect(kit.even(RATE, { from: 0, to: 30 * HOP })?.after).toBeCloseTo(0, 2);
    // half of the power is heard at half the level
    expect(kit.even(RATE, null)?.after).toBeCloseTo(10 * Math.log10(2 / 1.25), 1);
    expect(kit.even(RATE, { from: 200 * HOP, to: 230 * HOP })).toBeNull();
    // a short loop is enough once three quarters of it were heard
    expect(kit.even(RATE, { from: 24 * HOP, to: 32 * HOP })?.after).toBeCloseTo(0, 2);
    expect(kit.even(RATE, { from: 27 * HOP, to: 35 * HOP })).toBeNull();
  });

  it('makes nothing louder by more than 18 dB, nor where nothing is heard', () => {
    expect(toEven(-20, -60)).toBe(18);
    expect(toEven(-60, -20)).toBe(-18);
    expect(toEven(-20, null)).toBe(0);
    const silent = new Float32Array(3 * RATE);
    const kit = createKitLoudness();
    kit.hear(played([silent, silent], [silent, silent]));
    expect(kit.even(RATE, null)).toEqual({ before: 0, after: 0, removed: 0 });
  });
});
