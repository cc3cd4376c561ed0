/** Sound at half its rate and back, by a half-band low-pass of linear phase: nothing is moved in time. Kaiser's window and formula for its length (J. F. Kaiser, ISCAS 1974). */

/** Stop band, dB; its reach beyond a quarter of the higher rate is what 63 taps allow: 0.04 of that rate. */
const STOP_DB = 80;
/** Taps at odd distances from the middle, on one side; those at even distances are zero. */
const ODD = 16;
/** What samples before and after count, at the higher rate. */
export const HALF_BAND_REACH = 2 * ODD;

/** Modified Bessel function of the first kind, order zero. */
function bessel(x: number): number {
  let [sum, term] = [1, 1];
  for (let k = 1; term > 1e-12 * sum; k++) {
    term *= (x / (2 * k)) ** 2;
    sum += term;
  }
  return sum;
}

/** Weights at distances 1, 3, 5, ...; with 0.5 in the middle they add up to 1 over both sides. */
const taps = (() => {
  const beta = 0.1102 * (STOP_DB - 8.7);
  const h = Float64Array.from({ length: ODD }, (_, i) => {
    const d = 2 * i + 1;
    return (Math.sin((Math.PI * d) / 2) / (Math.PI * d)) * (bessel(beta * Math.sqrt(1 - (d / (2 * ODD)) ** 2)) / bessel(beta));
  });
  const sum = 2 * h.reduce((a, v) => a + v, 0);
  return h.map((v) => (0.5 * v) / sum);
})();

/** Every other sample of `x`, low-passed; sample i is at `x`'s 2i. Beyond its ends there is silence. */
export function halved(x: Float32Array): Float32Array {
  const out = new Float32Array(Math.ceil(x.length / 2));
  const at = (i: number) => (i >= 0 && i < x.length ? x[i] : 0);
  for (let n = 0; n < out.length; n++) {
    const m = 2 * n;
    let y = 0.5 * x[m];
    if (m >= HALF_BAND_REACH && m + HALF_BAND_REACH <= x.length) for (let i = 0, d = 1; i < ODD; i++, d += 2) y += taps[i] * (x[m - d] + x[m + d]);
    else for (let i = 0, d = 1; i < ODD; i++, d += 2) y += taps[i] * (at(m - d) + at(m + d));
    out[n] = y;
  }
  return out;
}

/** `x` at twice its rate, `length` samples: those at even places are as they were. */
export function doubled(x: Float32Array, length = 2 * x.length): Float32Array {
  const out = new Float32Array(length);
  const at = (i: number) => (i >= 0 && i < x.length ? x[i] : 0);
  for (let n = 0; n < length; n += 2) {
    const m = n >> 1;
    out[n] = at(m);
    if (n + 1 === length) break;
    let y = 0;
    if (m >= ODD && m + 1 + ODD < x.length) for (let i = 0; i < ODD; i++) y += taps[i] * (x[m - i] + x[m + 1 + i]);
    else for (let i = 0; i < ODD; i++) y += taps[i] * (at(m - i) + at(m + 1 + i));
    out[n + 1] = 2 * y;
  }
  return out;
}
