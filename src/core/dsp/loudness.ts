/**
 * Integrated loudness of one channel, LUFS: ITU-R BS.1770-4, the two filters of its K weighting worked out anew for any rate from the analogue prototypes behind the table
 * that the recommendation gives for 48 kHz.
 */
import { type BiquadCoefficients, createBiquad } from './biquad';

const SHELF = { hz: 1681.974450955533, gainDb: 3.999843853973347, q: 0.7071752369554196, slope: 0.4996667741545416 };
const HIGHPASS = { hz: 38.13547087602444, q: 0.5003270373238773 };

/** The head's shelf, then the high-pass; `rate` in Hz. */
export function kWeighting(rate: number): [BiquadCoefficients, BiquadCoefficients] {
  const shelf = () => {
    const k = Math.tan((Math.PI * SHELF.hz) / rate);
    const vh = 10 ** (SHELF.gainDb / 20);
    const vb = vh ** SHELF.slope;
    const a0 = 1 + k / SHELF.q + k * k;
    return { b0: (vh + (vb * k) / SHELF.q + k * k) / a0, b1: (2 * (k * k - vh)) / a0, b2: (vh - (vb * k) / SHELF.q + k * k) / a0, a1: (2 * (k * k - 1)) / a0, a2: (1 - k / SHELF.q + k * k) / a0 };
  };
  const k = Math.tan((Math.PI * HIGHPASS.hz) / rate);
  const a0 = 1 + k / HIGHPASS.q + k * k;
  return [shelf(), { b0: 1, b1: -2, b2: 1, a1: (2 * (k * k - 1)) / a0, a2: (1 - k / HIGHPASS.q + k * k) / a0 }];
}

export const HOP_S = 0.1;
/** Blocks of 400 ms, begun every 100. */
const HOPS = 4;
const OFFSET_DB = -0.691;
const ABSOLUTE_DB = -70;
const RELATIVE_DB = -10;

export interface Loudness {
  /** Takes the next `n` samples (to 8192) of `x`. */
  push(x: Float32Array, n: number): void;
  /** LUFS of all so far; null where there is nothing over -70 LUFS, or less than 400 ms. `at` (from another's `heardIn`): over those blocks instead of its own, where they hold anything. */
  integrated(at?: readonly number[]): number | null;
  /** The blocks that its loudness is told by: those over the recommendation's two gates. */
  heardIn(): number[];
}

/**
 * Loudness by `hops`: K-weighted mean squares of 100 ms each, channels summed; NaN where nothing is known, and no block reaches there.
 */
export function loudnessOfHops(hops: ArrayLike<number>): Pick<Loudness, 'integrated' | 'heardIn'> {
  const block = (i: number) => (i + HOPS > hops.length ? 0 : (hops[i] + hops[i + 1] + hops[i + 2] + hops[i + 3]) / HOPS);
  const level = (at: readonly number[]) => OFFSET_DB + 10 * Math.log10(at.reduce((sum, i) => sum + block(i), 0) / at.length + 1e-30);
  const heardIn = () => {
    const over = (db: number) => Array.from({ length: Math.max(0, hops.length - HOPS + 1) }, (_, i) => i).filter((i) => level([i]) > db);
    const heard = over(ABSOLUTE_DB);
    return heard.length === 0 ? [] : over(level(heard) + RELATIVE_DB);
  };
  return {
    integrated(at) {
      const told = at ?? heardIn();
      const db = told.length > 0 ? level(told) : Number.NEGATIVE_INFINITY;
      return db > ABSOLUTE_DB ? db : null;
    },
    heardIn,
  };
}

export function createLoudness(rate: number): Loudness {
  const [shelf, highpass] = kWeighting(rate).map(createBiquad);
  const weighted = new Float64Array(8192);
  const hop = Math.round(HOP_S * rate);
  const hops: number[] = [];
  let [sum, filled] = [0, 0];
  return {
    push(x, n) {
      shelf.process(x, weighted, n);
      highpass.process(weighted, weighted, n);
      for (let i = 0; i < n; i++) {
        sum += weighted[i] * weighted[i];
        if (++filled < hop) continue;
        hops.push(sum / hop);
        [sum, filled] = [0, 0];
      }
    },
    ...loudnessOfHops(hops),
  };
}
