import { describe, expect, it } from 'vitest';
import { type Change, changeOf, changed } from './unlikeSounds';

const RATE = 48000;
const AS_IT_IS: Change = { speed: 1, tiltDb: 0, decay: 0, drive: 0, rise: 0 };
const sine = (hz: number, frames = RATE / 2) => Float32Array.from({ length: frames }, (_, i) => Math.sin((2 * Math.PI * hz * i) / RATE));
const rms = (x: Float32Array) => Math.sqrt(x.reduce((s, v) => s + v * v, 0) / x.length);
const db = (a: number) => 20 * Math.log10(a);

describe('sounds unlike others', () => {
  it('are as they were where nothing is changed, but for the last sample', () => {
    const x = sine(440);
    const y = changed(x, RATE, 1, AS_IT_IS);
    expect(y).toHaveLength(x.length - 1);
    for (let i = 0; i < y.length; i++) expect(y[i]).toBeCloseTo(x[i], 5);
  });

  it('are faster and shorter, tilted about 1 kHz, damped, driven and slower to rise by what the change says', () => {
    const fast = changed(sine(400), RATE, 1, { ...AS_IT_IS, speed: 1.5 });
    expect(fast.length).toBe(Math.floor((RATE / 2 - 1) / 1.5));
    const crossings = fast.reduce((n, v, i) => n + Number(i > 0 && v >= 0 && fast[i - 1] < 0), 0);
    expect(Math.abs(crossings - (600 * fast.length) / RATE)).toBeLessThanOrEqual(1);

    const tilted = (hz: number) => db(rms(changed(sine(hz), RATE, 1, { ...AS_IT_IS, tiltDb: 4 })) / rms(sine(hz)));
    expect(tilted(50)).toBeCloseTo(-4, 0);
    expect(tilted(15000)).toBeCloseTo(4, 0);

    const damped = changed(sine(1000), RATE, 1, { ...AS_IT_IS, decay: 0.1 });
    expect(db(rms(damped.subarray(4800, 9600)) / rms(damped.subarray(0, 4800)))).toBeCloseTo(db(Math.exp(-1)), 1);

    const driven = changed(sine(100), RATE, 1, { ...AS_IT_IS, drive: 6 });
    expect(driven.reduce((p, v) => Math.max(p, Math.abs(v)), 0)).toBeCloseTo(1, 3);
    expect(rms(driven)).toBeGreaterThan(0.9); // a square has 1, a sine .71

    const rising = changed(sine(3000), RATE, 1, { ...AS_IT_IS, rise: 0.002 });
    expect(rms(rising.subarray(0, 24)) / rms(sine(3000).subarray(0, 24))).toBeLessThan(0.3);
    expect(Array.from(rising.subarray(96, 200))).toEqual(Array.from(changed(sine(3000), RATE, 1, AS_IT_IS).subarray(96, 200)));
  });

  it('are drawn for each drum of a number by itself, within what is told, the same every time', () => {
    const all = Array.from({ length: 200 }, (_, n) => ['kick', 'snare', 'tom-1', 'ride'].map((d) => ({ d, ...changeOf(d, n) }))).flat();
    expect(changeOf('kick', 7)).toEqual(changeOf('kick', 7));
    expect(new Set(all.map((c) => c.speed)).size).toBe(all.length);
    for (const c of all) {
      const [least, most] = c.d === 'ride' ? [0.76, 1.31] : [0.63, 1.58];
      expect(c.speed).toBeGreaterThan(least);
      expect(c.speed).toBeLessThan(most);
      expect(Math.abs(c.tiltDb)).toBeLessThanOrEqual(5);
      if (c.d === 'ride') expect(c.decay).toBe(0);
      else if (c.decay) expect(c.decay).toBeGreaterThanOrEqual(0.06);
    }
    const share = (is: (c: (typeof all)[number]) => boolean) => all.filter(is).length / all.length;
    for (const set of [0, 1, 2]) expect(share((c) => c.set === set)).toBeCloseTo(1 / 3, 1);
    expect(share((c) => c.drive > 0)).toBeCloseTo(1 / 6, 1);
    expect(share((c) => c.rise > 0)).toBeCloseTo(1 / 3, 1);
  });
});
