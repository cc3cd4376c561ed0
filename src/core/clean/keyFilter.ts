/**
 * High-pass and low-pass on what the gate hears: Butterworth, 12 or 24 dB per octave, each off at the end of its range.
 * In double precision and in place; a corner may move while it runs.
 */
import { type BiquadProcessor, biquadCoefficients, butterworthQs, createBiquad } from '../dsp/biquad';
import { GATE_PARAMS, type GateSettings } from '../params/gateParams';
import { isAtEnd } from '../params/format';

export type KeyFilterSettings = Pick<GateSettings, 'keyHpHz' | 'keyHpSlope' | 'keyLpHz' | 'keyLpSlope'>;

export interface KeyFilter {
  /** Filters the first `n` samples of `key` in place. Allocates nothing. */
  process(key: Float64Array, n: number): void;
  set(s: KeyFilterSettings): void;
  reset(): void;
}

const QS = { 12: butterworthQs(2), 24: butterworthQs(4) } as const;

/** `rate` in Hz. Corners above the Nyquist frequency count as just under it. */
export function createKeyFilter(rate: number, initial: KeyFilterSettings): KeyFilter {
  const flat = { b0: 1, b1: 0, b2: 0, a1: 0, a2: 0 };
  const high: BiquadProcessor[] = [createBiquad(flat), createBiquad(flat)];
  const low: BiquadProcessor[] = [createBiquad(flat), createBiquad(flat)];
  let highCount = 0;
  let lowCount = 0;

  function design(sections: BiquadProcessor[], was: number, type: 'highpass' | 'lowpass', off: boolean, hz: number, slope: 12 | 24): number {
    const count = off ? 0 : QS[slope].length;
    for (let i = was; i < count; i++) sections[i].reset();
    for (let i = 0; i < count; i++) sections[i].set(biquadCoefficients(type, rate, hz, QS[slope][i]));
    return count;
  }
  function set(s: KeyFilterSettings) {
    highCount = design(high, highCount, 'highpass', isAtEnd(GATE_PARAMS.keyHpHz, s.keyHpHz), s.keyHpHz, s.keyHpSlope);
    lowCount = design(low, lowCount, 'lowpass', isAtEnd(GATE_PARAMS.keyLpHz, s.keyLpHz), s.keyLpHz, s.keyLpSlope);
  }
  set(initial);
  return {
    process(key, n) {
      for (let i = 0; i < highCount; i++) high[i].process(key, key, n);
      for (let i = 0; i < lowCount; i++) low[i].process(key, key, n);
    },
    set,
    reset() {
      for (const b of [...high, ...low]) b.reset();
    },
  };
}
