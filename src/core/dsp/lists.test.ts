import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { quantile } from '../hits/candidates';
import { createDelay } from './delay';
import { createFrameLine } from './frameLine';
import { powerSteps } from './power';
import { firstIndex, putInPlace } from './search';

describe('searching a list in order', () => {
  it('finds what a walk through it finds', () => {
    fc.assert(fc.property(fc.array(fc.integer({ min: 0, max: 60 })).map((l) => l.sort((a, b) => a - b)), fc.integer({ min: -5, max: 65 }), (list, x) => {
      const walked = list.findIndex((v) => v >= x);
      expect(firstIndex(list.length, (i) => list[i] >= x)).toBe(walked < 0 ? list.length : walked);
    }));
  });
});

describe('putting one value in its place', () => {
  it('gives what sorting all gives, with none before larger and none after smaller', () => {
    const value = fc.oneof(fc.integer({ min: -4, max: 4 }), fc.double({ noNaN: true }));
    fc.assert(fc.property(fc.array(value, { minLength: 1, maxLength: 200 }), fc.nat(), (list, n) => {
      const k = n % list.length;
      const v = Float64Array.from(list);
      putInPlace(v, k);
      expect(v[k] === Float64Array.from(list).sort()[k]).toBe(true);
      expect(v.subarray(0, k).every((x) => x <= v[k])).toBe(true);
      expect(v.subarray(k).every((x) => x >= v[k])).toBe(true);
      // zeros of either sign are the same
      const sorted = (values: Iterable<number>) => [...values].map((x) => x + 0).sort((a, b) => a - b);
      expect(sorted(v)).toEqual(sorted(list));
    }));
  });

  it('ends where a value is no number', () => {
    const v = Float64Array.from([3, Number.NaN, 1, Number.NaN, 2]);
    for (let k = 0; k < v.length; k++) putInPlace(v, k);
    expect([...v].filter((x) => !Number.isNaN(x)).sort()).toEqual([1, 2, 3]);
  });
});

describe('quantiles', () => {
  it('lie between the values beside them, as their share says', () => {
    expect(quantile([], 0.5)).toBe(0);
    expect(quantile([7], 0.9)).toBe(7);
    expect(quantile(Float32Array.of(4, 1, 3, 2), 0.5)).toBe(2.5);
    expect(quantile([10, 0, 20], 0.25)).toBe(5);
    expect(quantile([10, 0, 20], 1)).toBe(20);
  });
});

describe('power in steps', () => {
  it('is the mean square, also where a step is no whole number of samples', () => {
    const x = Float32Array.from({ length: 44100 }, (_, i) => Math.sin(i / 3));
    const p = powerSteps(x, 44100, 1000);
    expect(p).toHaveLength(1000);
    expect(p[500]).toBeCloseTo(x.subarray(22050, 22094).reduce((s, v) => s + v * v, 0) / 44, 9);
    expect(p.reduce((a, b) => a + b, 0) / 1000).toBeCloseTo(0.5, 2);
  });
});

describe('a line of frames', () => {
  it('names the frame of every sample that a delay of the same length gives, whatever is played in which blocks', () => {
    const run = fc.record({ from: fc.integer({ min: 100, max: 5000 }), blocks: fc.array(fc.integer({ min: 1, max: 90 }), { minLength: 1, maxLength: 5 }) });
    fc.assert(fc.property(fc.array(run, { minLength: 1, maxLength: 5 }), fc.integer({ min: 0, max: 70 }), (runs, delay) => {
      const line = createFrameLine(delay);
      // each sample carries its own frame through a real delay
      const real = createDelay(delay);
      let told = 0;
      for (const { from, blocks } of runs) {
        let at = from;
        for (const n of blocks) {
          const input = Float32Array.from({ length: n }, (_, i) => at + i);
          const out = new Float32Array(n);
          real.process(input, out, n);
          const frames = new Float32Array(n).fill(Number.NaN);
          line.push(at, n, (place, count, frame) => {
            for (let i = 0; i < count; i++) frames[place + i] = frame + i;
          });
          for (let i = 0; i < n; i++) {
            expect(Number.isNaN(frames[i])).toBe(false);
            // before the first sample the delay holds zeros
            if (told++ >= delay) expect(frames[i]).toBe(out[i]);
          }
          at += n;
        }
      }
    }));
  });
});
