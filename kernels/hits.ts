/**
 * Kernels of the finding of hits, in AssemblyScript with 128-bit lanes: band powers of a whole mic, spectra around given times, and fits of
 * events. They work on memory handed to them; src/core/kernels/hitKernels.ts is their only caller.
 */
import { fft4 } from './lib/fft';

export { alloc, reset } from './lib/memory';

/**
 * Eight bands at once: two biquads in series each, then the mean square per hop. `coefficients`: for each of the two biquads b0 b1 b2 a1 a2, eight floats
 * each. Hop i is from round(i x hop) to round((i + 1) x hop). `out`: eight floats a hop.
 */
export function bandPowers(x: usize, hops: i32, hop: f64, coefficients: usize, out: usize): void {
  let at = <i32>0;
  const zero = f32x4.splat(0);
  let p0 = zero, p1 = zero, q0 = zero, q1 = zero, r0 = zero, r1 = zero, s0 = zero, s1 = zero;
  const b0a = v128.load(coefficients), b0b = v128.load(coefficients, 16), b1a = v128.load(coefficients, 32), b1b = v128.load(coefficients, 48), b2a = v128.load(coefficients, 64), b2b = v128.load(coefficients, 80);
  const a1a = v128.load(coefficients, 96), a1b = v128.load(coefficients, 112), a2a = v128.load(coefficients, 128), a2b = v128.load(coefficients, 144);
  const d0a = v128.load(coefficients, 160), d0b = v128.load(coefficients, 176), d1a = v128.load(coefficients, 192), d1b = v128.load(coefficients, 208), d2a = v128.load(coefficients, 224), d2b = v128.load(coefficients, 240);
  const c1a = v128.load(coefficients, 256), c1b = v128.load(coefficients, 272), c2a = v128.load(coefficients, 288), c2b = v128.load(coefficients, 304);
  const tiny = f32x4.splat(1e-25);
  for (let i = 0; i < hops; i++) {
    const to = <i32>Math.round(<f64>(i + 1) * hop);
    const n = to - at;
    let ea = zero, eb = zero;
    for (; at < to; at++) {
      const v = v128.load_splat<f32>(x + (<usize>at << 2));
      let ya = f32x4.add(f32x4.mul(b0a, v), p0);
      p0 = f32x4.add(f32x4.sub(f32x4.mul(b1a, v), f32x4.mul(a1a, ya)), q0);
      q0 = f32x4.sub(f32x4.mul(b2a, v), f32x4.mul(a2a, ya));
      let yb = f32x4.add(f32x4.mul(b0b, v), p1);
      p1 = f32x4.add(f32x4.sub(f32x4.mul(b1b, v), f32x4.mul(a1b, yb)), q1);
      q1 = f32x4.sub(f32x4.mul(b2b, v), f32x4.mul(a2b, yb));
      const za = f32x4.add(f32x4.mul(d0a, ya), r0);
      r0 = f32x4.add(f32x4.sub(f32x4.mul(d1a, ya), f32x4.mul(c1a, za)), s0);
      s0 = f32x4.sub(f32x4.mul(d2a, ya), f32x4.mul(c2a, za));
      const zb = f32x4.add(f32x4.mul(d0b, yb), r1);
      r1 = f32x4.add(f32x4.sub(f32x4.mul(d1b, yb), f32x4.mul(c1b, zb)), s1);
      s1 = f32x4.sub(f32x4.mul(d2b, yb), f32x4.mul(c2b, zb));
      ea = f32x4.add(ea, f32x4.mul(za, za));
      eb = f32x4.add(eb, f32x4.mul(zb, zb));
    }
    // denormal numbers would be many times slower
    p0 = flush(p0, tiny);
    q0 = flush(q0, tiny);
    r0 = flush(r0, tiny);
    s0 = flush(s0, tiny);
    p1 = flush(p1, tiny);
    q1 = flush(q1, tiny);
    r1 = flush(r1, tiny);
    s1 = flush(s1, tiny);
    const scale = f32x4.splat(<f32>1 / <f32>n);
    v128.store(out + (<usize>i << 5), f32x4.mul(ea, scale));
    v128.store(out + (<usize>i << 5), f32x4.mul(eb, scale), 16);
  }
}

// @ts-ignore: decorator
@inline
function flush(v: v128, tiny: v128): v128 {
  return v128.and(v, f32x4.gt(f32x4.abs(v), tiny));
}

