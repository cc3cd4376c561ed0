/** Level over time and frequency, as a picture of so many columns and rows. */
import FFT from 'fft.js';

/** Lowest and highest frequency of the picture, Hz: octaves have one height. */
export const SPECTRUM_HZ = { from: 40, to: 20000 };
/** Levels of the picture: this and less is 0, 0 dBFS (a full sine) is 255. */
export const SPECTRUM_FLOOR_DB = -96;

const LONGEST = 4096;
const SHORTEST = 512;

/** Frames under the window: as long as what some columns show, so that strokes stay upright when one is near. */
export function spectrumSize(framesPerColumn: number): number {
  let size = SHORTEST;
  while (size < LONGEST && size < 8 * framesPerColumn) size *= 2;
  return size;
}

/** Row (0 at the bottom, fractional) of a frequency among `rows`. */
export const rowOfHz = (hz: number, rows: number): number => (rows * Math.log(hz / SPECTRUM_HZ.from)) / Math.log(SPECTRUM_HZ.to / SPECTRUM_HZ.from);

/**
 * Levels 0..255 of `columns` x `rows` (rows of a column side by side, lowest frequency first). `samples(from, n)` gives frames from anywhere, silence outside.
 * Each column is the loudest of what it spans, in at most three windows; each row the loudest bin that falls into it, or between the bins beside it.
 */
export function spectrogram(samples: (from: number, n: number) => Float32Array, rate: number, from: number, to: number, columns: number, rows: number): Uint8Array {
  const perColumn = (to - from) / columns;
  const size = spectrumSize(perColumn);
  const fft = new FFT(size);
  const window = Float64Array.from({ length: size }, (_, i) => 0.5 - 0.5 * Math.cos((2 * Math.PI * i) / size));
  const input = new Float64Array(size);
  const spectrum = new Float64Array(2 * size);
  const power = new Float64Array(size / 2 + 1);
  const looks = Math.min(3, Math.max(1, Math.round(perColumn / (size / 2))));
  const binOf = (row: number) => (SPECTRUM_HZ.from * (SPECTRUM_HZ.to / SPECTRUM_HZ.from) ** (row / rows) * size) / rate;
  const out = new Uint8Array(columns * rows);
  for (let c = 0; c < columns; c++) {
    power.fill(0);
    for (let k = 0; k < looks; k++) {
      const middle = from + (c + (k + 0.5) / looks) * perColumn;
      const x = samples(Math.round(middle - size / 2), size);
      for (let i = 0; i < size; i++) input[i] = window[i] * x[i];
      fft.realTransform(spectrum, input);
      // a full sine in a bin's middle has a quarter of the window's length
      for (let b = 0; b <= size / 2; b++) power[b] = Math.max(power[b], (spectrum[2 * b] ** 2 + spectrum[2 * b + 1] ** 2) * (4 / size) ** 2);
    }
    for (let r = 0; r < rows; r++) {
      const [lo, hi] = [binOf(r), binOf(r + 1)];
      let p = 0;
      if (hi - lo < 1) {
        const b = Math.min(size / 2 - 1, Math.floor((lo + hi) / 2));
        const f = (lo + hi) / 2 - b;
        p = power[b] + Math.min(1, f) * (power[b + 1] - power[b]);
      } else for (let b = Math.ceil(lo); b < Math.min(hi, size / 2 + 1); b++) p = Math.max(p, power[b]);
      const db = 10 * Math.log10(p + 1e-12);
      out[c * rows + r] = Math.max(0, Math.min(255, Math.round(255 * (1 - db / SPECTRUM_FLOOR_DB))));
    }
  }
  return out;
}
