/**
 * The level scale of the waveform. "Even" is amplitude as it is; "lifted" raises it to the power 0.6, so that -48 dB is still to be
 * seen and a threshold there can be taken hold of; the shape of a stroke stays readable.
 */
export type WaveScale = 'lifted' | 'even';

const POWER: Record<WaveScale, number> = { lifted: 0.6, even: 1 };

/** Height 0..1 above the middle of an amplitude 0..1. */
export const heightOf = (scale: WaveScale, amplitude: number): number => Math.min(1, amplitude) ** POWER[scale];

/** Level in dBFS at a height 0..1. */
export const dbAt = (scale: WaveScale, height: number): number => (20 * Math.log10(Math.max(1e-6, Math.min(1, height)))) / POWER[scale];

/** Height of a level in dBFS. */
export const heightOfDb = (scale: WaveScale, db: number): number => heightOf(scale, 10 ** (db / 20));

export const SCALE_MARKS: Record<WaveScale, readonly number[]> = { lifted: [0, -6, -12, -24, -48], even: [0, -3, -6, -12, -24] };

/** Steps of a time ruler in seconds: the smallest that keeps labels `minPx` apart. */
export function rulerStep(secondsPerPixel: number, minPx: number): number {
  const wanted = secondsPerPixel * minPx;
  const steps = [0.00005, 0.0001, 0.0002, 0.0005, 0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600];
  return steps.find((s) => s >= wanted) ?? 1200;
}
