import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { createEar } from '../hits/ears';
import { withUnheard } from './hearAgain';
import { type Heard, likely, risesApart, standOut } from './standOut';

const RATE = 48000;
const LENGTH = 12 * RATE;
/** A drum of 120 Hz with a click, struck every second; the stroke at 7.5 s is 22 dB softer and was not found. */
const OWN = [1, 2, 3, 4, 5, 6, 7, 9, 10];
const UNFOUND = 7.5;
/** Another drum, as loud as this one in its mic: bursts of noise, taken down by de-bleed by 26 dB. */
const OTHER = [1.5, 2.4, 4.5, 6.4, 8.5, 10.6];
const gauss = createGaussian(createRng(4));
const own = new Float32Array(LENGTH);
const other = new Float32Array(LENGTH);
const strike = (x: Float32Array, at: number, level: number, of: (i: number) => number) => {
  for (let i = 0; i < 0.4 * RATE && at * RATE + i < LENGTH; i++) x[Math.round(at * RATE) + i] += level * of(i);
};
const drum = (i: number) => 0.5 * Math.sin((2 * Math.PI * 120 * i) / RATE) * Math.exp(-i / (0.12 * RATE)) + 0.1 * gauss() * Math.exp(-i / (0.002 * RATE));
for (const at of OWN) strike(own, at, 1, drum);
strike(own, UNFOUND, 0.08, drum);
for (const at of OTHER) strike(other, at, 0.5, (i) => gauss() * Math.exp(-i / (0.05 * RATE)));
const mixed = (of: number) => own.map((v, i) => v + of * other[i] + 1e-5 * gauss());
const raw = mixed(1);
const kept = mixed(0.05);
const ear = createEar();
const heard: Heard = { raw, kept, rate: RATE, drum: 'tom-1', own: OWN, known: OWN };

describe('strokes that stand out of a de-bled mic', () => {
  it('are found where no finding heard them, within two milliseconds, as soft as they are', () => {
    const list = standOut(heard, ear);
    expect(list).toHaveLength(1);
    expect(Math.abs(list[0].time - UNFOUND)).toBeLessThan(0.002);
    expect(20 * Math.log10(list[0].strength)).toBeCloseTo(-22, 0);
  });

  it('are not what is left of another drum, though that rises too', () => {
    const rises = risesApart(heard, ear);
    const left = rises.filter((r) => OTHER.some((t) => Math.abs(t - r.time) < 0.005));
    expect(left.length).toBeGreaterThanOrEqual(4);
    for (const r of left) expect(r.keptDb, `at ${r.time} s`).toBeLessThan(-22);
  });

  it('are told by their sound where all of the other drum stayed', () => {
    const list = standOut({ ...heard, kept: raw }, ear);
    expect(list.map((s) => Math.round(10 * s.time) / 10)).toEqual([UNFOUND]);
  });

  it('are none of the known ones, nor near before or after such', () => {
    expect(standOut({ ...heard, known: [...OWN, UNFOUND].sort((a, b) => a - b) }, ear)).toEqual([]);
    const smeared = Float32Array.from(kept);
    strike(smeared, 8.95, 0.1, drum);
    expect(standOut({ ...heard, kept: smeared }, ear).map((s) => s.time)).toEqual([expect.closeTo(UNFOUND, 2)]);
  });

  it('are none that rises where a stroke still rings, unless it stands far out of that or can hardly be told from one', () => {
    const struck = (level: number, ping: number) => {
      const x = Float32Array.from(kept);
      strike(x, 3.35, level, (i) => drum(i) + ping * Math.sin((2 * Math.PI * 500 * i) / RATE) * Math.exp(-i / (0.12 * RATE)));
      const here = (list: readonly { time: number }[]) => list.filter((r) => Math.abs(r.time - 3.35) < 0.003).length;
      return [here(risesApart({ ...heard, kept: x }, ear)), here(standOut({ ...heard, kept: x }, ear))];
    };
    expect(struck(0.2, 0.15)).toEqual([1, 0]);
    expect(struck(0.8, 0.15)).toEqual([1, 1]);
    expect(struck(0.2, 0)).toEqual([1, 1]);
  });

  it('do not depend on the gain of the mic', () => {
    const [quiet, loud] = [0.05, 20].map((g) => standOut({ ...heard, raw: raw.map((v) => g * v), kept: kept.map((v) => g * v) }, ear));
    expect(quiet.map((s) => s.time)).toEqual(loud.map((s) => s.time));
    expect(quiet[0].strength).toBeCloseTo(loud[0].strength, 3);
  });

  it('are not sought with fewer than three strokes, nor in silence', () => {
    expect(standOut({ ...heard, own: OWN.slice(0, 2) }, ear)).toEqual([]);
    expect(standOut({ ...heard, raw: new Float32Array(LENGTH), kept: new Float32Array(LENGTH) }, ear)).toEqual([]);
  });
});

describe('what rises is likely a stroke', () => {
  const told = (keptDb: number, overDb: number, likeness: number, strength = 0.1) => likely({ keptDb, overDb, likeness, strength });

  it('far over the ring where it is like one, less far where it can hardly be told from one', () => {
    expect([told(-10, 16, 0.94), told(-10, 15.9, 0.984), told(-10, 12, 0.996), told(-10, 10.9, 0.999)]).toEqual([true, false, true, false]);
  });

  it('where it is very soft only if it is more like one, and stands far over the ring', () => {
    expect([told(-10, 30, 0.974, 0.041), told(-10, 30, 0.974, 0.039), told(-10, 16, 0.975, 0.039), told(-10, 12, 0.996, 0.039)]).toEqual([true, false, true, false]);
  });

  it('never where most of it was taken out, nor where it sounds otherwise', () => {
    expect([told(-20.1, 40, 0.99), told(-1, 40, 0.93)]).toEqual([false, false]);
  });
});

describe('hits with such strokes', () => {
  const hit = (time: number, certainty: number) => ({ time, strength: 0.5, certainty });
  const unheard = (time: number) => ({ time, strength: 0.1, keptDb: -5, overDb: 40, likeness: 0.98 });

  it('have them in doubt, in order of time, and all others as they were', () => {
    expect(withUnheard([hit(1, 0.97), hit(3, 0.5)], [unheard(2), unheard(4)])).toEqual([
      hit(1, 0.97), { time: 2, strength: 0.1, certainty: expect.closeTo(0.21, 2) }, hit(3, 0.5), { time: 4, strength: 0.1, certainty: expect.closeTo(0.21, 2) },
    ]);
  });

  it('have what was all but given up there in doubt again, once, and nothing less certain than before', () => {
    expect(withUnheard([hit(2.01, 0.11), hit(5, 0.3), hit(7, 0.12)], [unheard(2), unheard(5)])).toEqual([hit(2.01, 0.21), hit(5, 0.3), hit(7, 0.12)]);
  });
});
