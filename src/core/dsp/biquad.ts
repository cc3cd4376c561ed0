/**
 * Second-order filter sections after R. Bristow-Johnson's Audio EQ Cookbook, the formulae that the W3C Web Audio API also
 * prescribes, in transposed direct form II. Double precision: a 20 Hz high-pass at 96 kHz loses accuracy in single.
 */
export type BiquadType = 'lowpass' | 'highpass' | 'bandpass' | 'notch' | 'peaking' | 'lowshelf' | 'highshelf';

/** Normalised coefficients: y = b0 x + b1 x[-1] + b2 x[-2] - a1 y[-1] - a2 y[-2]. */
export interface BiquadCoefficients {
  b0: number;
  b1: number;
  b2: number;
  a1: number;
  a2: number;
}

/**
 * Coefficients for a corner or centre `hz` (0 < hz < rate/2; clipped just inside), linear quality `q` > 0 (shelves: the
 * slope is fixed at S = 1 as in Web Audio), and `gainDb` for peaking and shelves.
 */
export function biquadCoefficients(type: BiquadType, rate: number, hz: number, q = Math.SQRT1_2, gainDb = 0): BiquadCoefficients {
  const w = (2 * Math.PI * Math.min(Math.max(hz, 1e-3), rate * 0.4999)) / rate;
  const cos = Math.cos(w);
  const sin = Math.sin(w);
  const A = 10 ** (gainDb / 40);
  const alpha = sin / (2 * q);
  const shelf = sin * Math.SQRT1_2 * 2 * Math.sqrt(A);
  let b: [number, number, number];
  let a: [number, number, number];
  switch (type) {
    case 'lowpass':
      b = [(1 - cos) / 2, 1 - cos, (1 - cos) / 2];
      a = [1 + alpha, -2 * cos, 1 - alpha];
      break;
    case 'highpass':
      b = [(1 + cos) / 2, -1 - cos, (1 + cos) / 2];
      a = [1 + alpha, -2 * cos, 1 - alpha];
      break;
    case 'bandpass':
      b = [alpha, 0, -alpha];
      a = [1 + alpha, -2 * cos, 1 - alpha];
      break;
    case 'notch':
      b = [1, -2 * cos, 1];
      a = [1 + alpha, -2 * cos, 1 - alpha];
      break;
    case 'peaking':
      b = [1 + alpha * A, -2 * cos, 1 - alpha * A];
      a = [1 + alpha / A, -2 * cos, 1 - alpha / A];
      break;
    case 'lowshelf':
      b = [A * (A + 1 - (A - 1) * cos + shelf), 2 * A * (A - 1 - (A + 1) * cos), A * (A + 1 - (A - 1) * cos - shelf)];
      a = [A + 1 + (A - 1) * cos + shelf, -2 * (A - 1 + (A + 1) * cos), A + 1 + (A - 1) * cos - shelf];
      break;
    case 'highshelf':
      b = [A * (A + 1 + (A - 1) * cos + shelf), -2 * A * (A - 1 + (A + 1) * cos), A * (A + 1 + (A - 1) * cos - shelf)];
      a = [A + 1 - (A - 1) * cos + shelf, 2 * (A - 1 - (A + 1) * cos), A + 1 - (A - 1) * cos - shelf];
      break;
  }
  return { b0: b[0] / a[0], b1: b[1] / a[0], b2: b[2] / a[0], a1: a[1] / a[0], a2: a[2] / a[0] };
}

/** Qualities of the sections of a Butterworth filter of even `order`: 1 / (2 cos of the pole angles). */
export function butterworthQs(order: number): number[] {
  return Array.from({ length: order / 2 }, (_, k) => 1 / (2 * Math.cos((Math.PI * (2 * k + 1)) / (2 * order))));
}

/** Complex response of one section at `hz`: magnitude (linear) and phase (radians, -pi..pi). */
export function biquadResponse(c: BiquadCoefficients, rate: number, hz: number): { magnitude: number; phase: number } {
  const w = (2 * Math.PI * hz) / rate;
  const [c1, s1, c2, s2] = [Math.cos(w), -Math.sin(w), Math.cos(2 * w), -Math.sin(2 * w)];
  const nr = c.b0 + c.b1 * c1 + c.b2 * c2;
  const ni = c.b1 * s1 + c.b2 * s2;
  const dr = 1 + c.a1 * c1 + c.a2 * c2;
  const di = c.a1 * s1 + c.a2 * s2;
  return { magnitude: Math.hypot(nr, ni) / Math.hypot(dr, di), phase: Math.atan2(ni * dr - nr * di, nr * dr + ni * di) };
}

export interface BiquadProcessor {
  /** Filters `n` samples of `input` into `output` (may be the same array). Allocates nothing. */
  process(input: Float32Array | Float64Array, output: Float32Array | Float64Array, n: number): void;
  /** New coefficients; the state is kept, so that a moving corner does not click. */
  set(c: BiquadCoefficients): void;
  reset(): void;
}

/**
 * Keeps the states of recursive filters out of the denormal range after digital silence, sample for sample the same at every
 * block size. 1e-18 is -360 dBFS.
 */
export const DENORMAL_GUARD = 1e-18;

export function createBiquad(initial: BiquadCoefficients): BiquadProcessor {
  let { b0, b1, b2, a1, a2 } = initial;
  let s1 = 0;
  let s2 = 0;
  return {
    process(input, output, n) {
      const [c0, c1, c2, d1, d2] = [b0, b1, b2, a1, a2];
      let z1 = s1;
      let z2 = s2;
      for (let i = 0; i < n; i++) {
        const x = input[i] + DENORMAL_GUARD;
        const y = c0 * x + z1;
        z1 = c1 * x + z2 - d1 * y;
        z2 = c2 * x - d2 * y;
        output[i] = y;
      }
      s1 = z1;
      s2 = z2;
    },
    set(c) {
      ({ b0, b1, b2, a1, a2 } = c);
    },
    reset() {
      s1 = 0;
      s2 = 0;
    },
  };
}
