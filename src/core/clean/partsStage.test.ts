import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { PARTS_DEFAULTS, type PartsSettings } from '../params/partsParams';
import { type HearPart, attackShare, createParts } from './partsStage';

const RATE = 48000;
const gauss = createGaussian(createRng(4));
const HIT = 12000;
/** A click of 5 ms at the hit, and a tone that rings from then on. */
const click = Float32Array.from({ length: 48000 }, (_, i) => (i >= HIT && i < HIT + 240 ? 0.5 * gauss() : 0));
const tone = Float32Array.from({ length: 48000 }, (_, i) => (i < HIT ? 0 : 0.4 * Math.sin((2 * Math.PI * 200 * (i - HIT)) / RATE) * Math.exp(-(i - HIT) / 20000)));
const mic = click.map((v, i) => v + tone[i]);

function run(x: Float32Array, patch: Partial<PartsSettings>, hear: HearPart = 'both', hits = [HIT], sizes = [4096]): Float32Array {
  const stage = createParts(RATE);
  stage.set({ settings: { ...PARTS_DEFAULTS, on: true, ...patch }, hits }, hear);
  const io = new Float32Array(x.length + stage.latency);
  io.set(x);
  for (let at = 0, k = 0; at < io.length; k++) {
    const n = Math.min(sizes[k % sizes.length], io.length - at);
    stage.process(io, at, n, at - stage.latency);
    at += n;
  }
  return io.slice(stage.latency);
}
const energy = (x: Float32Array, from = 0, to = x.length) => x.subarray(from, to).reduce((s, v) => s + v * v, 0);

describe('attack part and note part', () => {
  it('sum to the mic within -90 dB when both are left as they are, by whatever settings they are split', () => {
    fc.assert(
      fc.property(fc.integer({ min: 5, max: 200 }), fc.integer({ min: 5, max: 300 }), fc.integer({ min: -18, max: 18 }), fc.uniqueArray(fc.integer({ min: 0, max: 47999 }), { maxLength: 6 }), (attackMs, overMs, steadyDb, hits) => {
        const y = run(mic, { attackMs, overMs, steadyDb }, 'both', [...hits].sort((a, b) => a - b));
        const error = energy(y.map((v, i) => v - mic[i]));
        expect(10 * Math.log10(error / energy(mic) + 1e-20)).toBeLessThan(-90);
      }),
      { numRuns: 6 },
    );
  });

  it('gives the same whatever the blocks, and only delays when it is off', () => {
    const whole = run(mic, { attackDb: -6, a3Db: 4, n1Db: -5 });
    expect(run(mic, { attackDb: -6, a3Db: 4, n1Db: -5 }, 'both', [HIT], [128, 977, 1, 3000])).toEqual(whole);
    expect(run(mic, { on: false, attackDb: -60, noteDb: -60 })).toEqual(mic);
  });

  it('puts the click into the attack and what rings on into the note', () => {
    const attack = run(mic, {}, 'attack');
    const note = run(mic, {}, 'note');
    const db = (a: number, b: number) => 10 * Math.log10(a / b + 1e-12);
    // most of the click's energy, which is all over the spectrum, is in the attack
    const inAttack = click.reduce((s, v, i) => s + v * attack[i], 0) / energy(click);
    expect(inAttack).toBeGreaterThan(0.75);
    // once the attack has gone over all is note
    expect(db(energy(attack, HIT + 6000), energy(mic, HIT + 6000))).toBeLessThan(-80);
    expect(Math.abs(db(energy(note, HIT + 6000), energy(mic, HIT + 6000)))).toBeLessThan(0.01);
  });

  it('leaves what happens away from own strokes to the note, however sharp it is', () => {
    const other = run(mic, {}, 'attack', [40000]);
    expect(energy(other, HIT - 2000, HIT + 4000)).toBeLessThan(1e-9);
    expect(energy(run(mic, {}, 'attack', []))).toBeLessThan(1e-9);
  });

  it('is never late: the attack has the stroke whole from its first sample', () => {
    const t = { settings: { ...PARTS_DEFAULTS, on: true }, hits: [HIT] };
    for (let f = HIT - 96; f <= HIT + 0.039 * RATE; f += 48) expect(attackShare(RATE, t, f)).toBe(1);
    expect(attackShare(RATE, t, HIT - 0.02 * RATE)).toBe(0);
    expect(attackShare(RATE, t, HIT + 0.09 * RATE)).toBe(0);
  });

  it('sets the level of each part, and equalises it by the cookbook formulae', () => {
    const quiet = run(mic, { noteDb: -60, attackDb: 0 });
    expect(quiet).toEqual(run(mic, {}, 'attack'));
    const louder = run(mic, { noteDb: 6 }, 'note');
    const plain = run(mic, {}, 'note');
    expect(10 * Math.log10(energy(louder) / energy(plain))).toBeCloseTo(6, 3);
    // a bell of 6 dB at the tone's own frequency
    const bell = run(mic, { n2Hz: 200, n2Db: 6, n2Q: 1 }, 'note');
    expect(10 * Math.log10(energy(bell, HIT + 9000) / energy(plain, HIT + 9000))).toBeCloseTo(6, 1);
  });
});
