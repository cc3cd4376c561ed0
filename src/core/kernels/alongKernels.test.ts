/** The kernels of what rings along against the sums they stand for, written out. */
import { describe, expect, it } from 'vitest';
import { createRng } from '../dsp/rng';
import { alongKernels } from './alongKernels';

describe('sums over delayed lines', () => {
  it.each([[20, 2, 3], [21, 2, 3], [37, 3, 5], [12, 1, 1], [9, 4, 0]])('of %i frames, %i lines and delays up to %i are what they say', (T, count, reach) => {
    const rng = createRng(T);
    const some = () => Float64Array.from({ length: T }, () => rng() - 0.5);
    const [lines, y, weight] = [Array.from({ length: count }, () => ({ re: some(), im: some() })), { re: some(), im: some() }, some().map(Math.abs)];
    const k = alongKernels(T, count, reach);
    lines.forEach((l, q) => {
      k.lines[q].re.set(l.re);
      k.lines[q].im.set(l.im);
    });
    const width = reach + 1;
    const n = count * width;
    const copy = (i: number, t: number) => {
      const [l, at] = [lines[Math.floor(i / width)], t - (i % width)];
      return at < 0 ? [0, 0] : [l.re[at], l.im[at]];
    };
    // twice, so that nothing of the first time is in the second
    for (let time = 0; time < 2; time++) {
      k.y.re.set(y.re);
      k.y.im.set(y.im);
      k.weight.set(weight);
      k.gram();
      k.correlate();
      for (let i = 0; i < n; i++) {
        let [p, q] = [0, 0];
        for (let t = 0; t < T; t++) {
          const [a, b] = copy(i, t);
          p += a * y.re[t] + b * y.im[t];
          q += a * y.im[t] - b * y.re[t];
        }
        expect(Math.hypot(k.b.re[i] - p, k.b.im[i] - q)).toBeLessThan(1e-12);
        for (let j = 0; j <= i; j++) {
          let [r, s] = [0, 0];
          for (let t = 0; t < T; t++) {
            const [[a, b], [c, d]] = [copy(i, t), copy(j, t)];
            r += weight[t] * (a * c + b * d);
            s += weight[t] * (a * d - b * c);
          }
          expect(Math.hypot(k.a.re[i * n + j] - r, k.a.im[i * n + j] - s), `${i}, ${j}`).toBeLessThan(1e-12);
        }
      }
      const b = [k.b.re.slice(), k.b.im.slice()];
      k.subtract();
      for (let t = 0; t < T; t++) {
        let [p, q] = [y.re[t], y.im[t]];
        for (let i = 0; i < n; i++) {
          const [a, c] = copy(i, t);
          p -= b[0][i] * a - b[1][i] * c;
          q -= b[0][i] * c + b[1][i] * a;
        }
        expect(Math.hypot(k.y.re[t] - p, k.y.im[t] - q)).toBeLessThan(1e-12);
      }
    }
  });
});
