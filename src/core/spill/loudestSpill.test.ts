import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { framesOf } from './bandFrames';
import { giveBackBeyond, loudestWithout } from './loudestSpill';

const RATE = 48000;
const N = 12 * RATE;
const STROKES = Array.from({ length: 11 }, (_, k) => Math.round((0.7 + k) * RATE));

/** A tone that rises within 10 ms, without a click in other bands, and falls 60 dB in so many seconds, at every stroke. */
function tone(hz: number, level: number, seconds: number, strokes: readonly number[]): Float32Array {
  const x = new Float32Array(N);
  for (const at of strokes) for (let i = 0; i < 0.6 * RATE && at + i < N; i++) x[at + i] += level * Math.min(1, i / (0.01 * RATE)) ** 2 * Math.sin((2 * Math.PI * hz * i) / RATE) * 10 ** ((-3 * i) / (seconds * RATE));
  return x;
}
const sum = (...all: Float32Array[]) => all[0].map((_, i) => all.reduce((a, x) => a + x[i], 0));
const energy = (x: Float32Array) => x.reduce((a, v) => a + v * v, 0);
const errorDb = (x: Float32Array, truth: Float32Array, of: Float32Array) => 10 * Math.log10(energy(x.map((v, i) => v - truth[i])) / energy(of.map((v, i) => v - truth[i])));

/** The drum has a note and highs; what is spilled are other drums' highs between its strokes, and hiss. */
const note = tone(220, 0.5, 0.5, STROKES);
const highs = tone(5000, 0.1, 0.3, STROKES);
const own = sum(note, highs);
const others = STROKES.map((at) => at + RATE / 2);
const gauss = createGaussian(createRng(9));
const hiss = new Float32Array(N).map(() => 1e-4 * gauss());
const spill = sum(tone(5000, 0.005, 0.2, others), hiss);
const raw = sum(own, spill);

describe('what de-bleed may take of a stroke', () => {
  it('is no more than the loudest spill: the drum gets back what it lost beyond that', () => {
    // de-bleed took half of the highs along with all spill
    const kept = sum(note, highs.map((v) => 0.5 * v));
    const before = errorDb(kept, own, raw);
    giveBackBeyond(raw, kept, RATE, STROKES);
    expect(before).toBeGreaterThan(10);
    expect(errorDb(kept, own, raw)).toBeLessThan(before - 9);
  });

  it('leaves every sample as it is where no more was taken', () => {
    const kept = sum(own, spill.map((v) => 0.1 * v));
    const before = kept.slice();
    giveBackBeyond(raw, kept, RATE, STROKES);
    expect(kept.every((v, i) => v === before[i])).toBe(true);
  });

  it('is a bound of its band alone', () => {
    // loud spill elsewhere in the spectrum does not excuse what the highs lost
    const kept = sum(note, highs.map((v) => 0.5 * v));
    const alone = kept.slice();
    giveBackBeyond(sum(raw, tone(90, 0.4, 0.4, others)), kept, RATE, STROKES);
    giveBackBeyond(raw, alone, RATE, STROKES);
    expect(errorDb(kept, own, raw)).toBeCloseTo(errorDb(alone, own, raw), 0);
  });

  it('is not known of drums that are struck too often to be heard without', () => {
    const kept = sum(note, highs.map((v) => 0.5 * v));
    const before = kept.slice();
    const dense = Array.from({ length: 50 }, (_, k) => Math.round(0.24 * k * RATE));
    expect(loudestWithout(framesOf(raw, RATE), dense)).toBeNull();
    giveBackBeyond(raw, kept, RATE, dense);
    expect(kept.every((v, i) => v === before[i])).toBe(true);
  });

  it('is not known where the mic is silent without its drum', () => {
    // a mic that was gated before it came: what sounds with the drum is heard nowhere else
    const gated = raw.map((v, i) => (STROKES.some((at) => i >= at && i < at + 0.2 * RATE) ? v : 0));
    expect(loudestWithout(framesOf(gated, RATE), STROKES)).toBeNull();
    expect(loudestWithout(framesOf(new Float32Array(N), RATE), [])).toBeNull();
  });

  it('hears the loudest of each band', () => {
    const quiet = loudestWithout(framesOf(sum(hiss, tone(5000, 0.005, 0.2, others)), RATE), STROKES) as Float64Array;
    const loud = loudestWithout(framesOf(sum(hiss, tone(5000, 0.05, 0.2, others)), RATE), STROKES) as Float64Array;
    const highest = quiet.indexOf(Math.max(...quiet));
    expect(10 * Math.log10(loud[highest] / quiet[highest])).toBeCloseTo(20, 0);
  });
});
