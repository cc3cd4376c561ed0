import { describe, expect, it } from 'vitest';
import { SPECTRUM_FLOOR_DB, rowOfHz, spectrogram, spectrumSize } from './spectrogram';

const RATE = 48000;
const from = (x: Float32Array) => (at: number, n: number) => Float32Array.from({ length: n }, (_, i) => x[at + i] ?? 0);
const sine = (hz: number, level: number, n: number) => Float32Array.from({ length: n }, (_, i) => level * Math.sin((2 * Math.PI * hz * i) / RATE));
const dbOf = (v: number) => SPECTRUM_FLOOR_DB * (1 - v / 255);

describe('spectrogram', () => {
  it('shows a sine at its own height and level, at every zoom', () => {
    for (const [hz, level] of [[1000, 1], [187.5, 0.1], [7500, 0.01]]) {
      for (const span of [48000, 9600]) {
        const rows = 160;
        const p = spectrogram(from(sine(hz, level, 96000)), RATE, 20000, 20000 + span, 50, rows);
        const column = p.subarray(25 * rows, 26 * rows);
        const top = column.indexOf(Math.max(...column));
        // a wide bin of a short window fills several rows
        const width = Math.max(1, (rows * RATE) / spectrumSize(span / 50) / hz / Math.log(500) );
        expect(Math.abs(top + 0.5 - rowOfHz(hz, rows))).toBeLessThan(1.5 + width);
        expect(dbOf(column[top])).toBeGreaterThan(20 * Math.log10(level) - 2.5);
        expect(dbOf(column[top])).toBeLessThan(20 * Math.log10(level) + 0.6);
      }
    }
  });

  it('shows a click in its own column only', () => {
    const x = new Float32Array(48000);
    x[24000] = 1;
    const p = spectrogram(from(x), RATE, 0, 48000, 100, 40);
    const loudest = Array.from({ length: 100 }, (_, c) => Math.max(...p.subarray(c * 40, (c + 1) * 40)));
    // windows of 4096 frames reach four columns of 480 to each side
    expect(loudest[50]).toBeGreaterThan(50);
    loudest.forEach((v, c) => {
      if (Math.abs(c - 50) > 6) expect(v).toBe(0);
    });
  });

  it('shows silence, and what lies outside, as nothing', () => {
    expect(spectrogram(from(new Float32Array(100)), RATE, -5000, 5000, 20, 30).every((v) => v === 0)).toBe(true);
  });
});
