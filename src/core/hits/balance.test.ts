import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { balanceOf, balanceRows, farFrom, tells, together } from './balance';
import { FINE } from './eventSpectra';
import type { Moments } from './fineLook';

const BANDS = FINE.edges.length - 1;
const g = createGaussian(createRng(11));
/** dB by which the left overhead hears each of two cymbals louder than the right, in every band. */
const SIDE = { crash: Array.from({ length: BANDS }, (_, b) => 5 + 2 * Math.sin(b)), ride: Array.from({ length: BANDS }, (_, b) => -4 + 2 * Math.cos(b / 2)) };

/** Moments of strokes of this level (dB over what was there before) and tilt (dB an octave), by two overheads. */
function moments(strokes: readonly { side: readonly number[]; db: number; tilt?: number }[], overheads = 2): Moments {
  const cells = overheads * BANDS;
  const before = Float32Array.from({ length: strokes.length * cells }, () => 1e-4 * Math.exp(0.1 * g()));
  const after = before.map((v, i) => {
    const { side, db, tilt = 0 } = strokes[Math.floor(i / cells)];
    const [o, b] = [Math.floor((i % cells) / BANDS), i % BANDS];
    return v + 1e-4 * 10 ** ((db + (tilt * b) / 12 + (o === 0 ? side[b] : 0) + 0.5 * g()) / 10);
  });
  return { cells, bands: BANDS, after, before };
}

const crash = (db: number, tilt = 0) => ({ side: SIDE.crash, db, tilt });
const ride = (db: number, tilt = 0) => ({ side: SIDE.ride, db, tilt });

describe('the balance of the overheads', () => {
  it('is a cymbal\'s own, however hard it is struck and whatever its spectrum', () => {
    const b = balanceOf(moments([crash(20), crash(35, -3), crash(15, 4), ride(20), ride(40, 6)]));
    const isCrash = farFrom(b, [0, 1]);
    expect(isCrash(2)).toBeLessThan(1);
    expect(isCrash(3)).toBeGreaterThan(3);
    expect(isCrash(4)).toBeGreaterThan(3);
  });

  it('is what it adds: what rang before counts nothing', () => {
    const rings = moments([crash(20), crash(21), crash(19)]);
    const over = { ...rings, before: rings.before.map((v, i) => v + 1e-3 * (Math.floor(i / BANDS) % 2)), after: rings.after.map((v, i) => v + 1e-3 * (Math.floor(i / BANDS) % 2)) };
    const [alone, under] = [balanceOf(rings), balanceOf(over)];
    for (const [i, v] of alone.db.entries()) if (!Number.isNaN(under.db[i])) expect(under.db[i]).toBeCloseTo(v, 1);
  });

  it('tells nothing where nothing rises, nor of one overhead alone', () => {
    const b = balanceOf(moments([crash(20), crash(20), crash(-20)]));
    expect(farFrom(b, [0, 1])(2)).toBeNull();
    expect(tells(b, 2)).toBe(0);
    expect(tells(b, 0)).toBe(1);
    const mono = balanceOf(moments([crash(20), ride(20)], 1));
    expect(mono.width).toBe(0);
    expect(farFrom(mono, [0])(1)).toBeNull();
    expect(tells(mono, 0)).toBe(0);
  });

  it('is told of a known stroke by the others, so that one stroke alone tells nothing of itself', () => {
    const b = balanceOf(moments([ride(20), crash(20), crash(22), crash(24)]));
    const mixed = farFrom(b, [0, 1, 2, 3]);
    expect(mixed(0, 0)).toBeGreaterThan(2);
    expect(mixed(1, 1)).toBeLessThan(1);
    expect(farFrom(b, [1])(1, 1)).toBeNull();
    expect(farFrom(b, [1])(2)).toBeLessThan(1);
  });

  it('of drums that scatter more is nearer', () => {
    const wide = balanceOf(moments([crash(20), ...[0, 3, -3, 4, -4].map((d) => ({ side: SIDE.ride.map((v) => v + d), db: 20 }))]));
    const tight = balanceOf(moments([crash(20), ...[0, 0, 0, 0, 0].map(() => ride(20))]));
    const of = (b: typeof wide) => farFrom(b, [1, 2, 3, 4, 5])(0) ?? 0;
    expect(of(wide)).toBeLessThan(of(tight));
  });

  it('of looks together counts what both add', () => {
    const [one, two] = [moments([crash(20)]), moments([crash(10)])];
    const sum = together([one, { ...two, before: one.before }]);
    expect(sum.after[3]).toBeCloseTo(one.after[3] + two.after[3], 6);
    expect(sum.before[3]).toBeCloseTo(2 * one.before[3], 6);
    expect(sum.cells).toBe(one.cells);
  });

  it('comes as numbers a place: each cymbal\'s, the nearest drum\'s that may be struck there, and how much tells', () => {
    const snare = { side: SIDE.crash.map(() => 0), db: 20 };
    const m = moments([crash(20), ride(20), snare, crash(20), crash(23), ride(18), ride(22), snare, snare]);
    const times = [1, 2, 3, 1, 10, 2, 11, 3, 12];
    const known = [{ drum: 'crash', at: [3, 4] }, { drum: 'ride', at: [5, 6] }, { drum: 'snare', at: [7, 8] }];
    const rows = balanceRows([m, m], times, known, ['crash', null], [[], ['snare'], ['snare', 'tom-1']]);
    expect(rows.map((r) => r.length)).toEqual([8, 8, 8]);
    for (const r of rows) expect(r.slice(4)).toEqual(r.slice(0, 4));
    expect(rows[0][0]).toBeLessThan(1);
    expect(rows[1][0]).toBeGreaterThan(3);
    // nothing is known of the other cymbal, nor of a drum at the first place
    expect(rows.map((r) => r[1])).toEqual([2, 2, 2]);
    expect(rows[0][2]).toBe(2);
    expect(rows[1][2]).toBeGreaterThan(1.5);
    expect(rows[2][2]).toBeLessThan(1);
    expect(rows.map((r) => r[3])).toEqual([1, 1, 1]);
  });
});
