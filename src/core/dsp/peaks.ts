/**
 * Minimum and maximum of a signal per bin, as pyramids for drawing: level 0 has 256 frames a bin, each next level four times as
 * many. A waveform drawn from them shows every peak at every zoom; single samples are drawn from the audio itself.
 */
export const PEAK_BASE = 256;
export const PEAK_FACTOR = 4;
export const PEAK_LEVELS = 5;

/** Frames a bin at a level. */
export const binFrames = (level: number): number => PEAK_BASE * PEAK_FACTOR ** level;

/** Min/max pairs of `x` per `bin` frames, written to `out` from pair `at` on; the last bin may be short. Returns the pairs written. */
export function writePeaks(x: Float32Array, bin: number, out: Float32Array, at = 0): number {
  const bins = Math.ceil(x.length / bin);
  for (let b = 0; b < bins; b++) {
    let lo = Number.POSITIVE_INFINITY;
    let hi = Number.NEGATIVE_INFINITY;
    const to = Math.min(x.length, (b + 1) * bin);
    for (let i = b * bin; i < to; i++) {
      const v = x[i];
      if (v < lo) lo = v;
      if (v > hi) hi = v;
    }
    out[2 * (at + b)] = lo;
    out[2 * (at + b) + 1] = hi;
  }
  return bins;
}

/** The next coarser level of a level of min/max pairs. */
export function coarser(pairs: Float32Array): Float32Array {
  const n = pairs.length / 2;
  const bins = Math.ceil(n / PEAK_FACTOR);
  const out = new Float32Array(bins * 2);
  for (let b = 0; b < bins; b++) {
    let lo = Number.POSITIVE_INFINITY;
    let hi = Number.NEGATIVE_INFINITY;
    for (let i = b * PEAK_FACTOR; i < Math.min(n, (b + 1) * PEAK_FACTOR); i++) {
      if (pairs[2 * i] < lo) lo = pairs[2 * i];
      if (pairs[2 * i + 1] > hi) hi = pairs[2 * i + 1];
    }
    out[2 * b] = lo;
    out[2 * b + 1] = hi;
  }
  return out;
}

/** All levels from level 0. */
export function pyramid(base: Float32Array): Float32Array[] {
  const levels = [base];
  while (levels.length < PEAK_LEVELS) levels.push(coarser(levels[levels.length - 1]));
  return levels;
}
