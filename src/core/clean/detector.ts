/**
 * What the gate hears: the key through its filter, as a running power. Peak or short RMS.
 *
 * Peak holds the highest sample for half a period of the lowest drum and then falls fast, so that a steady low note reads
 * steady and a stroke reads at once; a plain rectifier would close the gate between the half waves of a floor tom.
 */
import { DENORMAL_GUARD } from '../dsp/biquad';
import type { GateSettings } from '../params/gateParams';
import { createKeyFilter, type KeyFilterSettings } from './keyFilter';

/** Peak: holds for 12 ms (half a period of 42 Hz), then falls with this time constant. */
export const PEAK_HOLD_MS = 12;
export const PEAK_FALL_MS = 5;
/** Short RMS: time constant of the mean square. */
export const RMS_MS = 5;
const CHUNK = 1024;

export type DetectorSettings = KeyFilterSettings & Pick<GateSettings, 'detector'>;

export interface Detector {
  /**
   * Reads `n` frames of `key` from `from` on; writes their power (amplitude squared, 1 = 0 dBFS) to `power` and, where given, the
   * filtered key to `filtered`, at the same positions. Silence gives powers under 1e-17. Allocates nothing.
   */
  process(key: Float32Array, power: Float64Array, from: number, n: number, filtered?: Float64Array | Float32Array): void;
  set(s: DetectorSettings): void;
  reset(): void;
}

/** `rate` in Hz. */
export function createDetector(rate: number, initial: DetectorSettings): Detector {
  const filter = createKeyFilter(rate, initial);
  const work = new Float64Array(CHUNK);
  const peakHold = Math.round((PEAK_HOLD_MS / 1000) * rate);
  const peakFall = Math.exp(-2 / ((PEAK_FALL_MS / 1000) * rate));
  const rmsStep = 1 - Math.exp(-1 / ((RMS_MS / 1000) * rate));
  let rms = initial.detector === 'rms';
  let last = 0;
  let left = 0;

  function run(key: Float32Array, power: Float64Array, from: number, n: number) {
    for (let i = 0; i < n; i++) work[i] = key[from + i];
    filter.process(work, n);
    let pw = last;
    if (rms) {
      for (let i = 0; i < n; i++) {
        pw += rmsStep * (work[i] * work[i] + DENORMAL_GUARD - pw);
        power[from + i] = pw;
      }
    } else {
      let hold = left;
      for (let i = 0; i < n; i++) {
        const p = work[i] * work[i];
        if (p >= pw) {
          pw = p;
          hold = peakHold;
        } else if (hold > 0) hold--;
        else pw = pw * peakFall + DENORMAL_GUARD * DENORMAL_GUARD;
        power[from + i] = pw;
      }
      left = hold;
    }
    last = pw;
  }

  return {
    process(key, power, from, n, filtered) {
      for (let at = from; at < from + n; at += CHUNK) {
        const m = Math.min(CHUNK, from + n - at);
        run(key, power, at, m);
        if (filtered) for (let i = 0; i < m; i++) filtered[at + i] = Math.abs(work[i]) < 1e-12 ? 0 : work[i];
      }
    },
    set(s) {
      rms = s.detector === 'rms';
      filter.set(s);
    },
    reset() {
      filter.reset();
      last = 0;
      left = 0;
    },
  };
}
