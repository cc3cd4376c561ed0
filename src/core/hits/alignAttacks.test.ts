import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { FAINT, TRUST, alignAttacks, risesBetween } from './alignAttacks';

const RATE = 48000;
const BAND = [200, 12000] as const;
const TIMES = Array.from({ length: 24 }, (_, i) => 0.5 + 0.4 * i);
/** Strokes that stir faintly for 2.5 ms before the blow; `strength` of each. */
function strokes(strength: (i: number) => number, noise: number, seed: number): Float32Array {
  const g = createGaussian(createRng(seed));
  const x = Float32Array.from({ length: 11 * RATE }, () => noise * g());
  TIMES.forEach((t, k) => {
    const at = Math.round(t * RATE);
    for (let i = 0; i < 0.2 * RATE; i++) {
      const ms = (1000 * i) / RATE;
      x[at + i] += strength(k) * g() * (ms < 2.5 ? 0.04 : Math.exp(-(ms - 2.5) / 25));
    }
  });
  return x;
}
const late = (times: readonly number[]) => times.map((t, i) => 1000 * (t - TIMES[i]));

/** Strokes three tenths of a second apart that stir for so many ms, this loud against the blow, in a mic that is nearly silent otherwise. */
function faintAhead(count: number, aheadMs: number, as: number): { x: Float32Array; times: number[] } {
  const g = createGaussian(createRng(5));
  const times = Array.from({ length: count }, (_, i) => 0.5 + 0.3 * i);
  const x = Float32Array.from({ length: (1.5 + 0.3 * count) * RATE }, () => 1e-5 * g());
  for (const t of times) {
    for (let i = 0; i < 0.15 * RATE; i++) {
      const ms = (1000 * i) / RATE;
      x[Math.round(t * RATE) + i] += 0.3 * g() * (ms < aheadMs ? as : Math.exp(-(ms - aheadMs) / 60));
    }
  }
  return { x, times };
}

