import { describe, expect, it } from 'vitest';
import { PEAK_BASE } from '../dsp/peaks';
import { placesOf } from './places';

const RATE = 48000;
const BINS = Math.floor((10 * RATE) / PEAK_BASE);
const bin = (seconds: number) => Math.floor((seconds * RATE) / PEAK_BASE);
/** Peaks of so much everywhere, but for some bins. */
const peaks = (amp: number, at: Record<number, number> = {}) => {
  const v = Float32Array.from({ length: 2 * BINS }, (_, i) => (i % 2 ? amp : -amp));
  for (const [s, a] of Object.entries(at)) v.set([-a / 2, a], 2 * bin(Number(s)));
  return v;
};
const hits = [1, 3, 5, 7].map((s) => s * RATE);
const quiet = { rate: RATE, raw: peaks(0.01), clean: peaks(0), hits: [], levels: new Float32Array(0), rungOut: 0.5 };

describe('places worth a listen', () => {
  it('are lost strokes, the loudest first, the attack that changed most, and the softest that is left', () => {
    const levels = Float32Array.from([-10, -10.1, -30, -60, -20, -21.5, -12, -40]);
    const places = placesOf({ ...quiet, raw: peaks(0), hits, levels });
    expect(places.map((p) => [p.kind, p.frame / RATE])).toEqual([['lost', 7], ['lost', 3], ['changed', 5], ['softest', 5]]);
    expect(places[0].db).toBeCloseTo(-28, 4);
    expect(places[2].db).toBeCloseTo(-1.5, 4);
    expect(places[3].db).toBeCloseTo(-21.5, 4);
    // three lost ones are enough to know, and a tenth of a dB is no change
    const none = Float32Array.from([-10, -90, -10, -90, -10, -90, -10, -90]);
    expect(placesOf({ ...quiet, raw: peaks(0), hits, levels: none }).map((p) => p.kind)).toEqual(['lost', 'lost', 'lost']);
    expect(placesOf({ ...quiet, raw: peaks(0), hits, levels: Float32Array.from([-10, -10.1, -9, -9, -8, -8, -7, -7]) }).map((p) => p.kind)).toEqual(['softest']);
  });

  it('are the loudest that is left between strokes and the loudest that was taken there, not what rings or begins', () => {
    const levels = Float32Array.from([-10, -10, -10, -10, -10, -10, -10, -10]);
    const raw = peaks(0.01, { 1.2: 0.9, 2.2: 0.5, 4.99: 0.9, 6.1: 0.3 });
    const clean = peaks(0.0001, { 1.2: 0.9, 4.99: 0.9, 6.1: 0.2 });
    const places = placesOf({ ...quiet, raw, clean, hits, levels }).filter((p) => p.kind === 'left' || p.kind === 'taken');
    expect(places.map((p) => [p.kind, p.frame])).toEqual([['left', bin(6.1) * PEAK_BASE], ['taken', bin(2.2) * PEAK_BASE]]);
    expect(places[0].db).toBeCloseTo(-13.98, 1);
    expect(places[1].db).toBeCloseTo(-6.02, 1);
  });

  it('are none where nothing was done and nothing is heard', () => {
    expect(placesOf({ ...quiet, raw: peaks(0) })).toEqual([]);
    expect(placesOf({ ...quiet, clean: peaks(0.01) }).map((p) => p.kind)).toEqual(['left']);
  });
});