// @ts-ignore: decorator
@inline
function pair(a: usize, b: usize): v128 {
  return f64x2.replace_lane(f64x2.splat(<f64>load<f32>(a)), 1, <f64>load<f32>(b));
}

/**
 * 4 x length samples through two biquads in series, in double precision, as four stretches of `length` at once: each begins `warm` samples early, by when the filters have
 * forgotten that they began there. `coefficients`: b0 b1 b2 a1 a2 of either, doubles. Samples must be there from `warm` before `x` to 4 x length after it.
 */
export function bandPass(x: usize, length: i32, warm: i32, coefficients: usize, out: usize): void {
  const b0 = v128.load_splat<f64>(coefficients), b1 = v128.load_splat<f64>(coefficients, 8), b2 = v128.load_splat<f64>(coefficients, 16), a1 = v128.load_splat<f64>(coefficients, 24), a2 = v128.load_splat<f64>(coefficients, 32);
  const d0 = v128.load_splat<f64>(coefficients, 40), d1 = v128.load_splat<f64>(coefficients, 48), d2 = v128.load_splat<f64>(coefficients, 56), c1 = v128.load_splat<f64>(coefficients, 64), c2 = v128.load_splat<f64>(coefficients, 72);
  const guard = f64x2.splat(1e-25);
  const bytes = <usize>length << 2;
  let p0 = f64x2.splat(0), q0 = p0, r0 = p0, s0 = p0, p1 = p0, q1 = p0, r1 = p0, s1 = p0;
  let at = x - (<usize>warm << 2);
  let to = out - (<usize>warm << 2);
  for (let i = -warm; i < length; i++, at += 4, to += 4) {
    const u = f64x2.add(pair(at, at + bytes), guard), v = f64x2.add(pair(at + 2 * bytes, at + 3 * bytes), guard);
    const y0 = f64x2.add(f64x2.mul(b0, u), p0), y1 = f64x2.add(f64x2.mul(b0, v), p1);
    p0 = f64x2.add(f64x2.sub(f64x2.mul(b1, u), f64x2.mul(a1, y0)), q0);
    p1 = f64x2.add(f64x2.sub(f64x2.mul(b1, v), f64x2.mul(a1, y1)), q1);
    q0 = f64x2.sub(f64x2.mul(b2, u), f64x2.mul(a2, y0));
    q1 = f64x2.sub(f64x2.mul(b2, v), f64x2.mul(a2, y1));
    const z0 = f64x2.add(f64x2.mul(d0, y0), r0), z1 = f64x2.add(f64x2.mul(d0, y1), r1);
    r0 = f64x2.add(f64x2.sub(f64x2.mul(d1, y0), f64x2.mul(c1, z0)), s0);
    r1 = f64x2.add(f64x2.sub(f64x2.mul(d1, y1), f64x2.mul(c1, z1)), s1);
    s0 = f64x2.sub(f64x2.mul(d2, y0), f64x2.mul(c2, z0));
    s1 = f64x2.sub(f64x2.mul(d2, y1), f64x2.mul(c2, z1));
    if (i < 0) continue;
    store<f32>(to, <f32>f64x2.extract_lane(z0, 0));
    store<f32>(to + bytes, <f32>f64x2.extract_lane(z0, 1));
    store<f32>(to + 2 * bytes, <f32>f64x2.extract_lane(z1, 0));
    store<f32>(to + 3 * bytes, <f32>f64x2.extract_lane(z1, 1));
  }
}

/**
 * The mean square per `hop` samples of what `bandPass` gives, and of `x` itself: 4 x `hops` each, as four stretches of `hops` at once. Samples must be there
 * from `warm` before `x` to 4 x hops x hop after it.
 */