describe('alignment of attacks', () => {
  it('brings picks at the blow back to the first stirring, soft strokes by the shape of clear ones', () => {
    const strength = (i: number) => (i % 3 === 0 ? 0.03 : 0.8);
    const x = strokes(strength, 0.004, 1);
    const picked = TIMES.map((t) => t + 0.0025);
    const moved = alignAttacks(x, RATE, picked, TIMES.map((_, i) => strength(i)), BAND, 0.004);
    for (const ms of late(moved)) expect(Math.abs(ms)).toBeLessThan(0.8);
  });

  it('gives soft strokes that swell in another way a shape of their own', () => {
    const g = createGaussian(createRng(8));
    const times = Array.from({ length: 60 }, (_, i) => 0.5 + 0.3 * i);
    const soft = (i: number) => i % 2 === 1;
    const x = Float32Array.from({ length: 19 * RATE }, () => 3e-4 * g());
    times.forEach((t, k) => {
      const at = Math.round(t * RATE);
      for (let i = 0; i < 0.15 * RATE; i++) {
        const ms = (1000 * i) / RATE;
        // hard ones begin with the blow; soft ones rub for 3 ms at a third of it
        x[at + i] += (soft(k) ? 0.1 : 0.6) * g() * (soft(k) && ms < 3 ? 0.3 : Math.exp(-Math.max(0, ms - (soft(k) ? 3 : 0)) / 25));
      }
    });
    const picked = times.map((t, i) => (soft(i) ? t + (i % 4 === 1 ? 0.003 : 0.0002) : t));
    const moved = alignAttacks(x, RATE, picked, times.map((_, i) => (soft(i) ? 0.15 : 0.8)), BAND, 0.004);
    const off = moved.map((t, i) => 1000 * (t - times[i]));
    // half of the soft ones were picked 3 ms late
    expect(off.filter((ms) => ms > 2).length).toBeLessThanOrEqual(1);
    expect(off.filter((ms) => ms < -1.5)).toEqual([]);
  });

  it('finds a second shape among strokes as soft as the others, and brings those under spill back by it', () => {
    const g = createGaussian(createRng(12));
    const times = Array.from({ length: 72 }, (_, i) => 0.5 + 0.3 * i);
    const stirs = (i: number) => i % 3 !== 0;
    const buried = (i: number) => i % 4 === 1;
    const x = Float32Array.from({ length: 23 * RATE }, () => 2e-4 * g());
    times.forEach((t, k) => {
      const at = Math.round(t * RATE);
      // one kind begins with its blow and falls quickly; the other stirs for 3 ms, 26 dB under its blow, and falls slowly
      const level = stirs(k) ? 0.1 : 0.3;
      for (let i = 0; i < 0.15 * RATE; i++) {
        const ms = (1000 * i) / RATE;
        x[at + i] += level * g() * (stirs(k) ? (ms < 3 ? 0.05 : Math.exp(-(ms - 3) / 60)) : Math.exp(-ms / 4));
      }
      if (stirs(k) && buried(k)) for (let i = -0.03 * RATE; i < 0.05 * RATE; i++) x[at + Math.round(i)] += 0.012 * g();
    });
    const picked = times.map((t, i) => (stirs(i) ? t + (buried(i) ? 0.003 : 0.0003) : t));
    const moved = alignAttacks(x, RATE, picked, times.map((_, i) => (stirs(i) ? 0.1 : 0.3)), BAND, 0.004);
    const off = moved.map((t, i) => 1000 * (t - times[i]));
    const late = (which: (i: number) => boolean) => off.filter((ms, i) => which(i) && ms > 2).length;
    expect(picked.filter((t, i) => t - times[i] > 0.002).length).toBeGreaterThan(10);
    expect(late((i) => stirs(i) && buried(i))).toBeLessThanOrEqual(2);
    expect(off.filter((ms, i) => !stirs(i) && Math.abs(ms) > 1)).toEqual([]);
  });

  it('lays a few harder strokes over the shape of softer ones where that fits them', () => {
    const g = createGaussian(createRng(21));
    const times = Array.from({ length: 80 }, (_, i) => 0.5 + 0.3 * i);
    // of ten strokes four are soft and stir for 3 ms before the blow; of the six hard ones the others have a blow alone, but one in 20 stirs too
    const soft = (i: number) => i % 10 < 4;
    const stirs = (i: number) => soft(i) || i % 20 === 7;
    const x = Float32Array.from({ length: 26 * RATE }, () => 1e-4 * g());
    times.forEach((t, k) => {
      const at = Math.round(t * RATE);
      for (let i = 0; i < 0.15 * RATE; i++) {
        const ms = (1000 * i) / RATE;
        x[at + i] += (soft(k) ? 0.1 : 0.3) * g() * (stirs(k) ? (ms < 3 ? 0.05 : Math.exp(-(ms - 3) / 60)) : Math.exp(-ms / 4));
      }
    });
    const picked = times.map((t, i) => (stirs(i) ? t + (i % 4 === 1 || !soft(i) ? 0.003 : 0.0002) : t));
    const moved = alignAttacks(x, RATE, picked, times.map((_, i) => (soft(i) ? 0.1 : 0.3)), BAND, 0.004);
    const off = moved.map((t, i) => 1000 * (t - times[i]));
    const few = off.filter((_, i) => stirs(i) && !soft(i));
    expect(few.length).toBe(4);
    for (const ms of few) expect(Math.abs(ms)).toBeLessThan(1.5);
    expect(off.filter((ms) => Math.abs(ms) > 1.5)).toEqual([]);
  });

  it('finds a faint movement in a de-bled mic, 33 dB under the blow, and not where that is not asked for', () => {
    const { x, times } = faintAhead(48, 3, 0.022);
    const picked = times.map((t) => t + 0.003);
    const off = (faint: boolean) => alignAttacks(x, RATE, picked, times.map(() => 0.3), BAND, 0.004, undefined, undefined, faint ? FAINT.snare : undefined).map((t, i) => 1000 * (t - times[i]));
    for (const ms of off(true)) expect(Math.abs(ms)).toBeLessThan(0.6);
    for (const ms of off(false)) expect(ms).toBeCloseTo(3, 6);
  });

  it('finds the faint movement of a kick that takes its time, 36 dB under the blow and 5.5 ms ahead', () => {
    const { x, times } = faintAhead(24, 5.5, 0.016);
    const picked = times.map((t) => t + 0.0055);
    const off = (as: typeof FAINT.kick) => alignAttacks(x, RATE, picked, times.map(() => 0.8), BAND, 0.008, undefined, undefined, as).map((t, i) => 1000 * (t - times[i]));
    for (const ms of off(FAINT.kick)) expect(Math.abs(ms)).toBeLessThan(0.6);
    for (const ms of off(FAINT.snare)) expect(ms).toBeCloseTo(5.5, 6);
    // and it can be heard in the mic, where there is one
    const moves = times.map((t) => ({ from: t, to: t + 0.0055 }));
    expect(risesBetween(x, RATE, moves, BAND)).toBeGreaterThan(20);
    expect(risesBetween(x, RATE, moves.map((m) => ({ from: m.from - 0.02, to: m.from - 0.013 })), BAND)).toBeLessThan(2);
  });

  it('does not believe a tom\'s beginning that only a few strokes show: there something else is struck beside them', () => {
    const g = createGaussian(createRng(12));
    const x = Float32Array.from({ length: 11 * RATE }, () => 0.008 * g());
    // the five clearest have another drum 3 ms ahead of them
    TIMES.forEach((t, k) => {
      const clear = k % 5 === 0;
      for (let i = 0; i < 0.1 * RATE; i++) x[Math.round(t * RATE) + i] += (clear ? 0.8 : 0.2) * g() * Math.exp(-i / 900);
      if (clear) for (let i = 0; i < 0.003 * RATE; i++) x[Math.round((t - 0.003) * RATE) + i] += 0.04 * g();
    });
    const strengths = TIMES.map((_, k) => (k % 5 === 0 ? 0.8 : 0.2));
    const early = (trust?: typeof TRUST.tom) => late(alignAttacks(x, RATE, TIMES, strengths, BAND, 0.003, undefined, undefined, undefined, trust)).filter((ms) => ms < -1.5).length;
    expect(early()).toBeGreaterThan(18);
    expect(early(TRUST.tom)).toBe(0);
    // a swell that all of them have is believed
    const swelling = strokes((i) => (i % 3 === 0 ? 0.03 : 0.8), 0.004, 1);
    const moved = alignAttacks(swelling, RATE, TIMES.map((t) => t + 0.0025), TIMES.map((_, i) => (i % 3 === 0 ? 0.03 : 0.8)), BAND, 0.004, undefined, undefined, undefined, TRUST.tom);
    for (const ms of late(moved)) expect(Math.abs(ms)).toBeLessThan(0.8);
  });

  it('leaves half-open hats where they begin to swell, and moves a pick that is another drum\'s', () => {
    const g = createGaussian(createRng(13));
    const x = Float32Array.from({ length: 11 * RATE }, () => 0.02 * g());
    // every sixth swells for 4 ms, every sixth has another drum's attack 3 ms ahead, all others are closed
    TIMES.forEach((t, k) => {
      const at = Math.round(t * RATE);
      for (let i = 0; i < 0.1 * RATE; i++) x[at + i] += 0.6 * g() * (k % 6 === 1 && i < 0.004 * RATE ? 0.05 : Math.exp(-i / 1500));
      if (k % 6 === 2) for (let i = 0; i < 0.003 * RATE; i++) x[at - Math.round(0.003 * RATE) + i] += 0.085 * g();
    });
    const picked = TIMES.map((t, k) => (k % 6 === 2 ? t - 0.003 : t));
    const off = (trust?: typeof TRUST.hat) => late(alignAttacks(x, RATE, picked, TIMES.map(() => 0.8), BAND, 0, undefined, undefined, undefined, trust));
    const only = (of: number[], which: number) => of.filter((_, k) => k % 6 === which);
    expect(only(off(), 1).filter((ms) => ms > 2).length).toBeGreaterThanOrEqual(3);
    for (const ms of only(off(TRUST.hat), 1)) expect(Math.abs(ms)).toBeLessThan(1);
    for (const ms of only(off(TRUST.hat), 2)) expect(Math.abs(ms)).toBeLessThan(1);
  });

  it('leaves finer picks alone where they stand within the windows', () => {
    const g = createGaussian(createRng(2));
    const x = Float32Array.from({ length: 11 * RATE }, () => 1e-4 * g());
    for (const t of TIMES) for (let i = 0; i < 0.1 * RATE; i++) x[Math.round(t * RATE) + i] += 0.5 * g() * Math.exp(-i / 900);
    const picked = TIMES.map((t, i) => t + 1e-4 * (i % 3));
    expect(alignAttacks(x, RATE, picked, TIMES.map(() => 1), BAND, 0.004)).toEqual(picked);
  });

  it('does not go before what such a drum swells: what comes earlier is another one', () => {
    const x = strokes(() => 0.8, 0.001, 3);
    const picked = TIMES.map((t) => t + 0.0025);
    const moved = alignAttacks(x, RATE, picked, TIMES.map(() => 0.8), BAND, 0);
    for (const ms of late(moved)) expect(ms).toBeGreaterThan(1.5);
  });

  it('is not pulled by another drum just before', () => {
    const x = strokes(() => 0.8, 0.001, 4);
    const g = createGaussian(createRng(5));
    // a third of the strokes have something 6 ms earlier, a quarter as loud
    TIMES.forEach((t, k) => {
      if (k % 3 === 0) for (let i = 0; i < 0.004 * RATE; i++) x[Math.round((t - 0.006) * RATE) + i] += 0.2 * g();
    });
    const moved = alignAttacks(x, RATE, TIMES.map((t) => t + 0.0025), TIMES.map(() => 0.8), BAND, 0.004);
    for (const ms of late(moved)) expect(Math.abs(ms)).toBeLessThan(0.8);
  });

  it('says nothing of fewer than five clear strokes', () => {
    const x = strokes(() => 0.8, 0.001, 6);
    expect(alignAttacks(x, RATE, TIMES.slice(0, 4), [1, 1, 1, 1], BAND, 0.004)).toEqual(TIMES.slice(0, 4));
  });
});
