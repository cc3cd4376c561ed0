/**
 * Kernels of what rings along, in AssemblyScript with two doubles in the lanes: sums over frames from which filters of delayed lines follow. A line is (re, im), each of `pad` zeros, `T` values (T even)
 * and `pad` zeros again, one line after the other; its pointer is the first value. src/core/kernels/alongKernels.ts is their only caller.
 */
export { alloc, reset } from './lib/memory';

// @ts-ignore: decorator
@inline
function total(a: v128): f64 {
  return f64x2.extract_lane(a, 0) + f64x2.extract_lane(a, 1);
}

// @ts-ignore: decorator
@inline
function madd(sum: v128, a: v128, b: v128): v128 {
  return f64x2.add(sum, f64x2.mul(a, b));
}

/**
 * A[(q, l), (p, m)] = sum_t w(t) conj(r_q(t - l)) r_p(t - m), the lower triangle of n x n, n = lines x (reach + 1). It is the product of two lines, once for every distance m - l, weighted by `w`
 * from l on. `w`: T values and `pad` zeros; `c`: work for 2 T values; `ar`, `ai`: n x n.
 */
export function gram(T: i32, lines: i32, reach: i32, pad: i32, r: usize, w: usize, c: usize, ar: usize, ai: usize): void {
  const half = <usize>(T + 2 * pad) << 3;
  const size = <usize>T << 3;
  const width = reach + 1;
  const n = lines * width;
  for (let q = 0; q < lines; q++) {
    const a = r + <usize>q * 2 * half;
    for (let p = 0; p <= q; p++) {
      const b = r + <usize>p * 2 * half;
      for (let d = -reach; d <= (p === q ? 0 : reach); d++) {
        const o = b - (<isize>d << 3);
        for (let k: usize = 0; k < size; k += 16) {
          const xr = v128.load(a + k), xi = v128.load(a + half + k), yr = v128.load(o + k), yi = v128.load(o + half + k);
          v128.store(c + k, madd(f64x2.mul(xr, yr), xi, yi));
          v128.store(c + size + k, f64x2.sub(f64x2.mul(xr, yi), f64x2.mul(xi, yr)));
        }
        const last = d > 0 ? reach - d : reach;
        for (let l = d < 0 ? -d : 0; l <= last; l += 4) {
          // beyond the last of them zeros are added up, or what nobody reads
          let u = w + (<usize>l << 3);
          let s0 = f64x2.splat(0), s1 = s0, s2 = s0, s3 = s0, t0 = s0, t1 = s0, t2 = s0, t3 = s0;
          for (let k = c, end = c + size; k < end; k += 16, u += 16) {
            const re = v128.load(k), im = v128.load(k + size);
            let g = v128.load(u);
            s0 = madd(s0, g, re);
            t0 = madd(t0, g, im);
            g = v128.load(u, 8);
            s1 = madd(s1, g, re);
            t1 = madd(t1, g, im);
            g = v128.load(u, 16);
            s2 = madd(s2, g, re);
            t2 = madd(t2, g, im);
            g = v128.load(u, 24);
            s3 = madd(s3, g, re);
            t3 = madd(t3, g, im);
          }
          const at = <usize>((q * width + l) * n + p * width + l + d) << 3;
          const next = <usize>(n + 1) << 3;
          put(ar, ai, at, s0, t0);
          if (l + 1 <= last) put(ar, ai, at + next, s1, t1);
          if (l + 2 <= last) put(ar, ai, at + 2 * next, s2, t2);
          if (l + 3 <= last) put(ar, ai, at + 3 * next, s3, t3);
        }
      }
    }
  }
}

// @ts-ignore: decorator
@inline
function put(ar: usize, ai: usize, at: usize, re: v128, im: v128): void {
  store<f64>(ar + at, total(re));
  store<f64>(ai + at, total(im));
}

/** b[(q, l)] = sum_t conj(r_q(t - l)) y(t), y being a line. */
export function correlate(T: i32, lines: i32, reach: i32, pad: i32, r: usize, y: usize, br: usize, bi: usize): void {
  const half = <usize>(T + 2 * pad) << 3;
  const size = <usize>T << 3;
  for (let q = 0; q < lines; q++) {
    const a = r + <usize>q * 2 * half;
    for (let l = 0; l <= reach; l++, br += 8, bi += 8) {
      const x = a - (<usize>l << 3);
      let s = f64x2.splat(0), t = s;
      for (let k: usize = 0; k < size; k += 16) {
        const xr = v128.load(x + k), xi = v128.load(x + half + k), yr = v128.load(y + k), yi = v128.load(y + half + k);
        s = f64x2.add(s, madd(f64x2.mul(xr, yr), xi, yi));
        t = f64x2.add(t, f64x2.sub(f64x2.mul(xr, yi), f64x2.mul(xi, yr)));
      }
      store<f64>(br, total(s));
      store<f64>(bi, total(t));
    }
  }
}

/** y(t) - sum of b[(q, l)] r_q(t - l), written over the line y. */
export function subtract(T: i32, lines: i32, reach: i32, pad: i32, r: usize, br: usize, bi: usize, y: usize): void {
  const half = <usize>(T + 2 * pad) << 3;
  const size = <usize>T << 3;
  for (let q = 0; q < lines; q++) {
    const a = r + <usize>q * 2 * half;
    for (let l = 0; l <= reach; l++, br += 8, bi += 8) {
      const x = a - (<usize>l << 3);
      const p = f64x2.splat(load<f64>(br)), o = f64x2.splat(load<f64>(bi));
      for (let k: usize = 0; k < size; k += 16) {
        const xr = v128.load(x + k), xi = v128.load(x + half + k);
        v128.store(y + k, f64x2.sub(v128.load(y + k), f64x2.sub(f64x2.mul(p, xr), f64x2.mul(o, xi))));
        v128.store(y + half + k, f64x2.sub(v128.load(y + half + k), madd(f64x2.mul(p, xi), o, xr)));
      }
    }
  }
}
