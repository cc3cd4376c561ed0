/** The demo: what is played, and that the made recording is what it says.  */
import { describe, expect, it } from 'vitest';
import { MICS } from '../../src/demo/geometry';
import { demoSeconds, demoStrokes } from '../../src/demo/part';
import { strokeSound } from '../../src/demo/strokes';
import { shortRecording } from '../support/madeKit';

const RATE = 48000;
const db = (x: number) => 20 * Math.log10(x);
const peakOf = (x: Float32Array, from = 0, to = x.length) => {
  let p = 0;
  for (let i = Math.max(0, from); i < Math.min(to, x.length); i++) p = Math.max(p, Math.abs(x[i]));
  return p;
};

describe('the part', () => {
  const strokes = demoStrokes(20260);
  const of = (drum: string) => strokes.filter((s) => s.drum === drum);

  it('is 45 to 60 s of 11 mics with at least 40 tom strokes a minute, from very soft to loud', () => {
    expect(demoSeconds()).toBeGreaterThan(45);
    expect(demoSeconds()).toBeLessThan(60);
    expect(MICS).toHaveLength(11);
    for (const tom of ['tom-1', 'tom-2']) {
      const s = of(tom).map((h) => h.strength);
      expect(Math.min(...s)).toBeLessThan(0.25);
      expect(Math.max(...s)).toBeGreaterThan(0.8);
    }
    expect(((of('tom-1').length + of('tom-2').length) / demoSeconds()) * 60).toBeGreaterThan(40);
  });

  it('has ghost notes, doubles, flams, rolls, and soft floor toms under ringing crashes', () => {
    expect(of('snare').filter((s) => s.strength < 0.35).length).toBeGreaterThan(8);
    const gaps = (drum: string) => of(drum).map((s) => s.time).sort((a, b) => a - b).map((t, i, l) => t - (l[i - 1] ?? -9));
    expect(gaps('snare').filter((g) => g < 0.045).length).toBeGreaterThan(0); // flam
    expect(gaps('tom-1').filter((g) => g < 0.1).length).toBeGreaterThan(2); // roll
    expect(gaps('kick').filter((g) => g < 0.16).length).toBeGreaterThan(1); // double
    const under = of('tom-2').filter((s) => s.strength < 0.4 && of('crash').some((c) => c.time < s.time && s.time - c.time < 1.6));
    expect(under.length).toBeGreaterThan(4);
  });

  it('is played by a person: nothing lands on the grid, no two strokes are alike, the same each time', () => {
    expect(demoStrokes(20260)).toEqual(strokes);
    const step = 60 / 106 / 4;
    const off = strokes.map((s) => Math.abs(((s.time - 0.4 + step / 2) % step) - step / 2));
    expect(off.filter((o) => o < 1e-5).length).toBeLessThan(3);
    expect(new Set(of('hat').map((s) => s.strength)).size).toBeGreaterThan(of('hat').length * 0.9);
  });
});

describe('a drum head', () => {
  // N. Fletcher, T. Rossing, The Physics of Musical Instruments: ideal membrane modes 1 : 1.594 : 2.136 : ...
  it('rings in the modes of a membrane', () => {
    const [x] = strokeSound({ drum: 'tom-2', time: 0, strength: 0.8 }, 2, RATE, 5);
    const from = Math.round(0.12 * RATE);
    const n = Math.round(0.5 * RATE);
    const level = (hz: number) => {
      let [re, im] = [0, 0];
      for (let i = 0; i < n; i++) {
        const w = 0.5 - 0.5 * Math.cos((2 * Math.PI * i) / n);
        re += w * x[from + i] * Math.cos((2 * Math.PI * hz * i) / RATE);
        im += w * x[from + i] * Math.sin((2 * Math.PI * hz * i) / RATE);
      }
      return Math.hypot(re, im);
    };
    const grid = Array.from({ length: 300 }, (_, i) => 50 + i);
    const f1 = grid.reduce((best, hz) => (level(hz) > level(best) ? hz : best), 50);
    expect(f1).toBeGreaterThan(60);
    expect(f1).toBeLessThan(130);
    // a peak at 1.594 times the lowest: larger than what lies between the modes
    const second = grid.filter((hz) => Math.abs(hz / f1 - 1.594) < 0.06).reduce((m, hz) => Math.max(m, level(hz)), 0);
    expect(db(second / level(f1 * 1.3))).toBeGreaterThan(6);
  });
});

describe('a made recording', () => {
  const r = shortRecording({ from: 18, seconds: 9, roles: ['snare-top', 'tom-1', 'tom-2', 'overhead-left'] });
  const again = shortRecording({ from: 18, seconds: 9, roles: ['snare-top', 'tom-1', 'tom-2', 'overhead-left'] });

  it('has the same samples each time', () => {
    for (const [i, x] of r.audio.entries()) expect(again.audio[i]).toEqual(x);
  });

  it('keeps at each close mic its own drum alone: nothing before a stroke, its strokes in it, spill beside it', () => {
    for (const [i, m] of r.mics.entries()) {
      const truth = r.truth[i];
      if (!m.own) {
        expect(truth).toBeNull();
        continue;
      }
      if (!truth) throw new Error(m.name);
      const hits = r.hits[m.own];
      const first = Math.round((hits[0].time + r.offsets[i]) * RATE);
      expect(peakOf(truth, 0, first - 48)).toBeLessThan(1e-4 * peakOf(truth));
      // it rises within a millisecond of the time that is kept
      expect(peakOf(truth, first - 24, first + 96)).toBeGreaterThan(0.02 * peakOf(truth, first, first + 2400));
      expect(db(peakOf(r.audio[i]))).toBeCloseTo(m.peakDb, 0);
    }
  });

  // normal case: spill peaks at the level of soft strokes
  it('is a normal case: at the toms spill peaks at about the level of soft strokes', () => {
    for (const tom of ['tom-1', 'tom-2']) {
      const i = r.mics.findIndex((m) => m.own === tom);
      const truth = r.truth[i] as Float32Array;
      const own = r.hits[tom].map((h) => Math.round((h.time + r.offsets[i]) * RATE));
      const levels = own.map((f) => peakOf(truth, f, f + 1440)).sort((a, b) => a - b);
      const soft = levels[Math.floor(levels.length / 4)];
      const rest = r.audio[i].map((v, k) => v - truth[k] - (r.late[i] as Float32Array)[k]);
      const spill = Object.entries(r.hits)
        .filter(([d]) => d !== tom)
        .flatMap(([, hits]) => hits.map((h) => peakOf(rest, Math.round(h.time * RATE), Math.round((h.time + 0.04) * RATE))))
        .sort((a, b) => a - b);
      const usual = spill[spill.length >> 1];
      expect(Math.abs(db(usual / soft)), `${tom}: spill against soft strokes, dB`).toBeLessThan(6);
    }
  });
});
