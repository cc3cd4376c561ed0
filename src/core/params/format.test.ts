import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { counted, formatNumber, formatParam, fromPosition, parseNumber, roundTo, toPosition } from './format';
import { GATE_DEFAULTS, GATE_PARAMS, closedGain, isHardGate } from './gateParams';
import type { NumberParam } from './types';

const numbers = Object.entries(GATE_PARAMS).filter((e): e is [string, NumberParam & (typeof e)[1]] => e[1].kind === 'number');

describe('parameters', () => {
  it.each(numbers)('%s: default and ends lie in its range, and it says what it is for', (_, p) => {
    expect(p.default).toBeGreaterThanOrEqual(p.min);
    expect(p.default).toBeLessThanOrEqual(p.max);
    expect(p.min).toBeLessThan(p.max);
    expect(p.step).toBeGreaterThan(0);
    expect(p.help.length).toBeGreaterThan(20);
  });

  it.each(numbers)('%s: the slider reaches both ends and never leaves the range', (_, p) => {
    expect(fromPosition(p, 0)).toBeCloseTo(p.min, 6);
    expect(fromPosition(p, 1)).toBeCloseTo(p.max, 6);
    fc.assert(
      fc.property(fc.double({ min: -1, max: 2, noNaN: true }), (x) => {
        const v = fromPosition(p, x);
        return v >= p.min && v <= p.max;
      }),
    );
  });

  it.each(numbers)('%s: position and value agree within a step', (_, p) => {
    fc.assert(
      fc.property(fc.double({ min: 0, max: 1, noNaN: true }), (x) => {
        const v = fromPosition(p, x);
        const back = fromPosition(p, toPosition(p, v));
        return Math.abs(back - v) <= Math.max(p.step, Math.abs(v) * 0.011);
      }),
    );
  });

  it.each(numbers)('%s: what is written can be typed again', (_, p) => {
    for (const v of [p.min, p.max, p.default, roundTo(p, (p.min + p.max) / 3)]) {
      const read = parseNumber(p, formatNumber(p, v));
      expect(read, formatNumber(p, v)).not.toBeNull();
      expect(Math.abs((read as number) - v)).toBeLessThanOrEqual(Math.max(0.06, Math.abs(v) * 0.006));
    }
  });

  it('writes units, true minus signs and the names of range ends', () => {
    expect(formatNumber(GATE_PARAMS.thresholdDb, -24.5)).toBe('−24.5 dB');
    expect(formatNumber(GATE_PARAMS.rangeDb, 90)).toBe('silence');
    expect(formatNumber(GATE_PARAMS.ratio, 100)).toBe('gate');
    expect(formatNumber(GATE_PARAMS.ratio, 3)).toBe('3.0:1');
    expect(formatNumber(GATE_PARAMS.holdMs, 1200)).toBe('1.20 s');
    expect(formatNumber(GATE_PARAMS.attackMs, 0.05)).toBe('0.05 ms');
    expect(formatNumber(GATE_PARAMS.keyLpHz, 20000)).toBe('off');
    expect(formatNumber(GATE_PARAMS.keyLpHz, 1200)).toBe('1.20 kHz');
    expect(formatParam(GATE_PARAMS.on, true)).toBe('on');
    expect(formatParam(GATE_PARAMS.keyFrom, 'kick-in', () => 'Kick in')).toBe('Kick in');
    expect(formatParam(GATE_PARAMS.detector, 'rms')).toBe('RMS');
  });

  it('refuses what it cannot read or what lies outside: nothing clamps silently', () => {
    const p = GATE_PARAMS.thresholdDb;
    expect(parseNumber(p, '-24')).toBe(-24);
    expect(parseNumber(p, ' −24,5 dB ')).toBe(-24.5);
    expect(parseNumber(GATE_PARAMS.holdMs, '1.5 s')).toBe(1500);
    expect(parseNumber(GATE_PARAMS.keyLpHz, '4.5k')).toBe(4500);
    expect(parseNumber(GATE_PARAMS.rangeDb, 'silence')).toBe(90);
    for (const bad of ['', 'loud', '-90', '3', '-24 Hz x', 'NaN', '1e9']) expect(parseNumber(p, bad), bad).toBeNull();
  });

  it('knows gate and silence', () => {
    expect(isHardGate(GATE_DEFAULTS)).toBe(true);
    expect(isHardGate({ ratio: 99 })).toBe(false);
    expect(closedGain({ rangeDb: 90 })).toBe(0);
    expect(closedGain({ rangeDb: 80 })).toBeCloseTo(1e-4, 10);
  });
});

describe('numbers of things', () => {
  it.each([[0, '0 hits'], [1, '1 hit'], [2, '2 hits'], [2000, '2,000 hits']])('%d is told as %s', (n, words) => {
    expect(counted(n, 'hit')).toBe(words);
  });

  it('take a plural of their own', () => {
    expect([1, 3].map((n) => counted(n, 'mic has', 'mics have'))).toEqual(['1 mic has', '3 mics have']);
  });
});