export function bandSteps(x: usize, hops: i32, hop: i32, warm: i32, coefficients: usize, band: usize, all: usize): void {
  const b0 = v128.load_splat<f64>(coefficients), b1 = v128.load_splat<f64>(coefficients, 8), b2 = v128.load_splat<f64>(coefficients, 16), a1 = v128.load_splat<f64>(coefficients, 24), a2 = v128.load_splat<f64>(coefficients, 32);
  const d0 = v128.load_splat<f64>(coefficients, 40), d1 = v128.load_splat<f64>(coefficients, 48), d2 = v128.load_splat<f64>(coefficients, 56), c1 = v128.load_splat<f64>(coefficients, 64), c2 = v128.load_splat<f64>(coefficients, 72);
  const guard = f64x2.splat(1e-25);
  const zero = f64x2.splat(0);
  const scale = f64x2.splat(1 / <f64>hop);
  const bytes = <usize>(hops * hop) << 2;
  const row = <usize>hops << 3;
  let p0 = zero, q0 = zero, r0 = zero, s0 = zero, p1 = zero, q1 = zero, r1 = zero, s1 = zero;
  let at = x - (<usize>warm << 2);
  let left = warm;
  for (let h = -1; h < hops; h++) {
    let e0 = zero, e1 = zero, f0 = zero, f1 = zero;
    for (let i = 0; i < left; i++, at += 4) {
      const u = f64x2.add(pair(at, at + bytes), guard), v = f64x2.add(pair(at + 2 * bytes, at + 3 * bytes), guard);
      const y0 = f64x2.add(f64x2.mul(b0, u), p0), y1 = f64x2.add(f64x2.mul(b0, v), p1);
      p0 = f64x2.add(f64x2.sub(f64x2.mul(b1, u), f64x2.mul(a1, y0)), q0);
      p1 = f64x2.add(f64x2.sub(f64x2.mul(b1, v), f64x2.mul(a1, y1)), q1);
      q0 = f64x2.sub(f64x2.mul(b2, u), f64x2.mul(a2, y0));
      q1 = f64x2.sub(f64x2.mul(b2, v), f64x2.mul(a2, y1));
      const z0 = f64x2.add(f64x2.mul(d0, y0), r0), z1 = f64x2.add(f64x2.mul(d0, y1), r1);
      r0 = f64x2.add(f64x2.sub(f64x2.mul(d1, y0), f64x2.mul(c1, z0)), s0);
      r1 = f64x2.add(f64x2.sub(f64x2.mul(d1, y1), f64x2.mul(c1, z1)), s1);
      s0 = f64x2.sub(f64x2.mul(d2, y0), f64x2.mul(c2, z0));
      s1 = f64x2.sub(f64x2.mul(d2, y1), f64x2.mul(c2, z1));
      e0 = f64x2.add(e0, f64x2.mul(z0, z0));
      e1 = f64x2.add(e1, f64x2.mul(z1, z1));
      f0 = f64x2.add(f0, f64x2.mul(u, u));
      f1 = f64x2.add(f1, f64x2.mul(v, v));
    }
    left = hop;
    if (h < 0) continue;
    place(band + (<usize>h << 3), row, f64x2.mul(e0, scale), f64x2.mul(e1, scale));
    place(all + (<usize>h << 3), row, f64x2.mul(f0, scale), f64x2.mul(f1, scale));
  }
}

// @ts-ignore: decorator
@inline
function place(to: usize, row: usize, a: v128, b: v128): void {
  store<f64>(to, f64x2.extract_lane(a, 0));
  store<f64>(to + row, f64x2.extract_lane(a, 1));
  store<f64>(to + 2 * row, f64x2.extract_lane(b, 0));
  store<f64>(to + 3 * row, f64x2.extract_lane(b, 1));
}

// @ts-ignore: decorator
@inline
function gather(a: usize, b: usize, c: usize, d: usize): v128 {
  let v = v128.load32_zero(a);
  v = v128.load_lane<f32>(b, v, 1);
  v = v128.load_lane<f32>(c, v, 2);
  return v128.load_lane<f32>(d, v, 3);
}

/**
 * Powers by band after and before each of `count` frames. `starts`: pointers to the first sample of each later window, `length` samples long; the earlier window
 * ends there. `window`: the later one's; the earlier is its mirror. `bins`: band edges, bands + 1. `work`: 2 x size x 32 bytes. `out`: for each
 * frame the bands after, then before. Samples must be there from length before the first start.
 */
export function spectra(starts: usize, count: i32, length: i32, size: i32, window: usize, twiddles: usize, bins: usize, bands: i32, work: usize, out: usize): void {
  const x = work;
  const y = work + (<usize>size << 5);
  const scale = f32x4.splat(<f32>0.25 / <f32>length);
  const bytes = <usize>length << 2;
  const zero = f32x4.splat(0);
  for (let i = 0; i < count; i += 4) {
    const s0 = <usize>load<u32>(starts + (<usize>i << 2));
    const s1 = <usize>load<u32>(starts + (<usize>min(i + 1, count - 1) << 2));
    const s2 = <usize>load<u32>(starts + (<usize>min(i + 2, count - 1) << 2));
    const s3 = <usize>load<u32>(starts + (<usize>min(i + 3, count - 1) << 2));
    for (let k: usize = 0; k < bytes; k += 4) {
      const w = v128.load_splat<f32>(window + k);
      const m = v128.load_splat<f32>(window + bytes - 4 - k);
      v128.store(x + (k << 3), f32x4.mul(w, gather(s0 + k, s1 + k, s2 + k, s3 + k)));
      v128.store(x + (k << 3), f32x4.mul(m, gather(s0 + k - bytes, s1 + k - bytes, s2 + k - bytes, s3 + k - bytes)), 16);
    }
    for (let k = <usize>length << 5; k < <usize>size << 5; k += 16) v128.store(x + k, zero);
    const z = fft4(x, y, size, twiddles);
    for (let b = 0; b < bands; b++) {
      let p = zero, q = zero;
      const to = load<i32>(bins + (<usize>(b + 1) << 2));
      for (let k = max(1, load<i32>(bins + (<usize>b << 2))); k < to; k++) {
        const u = z + (<usize>k << 5), v = z + (<usize>(size - k) << 5);
        const ur = v128.load(u), ui = v128.load(u, 16), vr = v128.load(v), vi = v128.load(v, 16);
        const ar = f32x4.add(ur, vr), ai = f32x4.sub(ui, vi), br = f32x4.add(ui, vi), bi = f32x4.sub(vr, ur);
        p = f32x4.add(p, f32x4.add(f32x4.mul(ar, ar), f32x4.mul(ai, ai)));
        q = f32x4.add(q, f32x4.add(f32x4.mul(br, br), f32x4.mul(bi, bi)));
      }
      p = f32x4.mul(p, scale);
      q = f32x4.mul(q, scale);
      const o = out + (<usize>(i * 2 * bands + b) << 2);
      const row = <usize>(2 * bands) << 2;
      const half = <usize>bands << 2;
      store<f32>(o, f32x4.extract_lane(p, 0));
      store<f32>(o + half, f32x4.extract_lane(q, 0));
      if (i + 1 < count) {
        store<f32>(o + row, f32x4.extract_lane(p, 1));
        store<f32>(o + row + half, f32x4.extract_lane(q, 1));
      }
      if (i + 2 < count) {
        store<f32>(o + 2 * row, f32x4.extract_lane(p, 2));
        store<f32>(o + 2 * row + half, f32x4.extract_lane(q, 2));
      }
      if (i + 3 < count) {
        store<f32>(o + 3 * row, f32x4.extract_lane(p, 3));
        store<f32>(o + 3 * row + half, f32x4.extract_lane(q, 3));
      }
    }
  }
}

// @ts-ignore: decorator
@inline
function total(v: v128): f32 {
  return f32x4.extract_lane(v, 0) + f32x4.extract_lane(v, 1) + f32x4.extract_lane(v, 2) + f32x4.extract_lane(v, 3);
}

/**
 * Fits `count` events: after = sum of gains x patterns + a x before, by multiplicative updates under the Itakura-Saito divergence. `cells` is a multiple of
 * sixteen; what pads it is zero in patterns, before and after. `use`: one byte a pattern. `gains` hold the start and become the result; so does `a`.
 * `model`: cells an event. `work`: 2 x cells floats.
 */
export function fit(patterns: usize, K: i32, cells: i32, after: usize, before: usize, count: i32, rounds: i32, use: usize, aMin: f32, aMax: f32, work: usize, gains: usize, a: usize, model: usize): void {
  const bytes = <usize>cells << 2;
  const weights = work;
  const inverses = work + bytes;
  const tiny = f32x4.splat(1e-16);
  const one = f32x4.splat(1);
  for (let i = 0; i < count; i++) {
    const X = after + bytes * i;
    const B = before + bytes * i;
    const g = gains + (<usize>(i * K) << 2);
    let scale = load<f32>(a + (<usize>i << 2));
    for (let round = 0; round <= rounds; round++) {
      const as = f32x4.splat(scale);
      let an = f32x4.splat(0), ad = f32x4.splat(0);
      const Y = model + bytes * i;
      for (let f: usize = 0; f < bytes; f += 64) {
        const b0 = v128.load(B + f), b1 = v128.load(B + f, 16), b2 = v128.load(B + f, 32), b3 = v128.load(B + f, 48);
        let y0 = f32x4.add(f32x4.mul(as, b0), tiny), y1 = f32x4.add(f32x4.mul(as, b1), tiny), y2 = f32x4.add(f32x4.mul(as, b2), tiny), y3 = f32x4.add(f32x4.mul(as, b3), tiny);
        let p = patterns + f;
        for (let k = 0; k < K; k++, p += bytes) {
          const q = v128.load_splat<f32>(g + (<usize>k << 2));
          y0 = f32x4.add(y0, f32x4.mul(q, v128.load(p)));
          y1 = f32x4.add(y1, f32x4.mul(q, v128.load(p, 16)));
          y2 = f32x4.add(y2, f32x4.mul(q, v128.load(p, 32)));
          y3 = f32x4.add(y3, f32x4.mul(q, v128.load(p, 48)));
        }
        if (round == rounds) {
          v128.store(Y + f, y0);
          v128.store(Y + f, y1, 16);
          v128.store(Y + f, y2, 32);
          v128.store(Y + f, y3, 48);
          continue;
        }
        y0 = f32x4.div(one, y0);
        y1 = f32x4.div(one, y1);
        y2 = f32x4.div(one, y2);
        y3 = f32x4.div(one, y3);
        const v0 = f32x4.mul(f32x4.mul(v128.load(X + f), y0), y0), v1 = f32x4.mul(f32x4.mul(v128.load(X + f, 16), y1), y1);
        const v2 = f32x4.mul(f32x4.mul(v128.load(X + f, 32), y2), y2), v3 = f32x4.mul(f32x4.mul(v128.load(X + f, 48), y3), y3);
        v128.store(weights + f, v0);
        v128.store(weights + f, v1, 16);
        v128.store(weights + f, v2, 32);
        v128.store(weights + f, v3, 48);
        v128.store(inverses + f, y0);
        v128.store(inverses + f, y1, 16);
        v128.store(inverses + f, y2, 32);
        v128.store(inverses + f, y3, 48);
        an = f32x4.add(an, f32x4.add(f32x4.add(f32x4.mul(v0, b0), f32x4.mul(v1, b1)), f32x4.add(f32x4.mul(v2, b2), f32x4.mul(v3, b3))));
        ad = f32x4.add(ad, f32x4.add(f32x4.add(f32x4.mul(y0, b0), f32x4.mul(y1, b1)), f32x4.add(f32x4.mul(y2, b2), f32x4.mul(y3, b3))));
      }
      if (round == rounds) break;
      let p = patterns;
      for (let k = 0; k < K; k++, p += bytes) {
        if (load<u8>(use + k) == 0) continue;
        let n0 = f32x4.splat(0), d0 = n0, n1 = n0, d1 = n0, n2 = n0, d2 = n0, n3 = n0, d3 = n0;
        for (let f: usize = 0; f < bytes; f += 64) {
          const w0 = v128.load(p + f), w1 = v128.load(p + f, 16), w2 = v128.load(p + f, 32), w3 = v128.load(p + f, 48);
          n0 = f32x4.add(n0, f32x4.mul(v128.load(weights + f), w0));
          n1 = f32x4.add(n1, f32x4.mul(v128.load(weights + f, 16), w1));
          n2 = f32x4.add(n2, f32x4.mul(v128.load(weights + f, 32), w2));
          n3 = f32x4.add(n3, f32x4.mul(v128.load(weights + f, 48), w3));
          d0 = f32x4.add(d0, f32x4.mul(v128.load(inverses + f), w0));
          d1 = f32x4.add(d1, f32x4.mul(v128.load(inverses + f, 16), w1));
          d2 = f32x4.add(d2, f32x4.mul(v128.load(inverses + f, 32), w2));
          d3 = f32x4.add(d3, f32x4.mul(v128.load(inverses + f, 48), w3));
        }
        const n = total(f32x4.add(f32x4.add(n0, n1), f32x4.add(n2, n3)));
        const d = total(f32x4.add(f32x4.add(d0, d1), f32x4.add(d2, d3)));
        store<f32>(g + (<usize>k << 2), load<f32>(g + (<usize>k << 2)) * sqrt<f32>(n / d));
      }
      const ratio = total(an) / total(ad);
      if (ratio == ratio) scale = min(aMax, max(aMin, scale * sqrt<f32>(ratio)));
    }
    store<f32>(a + (<usize>i << 2), scale);
  }
}
