/**
 * Kernels of de-bleed, in AssemblyScript: a full-rank spatial model (Duong, Vincent, Gribonval 2010) of one frequency bin. The covariance over M mics in
 * frame t is sum_s v(s,t) R(s) + diag(noise). Four frames lie in the lanes. src/core/spill/bins.ts is their only caller.
 *
 * Hermitian matrices are packed: the lower triangle row by row, P = M (M + 1) / 2 elements. R is P x (re, im) x SP floats, SP sources rounded up to four, of
 * which the ones too many are zero. x is M x (re, im) x T floats, v is SP x T, T a multiple of four.
 */
export { alloc, reset } from './lib/memory';

/** Bytes of an element of a matrix in lanes: re and im of four frames. */
const E: usize = 32;

// @ts-ignore: decorator
@inline
function row(i: i32): usize {
  return <usize>((i * (i + 1)) >> 1);
}

/** Whether the last of more than four sources is the only one of its four: doing three that are zero with it would cost more than twice as much. */
// @ts-ignore: decorator
@inline
function alone(S: i32): bool {
  return S > 4 && (S & 3) === 1;
}

/** sum_s v_s R_s + diag(noise) for four frames. One source beyond the fours goes alone. */
// @ts-ignore: decorator
@inline
function mix(M: i32, S: i32, SP: i32, v: usize, stride: usize, R: usize, noise: usize, out: usize): void {
  const P = row(M);
  const line = <usize>SP << 3;
  const half = <usize>SP << 2;
  const fours = alone(S) ? SP - 4 : SP;
  for (let s = 0; s < fours; s += 4) {
    const at = v + <usize>s * stride;
    const v0 = v128.load(at), v1 = v128.load(at + stride), v2 = v128.load(at + 2 * stride), v3 = v128.load(at + 3 * stride);
    let r = R + (<usize>s << 2);
    for (let o = out, end = out + P * E; o < end; o += E, r += line) {
      let re = f32x4.add(f32x4.add(f32x4.mul(v0, v128.load_splat<f32>(r)), f32x4.mul(v1, v128.load_splat<f32>(r, 4))), f32x4.add(f32x4.mul(v2, v128.load_splat<f32>(r, 8)), f32x4.mul(v3, v128.load_splat<f32>(r, 12))));
      const q = r + half;
      let im = f32x4.add(f32x4.add(f32x4.mul(v0, v128.load_splat<f32>(q)), f32x4.mul(v1, v128.load_splat<f32>(q, 4))), f32x4.add(f32x4.mul(v2, v128.load_splat<f32>(q, 8)), f32x4.mul(v3, v128.load_splat<f32>(q, 12))));
      if (s > 0) {
        re = f32x4.add(re, v128.load(o));
        im = f32x4.add(im, v128.load(o, 16));
      }
      v128.store(o, re);
      v128.store(o, im, 16);
    }
  }
  if (fours < SP) {
    const w = v128.load(v + <usize>fours * stride);
    let r = R + (<usize>fours << 2);
    for (let o = out, end = out + P * E; o < end; o += E, r += line) {
      v128.store(o, f32x4.add(v128.load(o), f32x4.mul(w, v128.load_splat<f32>(r))));
      v128.store(o, f32x4.add(v128.load(o, 16), f32x4.mul(w, v128.load_splat<f32>(r + half))), 16);
    }
  }
  for (let i = 0; i < M; i++) {
    const o = out + (row(i) + <usize>i) * E;
    v128.store(o, f32x4.add(v128.load(o), v128.load_splat<f32>(noise + (<usize>i << 2))));
  }
}

/** Cholesky's factor in place; the diagonal then holds 1 / l. */
// @ts-ignore: decorator
@inline
function factor(M: i32, L: usize): void {
  const least = f32x4.splat(1e-7);
  const tiny = f32x4.splat(1e-30);
  const one = f32x4.splat(1);
  for (let j = 0; j < M; j++) {
    const rj = L + row(j) * E;
    const dj = rj + <usize>j * E;
    const was = v128.load(dj);
    let d = was;
    for (let k = rj; k < dj; k += E) {
      const a = v128.load(k), b = v128.load(k, 16);
      d = f32x4.sub(d, f32x4.add(f32x4.mul(a, a), f32x4.mul(b, b)));
    }
    d = f32x4.max(d, f32x4.add(f32x4.mul(was, least), tiny));
    const r = f32x4.div(one, f32x4.sqrt(d));
    v128.store(dj, r);
    // two rows at a time: what they share is read once
    let i = j + 1;
    for (; i + 1 < M; i += 2) {
      let p = L + row(i) * E, o = L + row(i + 1) * E;
      const at = p + <usize>j * E, under = o + <usize>j * E;
      let a = v128.load(at), b = v128.load(at, 16), c = v128.load(under), d = v128.load(under, 16);
      for (let k = rj; k < dj; k += E, p += E, o += E) {
        const pr = v128.load(p), pi = v128.load(p, 16), or = v128.load(o), oi = v128.load(o, 16), qr = v128.load(k), qi = v128.load(k, 16);
        a = f32x4.sub(a, f32x4.add(f32x4.mul(pr, qr), f32x4.mul(pi, qi)));
        b = f32x4.sub(b, f32x4.sub(f32x4.mul(pi, qr), f32x4.mul(pr, qi)));
        c = f32x4.sub(c, f32x4.add(f32x4.mul(or, qr), f32x4.mul(oi, qi)));
        d = f32x4.sub(d, f32x4.sub(f32x4.mul(oi, qr), f32x4.mul(or, qi)));
      }
      v128.store(at, f32x4.mul(a, r));
      v128.store(at, f32x4.mul(b, r), 16);
      v128.store(under, f32x4.mul(c, r));
      v128.store(under, f32x4.mul(d, r), 16);
    }
    if (i < M) {
      let p = L + row(i) * E;
      const at = p + <usize>j * E;
      let a = v128.load(at), b = v128.load(at, 16);
      for (let k = rj; k < dj; k += E, p += E) {
        const pr = v128.load(p), pi = v128.load(p, 16), qr = v128.load(k), qi = v128.load(k, 16);
        a = f32x4.sub(a, f32x4.add(f32x4.mul(pr, qr), f32x4.mul(pi, qi)));
        b = f32x4.sub(b, f32x4.sub(f32x4.mul(pi, qr), f32x4.mul(pr, qi)));
      }
      v128.store(at, f32x4.mul(a, r));
      v128.store(at, f32x4.mul(b, r), 16);
    }
  }
}

/** Inverse of the factor: lower triangular. */
// @ts-ignore: decorator
@inline
function invert(M: i32, L: usize, I: usize): void {
  const zero = f32x4.splat(0);
  for (let i = 0; i < M; i++) {
    const ri = L + row(i) * E;
    const d = f32x4.neg(v128.load(ri + <usize>i * E));
    // two columns at a time: the second begins a row further down
    let j = 0;
    for (; j + 1 < i; j += 2) {
      const first = ri + <usize>j * E;
      const fr = v128.load(first), fi = v128.load(first, 16), hr = v128.load(I + (row(j) + <usize>j) * E);
      let a = f32x4.mul(fr, hr), b = f32x4.mul(fi, hr), c = zero, e = zero;
      let q = I + (row(j + 1) + <usize>j) * E;
      let next = <usize>(j + 2) * E;
      for (let p = first + E, end = ri + <usize>i * E; p < end; p += E, q += next, next += E) {
        const pr = v128.load(p), pi = v128.load(p, 16), qr = v128.load(q), qi = v128.load(q, 16), or = v128.load(q, 32), oi = v128.load(q, 48);
        a = f32x4.add(a, f32x4.sub(f32x4.mul(pr, qr), f32x4.mul(pi, qi)));
        b = f32x4.add(b, f32x4.add(f32x4.mul(pr, qi), f32x4.mul(pi, qr)));
        c = f32x4.add(c, f32x4.sub(f32x4.mul(pr, or), f32x4.mul(pi, oi)));
        e = f32x4.add(e, f32x4.add(f32x4.mul(pr, oi), f32x4.mul(pi, or)));
      }
      const o = I + (row(i) + <usize>j) * E;
      v128.store(o, f32x4.mul(a, d));
      v128.store(o, f32x4.mul(b, d), 16);
      v128.store(o, f32x4.mul(c, d), 32);
      v128.store(o, f32x4.mul(e, d), 48);
    }
    if (j < i) {
      const p = ri + <usize>j * E;
      const h = f32x4.mul(d, v128.load(I + (row(j) + <usize>j) * E));
      const o = I + (row(i) + <usize>j) * E;
      v128.store(o, f32x4.mul(v128.load(p), h));
      v128.store(o, f32x4.mul(v128.load(p, 16), h), 16);
    }
    const o = I + (row(i) + <usize>i) * E;
    v128.store(o, v128.load(ri + <usize>i * E));
    v128.store(o, zero, 16);
  }
}

/** y = I^H I x: what the inverse covariance makes of the mics. `x` points at the four frames; `z` is work for M elements. */
// @ts-ignore: decorator
@inline
function whiten(M: i32, I: usize, x: usize, stride: usize, z: usize, y: usize): void {
  const zero = f32x4.splat(0);
  for (let i = 0; i < M; i++) {
    let a = zero, b = zero;
    let p = I + row(i) * E;
    let q = x;
    for (let k = 0; k <= i; k++, p += E, q += 2 * stride) {
      const pr = v128.load(p), pi = v128.load(p, 16), xr = v128.load(q), xi = v128.load(q + stride);
      a = f32x4.add(a, f32x4.sub(f32x4.mul(pr, xr), f32x4.mul(pi, xi)));
      b = f32x4.add(b, f32x4.add(f32x4.mul(pr, xi), f32x4.mul(pi, xr)));
    }
    v128.store(z + <usize>i * E, a);
    v128.store(z + <usize>i * E, b, 16);
  }
  for (let i = 0; i < M; i++) {
    let a = zero, b = zero;
    for (let k = i; k < M; k++) {
      const p = I + (row(k) + <usize>i) * E, q = z + <usize>k * E;
      const pr = v128.load(p), pi = v128.load(p, 16), zr = v128.load(q), zi = v128.load(q, 16);
      a = f32x4.add(a, f32x4.add(f32x4.mul(pr, zr), f32x4.mul(pi, zi)));
      b = f32x4.add(b, f32x4.sub(f32x4.mul(pr, zi), f32x4.mul(pi, zr)));
    }
    v128.store(y + <usize>i * E, a);
    v128.store(y + <usize>i * E, b, 16);
  }
}

/** The same by the factor itself, whose diagonal holds 1 / l, where nothing else is asked of the inverse. */
// @ts-ignore: decorator
@inline
function solve(M: i32, L: usize, x: usize, stride: usize, y: usize): void {
  for (let i = 0; i < M; i++) {
    let a = v128.load(x + <usize>(2 * i) * stride), b = v128.load(x + <usize>(2 * i + 1) * stride);
    let p = L + row(i) * E;
    let q = y;
    for (let k = 0; k < i; k++, p += E, q += E) {
      const pr = v128.load(p), pi = v128.load(p, 16), qr = v128.load(q), qi = v128.load(q, 16);
      a = f32x4.sub(a, f32x4.sub(f32x4.mul(pr, qr), f32x4.mul(pi, qi)));
      b = f32x4.sub(b, f32x4.add(f32x4.mul(pr, qi), f32x4.mul(pi, qr)));
    }
    const d = v128.load(p);
    v128.store(q, f32x4.mul(a, d));
    v128.store(q, f32x4.mul(b, d), 16);
  }
  for (let i = M - 1; i >= 0; i--) {
    const o = y + <usize>i * E;
    let a = v128.load(o), b = v128.load(o, 16);
    for (let k = i + 1; k < M; k++) {
      const p = L + (row(k) + <usize>i) * E, q = y + <usize>k * E;
      const pr = v128.load(p), pi = v128.load(p, 16), qr = v128.load(q), qi = v128.load(q, 16);
      a = f32x4.sub(a, f32x4.add(f32x4.mul(pr, qr), f32x4.mul(pi, qi)));
      b = f32x4.sub(b, f32x4.sub(f32x4.mul(pr, qi), f32x4.mul(pi, qr)));
    }
    const d = v128.load(L + (row(i) + <usize>i) * E);
    v128.store(o, f32x4.mul(a, d));
    v128.store(o, f32x4.mul(b, d), 16);
  }
}

/** G = I^H I, the inverse covariance, and Y = y y^H; off the diagonal both times `twice`. */
// @ts-ignore: decorator
@inline
function outer(M: i32, I: usize, y: usize, twice: f32, G: usize, Y: usize): void {
  const zero = f32x4.splat(0);
  const off = f32x4.splat(twice);
  const one = f32x4.splat(1);
  for (let i = 0; i < M; i++) {
    const yr = v128.load(y + <usize>i * E), yi = v128.load(y + <usize>i * E, 16);
    const ri = (row(i) + <usize>i) * E;
    // two columns at a time, the last alone where they are odd in number
    for (let j = 0; j <= i; j += 2) {
      const both = j < i;
      let a = zero, b = zero, e = zero, f = zero;
      let p = I + ri, q = I + (row(i) + <usize>j) * E;
      let next = <usize>(i + 1) * E;
      if (both) {
        for (let k = i; k < M; k++, p += next, q += next, next += E) {
          const pr = v128.load(p), pi = v128.load(p, 16), qr = v128.load(q), qi = v128.load(q, 16), or = v128.load(q, 32), oi = v128.load(q, 48);
          a = f32x4.add(a, f32x4.add(f32x4.mul(pr, qr), f32x4.mul(pi, qi)));
          b = f32x4.add(b, f32x4.sub(f32x4.mul(pr, qi), f32x4.mul(pi, qr)));
          e = f32x4.add(e, f32x4.add(f32x4.mul(pr, or), f32x4.mul(pi, oi)));
          f = f32x4.add(f, f32x4.sub(f32x4.mul(pr, oi), f32x4.mul(pi, or)));
        }
      } else {
        // on the diagonal
        for (let k = i; k < M; k++, p += next, next += E) {
          const pr = v128.load(p), pi = v128.load(p, 16);
          a = f32x4.add(a, f32x4.add(f32x4.mul(pr, pr), f32x4.mul(pi, pi)));
        }
      }
      pair(i, j, yr, yi, y, j < i ? off : one, a, b, G, Y);
      if (both) pair(i, j + 1, yr, yi, y, j + 1 < i ? off : one, e, f, G, Y);
    }
  }
}

/** Elements (i, j) of G and Y, times `by`. */
// @ts-ignore: decorator
@inline
function pair(i: i32, j: i32, yr: v128, yi: v128, y: usize, by: v128, a: v128, b: v128, G: usize, Y: usize): void {
  const jr = v128.load(y + <usize>j * E), ji = v128.load(y + <usize>j * E, 16);
  const o = (row(i) + <usize>j) * E;
  v128.store(G + o, f32x4.mul(a, by));
  v128.store(G + o, f32x4.mul(b, by), 16);
  v128.store(Y + o, f32x4.mul(by, f32x4.add(f32x4.mul(yr, jr), f32x4.mul(yi, ji))));
  v128.store(Y + o, f32x4.mul(by, f32x4.sub(f32x4.mul(yi, jr), f32x4.mul(yr, ji))), 16);
}

// @ts-ignore: decorator
@inline
function stepped(v: v128, num: v128, den: v128, root: bool): v128 {
  let g = f32x4.div(f32x4.max(num, f32x4.splat(0)), den);
  if (root) g = f32x4.sqrt(g);
  return f32x4.max(f32x4.mul(v, g), f32x4.splat(1e-12));
}

/** v <- v (y^H R y / (tr(G R) + 1 / prior)), or by the `root` of that, for the sources of one bin in four frames. `prior`: one mean of v a source and frame, or 0. */
// @ts-ignore: decorator
@inline
function step(M: i32, S: i32, SP: i32, R: usize, G: usize, Y: usize, v: usize, stride: usize, prior: usize, root: bool): void {
  const P = row(M);
  const line = <usize>SP << 3;
  const half = <usize>SP << 2;
  const fours = alone(S) ? SP - 4 : SP;
  for (let s = 0; s < fours; s += 4) {
    let n0 = f32x4.splat(0), n1 = n0, n2 = n0, n3 = n0;
    let d0 = f32x4.splat(1e-20), d1 = d0, d2 = d0, d3 = d0;
    let r = R + (<usize>s << 2);
    for (let o: usize = 0; o < P * E; o += E, r += line) {
      const gr = v128.load(G + o), gi = v128.load(G + o, 16), yr = v128.load(Y + o), yi = v128.load(Y + o, 16);
      const q = r + half;
      let a = v128.load_splat<f32>(r), b = v128.load_splat<f32>(q);
      n0 = f32x4.add(n0, f32x4.add(f32x4.mul(a, yr), f32x4.mul(b, yi)));
      d0 = f32x4.add(d0, f32x4.add(f32x4.mul(a, gr), f32x4.mul(b, gi)));
      a = v128.load_splat<f32>(r, 4);
      b = v128.load_splat<f32>(q, 4);
      n1 = f32x4.add(n1, f32x4.add(f32x4.mul(a, yr), f32x4.mul(b, yi)));
      d1 = f32x4.add(d1, f32x4.add(f32x4.mul(a, gr), f32x4.mul(b, gi)));
      a = v128.load_splat<f32>(r, 8);
      b = v128.load_splat<f32>(q, 8);
      n2 = f32x4.add(n2, f32x4.add(f32x4.mul(a, yr), f32x4.mul(b, yi)));
      d2 = f32x4.add(d2, f32x4.add(f32x4.mul(a, gr), f32x4.mul(b, gi)));
      a = v128.load_splat<f32>(r, 12);
      b = v128.load_splat<f32>(q, 12);
      n3 = f32x4.add(n3, f32x4.add(f32x4.mul(a, yr), f32x4.mul(b, yi)));
      d3 = f32x4.add(d3, f32x4.add(f32x4.mul(a, gr), f32x4.mul(b, gi)));
    }
    const at = v + <usize>s * stride;
    const p = prior + <usize>s * stride;
    const one = f32x4.splat(1);
    v128.store(at, stepped(v128.load(at), n0, f32x4.add(d0, f32x4.div(one, v128.load(p))), root));
    if (s + 1 < S) v128.store(at + stride, stepped(v128.load(at + stride), n1, f32x4.add(d1, f32x4.div(one, v128.load(p + stride))), root));
    if (s + 2 < S) v128.store(at + 2 * stride, stepped(v128.load(at + 2 * stride), n2, f32x4.add(d2, f32x4.div(one, v128.load(p + 2 * stride))), root));
    if (s + 3 < S) v128.store(at + 3 * stride, stepped(v128.load(at + 3 * stride), n3, f32x4.add(d3, f32x4.div(one, v128.load(p + 3 * stride))), root));
  }
  if (fours < SP) {
    let n = f32x4.splat(0), d = f32x4.splat(1e-20);
    let r = R + (<usize>fours << 2);
    for (let o: usize = 0; o < P * E; o += E, r += line) {
      const a = v128.load_splat<f32>(r), b = v128.load_splat<f32>(r + half);
      n = f32x4.add(n, f32x4.add(f32x4.mul(a, v128.load(Y + o)), f32x4.mul(b, v128.load(Y + o, 16))));
      d = f32x4.add(d, f32x4.add(f32x4.mul(a, v128.load(G + o)), f32x4.mul(b, v128.load(G + o, 16))));
    }
    const at = v + <usize>fours * stride;
    v128.store(at, stepped(v128.load(at), n, f32x4.add(d, f32x4.div(f32x4.splat(1), v128.load(prior + <usize>fours * stride))), root));
  }
}

/**
 * One bin: `iterations` updates of v with R fixed. With `sums` (2 x P x (re, im) x SP x 4 lanes of floats, zeroed) v is updated by roots, which never makes x less likely, and
 * A = sum_t v G and B = sum_t v0^2 / v y y^H, with G and y by v0, which is v before the last update, and off the diagonal both times two, are added up there. Without, v goes the
 * whole way, which takes half the updates and is not sure to rise. With `targets` > 0 (`list`: pairs of mic and source) the images v_s (R_s y)[mic] are written to `out`,
 * targets x (re, im) x T. Of frames in fours the `first` and each `every`-th after it are taken; the others stay as they are.
 * `work`: (3 P + 2 M) x 32 + SP x 16 bytes.
 */
export function bin(M: i32, S: i32, SP: i32, T: i32, x: usize, v: usize, R: usize, noise: usize, prior: usize, iterations: i32, sums: usize, targets: i32, list: usize, out: usize, work: usize, first: i32, every: i32): void {
  const P = row(M);
  const stride = <usize>T << 2;
  const L = work, I = L + P * E, G = L, Y = I + P * E, z = Y + P * E, y = z + <usize>M * E, was = y + <usize>M * E;
  // sums take what the last update of v rests on: they and it lower the same bound
  const last = sums && iterations > 0 ? iterations - 1 : iterations;
  for (let t = 4 * first; t < T; t += 4 * every) {
    const f = <usize>t << 2;
    for (let n = 0; n <= last; n++) {
      mix(M, S, SP, v + f, stride, R, noise, L);
      factor(M, L);
      if (n === iterations && !sums) solve(M, L, x + f, stride, y);
      else {
        invert(M, L, I);
        whiten(M, I, x + f, stride, z, y);
        outer(M, I, y, 2, G, Y);
        if (n === last) for (let s = 0; s < S; s++) v128.store(was + (<usize>s << 4), v128.load(v + f + <usize>s * stride));
        if (n < iterations) step(M, S, SP, R, G, Y, v + f, stride, prior + f, sums !== 0);
      }
    }
    if (sums) {
      // was: v^2 of before over that of now
      for (let s = 0; s < S; s++) {
        const w = was + (<usize>s << 4);
        const old = v128.load(w);
        v128.store(w, f32x4.mul(old, f32x4.div(old, v128.load(v + f + <usize>s * stride))));
      }
      let a = sums;
      const B = P * 2 * <usize>SP * 16;
      for (let o: usize = 0; o < P * E; o += E) {
        const gr = v128.load(G + o), gi = v128.load(G + o, 16), yr = v128.load(Y + o), yi = v128.load(Y + o, 16);
        let at = v + f;
        for (let s = 0; s < S; s++, at += stride, a += 16) {
          const w = v128.load(at), u = v128.load(was + (<usize>s << 4));
          const im = a + (<usize>SP << 4);
          v128.store(a, f32x4.add(v128.load(a), f32x4.mul(w, gr)));
          v128.store(im, f32x4.add(v128.load(im), f32x4.mul(w, gi)));
          v128.store(a + B, f32x4.add(v128.load(a + B), f32x4.mul(u, yr)));
          v128.store(im + B, f32x4.add(v128.load(im + B), f32x4.mul(u, yi)));
        }
        a += <usize>(2 * SP - S) << 4;
      }
    }
    for (let q = 0; q < targets; q++) {
      const m = load<i32>(list + (<usize>q << 3)), s = load<i32>(list + (<usize>q << 3), 4);
      let a = f32x4.splat(0), b = f32x4.splat(0);
      for (let k = 0; k < M; k++) {
        const upper = k > m;
        const r = R + ((upper ? row(k) + <usize>m : row(m) + <usize>k) * 2 * <usize>SP + <usize>s) * 4;
        const re = v128.load_splat<f32>(r);
        let im = v128.load_splat<f32>(r + (<usize>SP << 2));
        if (upper) im = f32x4.neg(im);
        const yr = v128.load(y + <usize>k * E), yi = v128.load(y + <usize>k * E, 16);
        a = f32x4.add(a, f32x4.sub(f32x4.mul(re, yr), f32x4.mul(im, yi)));
        b = f32x4.add(b, f32x4.add(f32x4.mul(re, yi), f32x4.mul(im, yr)));
      }
      const w = v128.load(v + f + <usize>s * stride);
      const o = out + <usize>(2 * q) * stride + f;
      v128.store(o, f32x4.mul(a, w));
      v128.store(o + stride, f32x4.mul(b, w));
    }
  }
}

/** R_s = sum_t w(s, t) x x^H: weighted covariances of the mics, for a start. `w`: SP x T. */
export function covariances(M: i32, S: i32, SP: i32, T: i32, x: usize, w: usize, R: usize): void {
  const stride = <usize>T << 2;
  for (let i = 0; i < M; i++) {
    for (let j = 0; j <= i; j++) {
      const o = R + (row(i) + <usize>j) * 2 * <usize>SP * 4;
      for (let s = 0; s < S; s++) {
        let a = f32x4.splat(0), b = f32x4.splat(0);
        let p = x + <usize>(2 * i) * stride, q = x + <usize>(2 * j) * stride, u = w + <usize>s * stride;
        for (let t = 0; t < T; t += 4, p += 16, q += 16, u += 16) {
          const pr = v128.load(p), pi = v128.load(p + stride), qr = v128.load(q), qi = v128.load(q + stride), g = v128.load(u);
          a = f32x4.add(a, f32x4.mul(g, f32x4.add(f32x4.mul(pr, qr), f32x4.mul(pi, qi))));
          b = f32x4.add(b, f32x4.mul(g, f32x4.sub(f32x4.mul(pi, qr), f32x4.mul(pr, qi))));
        }
        store<f32>(o + (<usize>s << 2), total(a));
        store<f32>(o + (<usize>(SP + s) << 2), total(b));
      }
    }
  }
}

// @ts-ignore: decorator
@inline
function total(a: v128): f32 {
  return f32x4.extract_lane(a, 0) + f32x4.extract_lane(a, 1) + f32x4.extract_lane(a, 2) + f32x4.extract_lane(a, 3);
}

// ---- the Riccati equation R A R = C B C, two sources in the lanes, doubles ----------------------------------------------------------

/** Full square matrices, (re, im) x 2 lanes of doubles an element. */
// @ts-ignore: decorator
@inline
function at(base: usize, M: i32, i: i32, j: i32): usize {
  return base + <usize>(i * M + j) * E;
}

/** out = a b, where `ha` / `hb` take the conjugate transpose of a side. */
function product(M: i32, a: usize, ha: bool, b: usize, hb: bool, out: usize): void {
  for (let i = 0; i < M; i++) {
    for (let j = 0; j < M; j++) {
      let re = f64x2.splat(0), im = re;
      for (let k = 0; k < M; k++) {
        const p = ha ? at(a, M, k, i) : at(a, M, i, k), q = hb ? at(b, M, j, k) : at(b, M, k, j);
        const pr = v128.load(p), qr = v128.load(q);
        let pi = v128.load(p, 16), qi = v128.load(q, 16);
        if (ha) pi = f64x2.neg(pi);
        if (hb) qi = f64x2.neg(qi);
        re = f64x2.add(re, f64x2.sub(f64x2.mul(pr, qr), f64x2.mul(pi, qi)));
        im = f64x2.add(im, f64x2.add(f64x2.mul(pr, qi), f64x2.mul(pi, qr)));
      }
      const o = at(out, M, i, j);
      v128.store(o, re);
      v128.store(o, im, 16);
    }
  }
}

/** Lower factor of a Hermitian matrix in place; zero above the diagonal. */
function factorWide(M: i32, L: usize): void {
  const zero = f64x2.splat(0);
  for (let j = 0; j < M; j++) {
    let d = v128.load(at(L, M, j, j));
    const least = f64x2.mul(d, f64x2.splat(1e-13));
    for (let k = 0; k < j; k++) {
      const a = v128.load(at(L, M, j, k)), b = v128.load(at(L, M, j, k), 16);
      d = f64x2.sub(d, f64x2.add(f64x2.mul(a, a), f64x2.mul(b, b)));
    }
    d = f64x2.sqrt(f64x2.max(d, f64x2.add(least, f64x2.splat(1e-290))));
    v128.store(at(L, M, j, j), d);
    v128.store(at(L, M, j, j), zero, 16);
    for (let i = j + 1; i < M; i++) {
      let a = v128.load(at(L, M, i, j)), b = v128.load(at(L, M, i, j), 16);
      for (let k = 0; k < j; k++) {
        const pr = v128.load(at(L, M, i, k)), pi = v128.load(at(L, M, i, k), 16), qr = v128.load(at(L, M, j, k)), qi = v128.load(at(L, M, j, k), 16);
        a = f64x2.sub(a, f64x2.add(f64x2.mul(pr, qr), f64x2.mul(pi, qi)));
        b = f64x2.sub(b, f64x2.sub(f64x2.mul(pi, qr), f64x2.mul(pr, qi)));
      }
      v128.store(at(L, M, i, j), f64x2.div(a, d));
      v128.store(at(L, M, i, j), f64x2.div(b, d), 16);
      v128.store(at(L, M, j, i), zero);
      v128.store(at(L, M, j, i), zero, 16);
    }
  }
}

/** Jacobi's rotations: G becomes diagonal, U its eigenvectors. */
function diagonalise(M: i32, G: usize, U: usize): void {
  const zero = f64x2.splat(0), one = f64x2.splat(1);
  for (let i = 0; i < M; i++) {
    for (let j = 0; j < M; j++) {
      v128.store(at(U, M, i, j), i === j ? one : zero);
      v128.store(at(U, M, i, j), zero, 16);
    }
  }
  for (let sweep = 0; sweep < 12; sweep++) {
    let off = zero, trace = zero;
    for (let i = 0; i < M; i++) {
      const d = v128.load(at(G, M, i, i));
      trace = f64x2.add(trace, f64x2.mul(d, d));
      for (let j = 0; j < i; j++) {
        const a = v128.load(at(G, M, i, j)), b = v128.load(at(G, M, i, j), 16);
        off = f64x2.add(off, f64x2.add(f64x2.mul(a, a), f64x2.mul(b, b)));
      }
    }
    const rest = f64x2.sub(off, f64x2.mul(trace, f64x2.splat(1e-22)));
    if (f64x2.extract_lane(rest, 0) <= 0 && f64x2.extract_lane(rest, 1) <= 0) break;
    for (let p = 0; p < M - 1; p++) {
      for (let q = p + 1; q < M; q++) {
        // g = |G_pq|, e = its phase
        const gr = v128.load(at(G, M, p, q)), gi = v128.load(at(G, M, p, q), 16);
        const g = f64x2.sqrt(f64x2.add(f64x2.mul(gr, gr), f64x2.mul(gi, gi)));
        const live = f64x2.gt(g, f64x2.splat(1e-150));
        const safe = v128.bitselect(g, one, live);
        const er = v128.bitselect(f64x2.div(gr, safe), one, live), ei = v128.bitselect(f64x2.div(gi, safe), zero, live);
        const theta = f64x2.div(f64x2.sub(v128.load(at(G, M, q, q)), v128.load(at(G, M, p, p))), f64x2.mul(f64x2.splat(2), safe));
        const size = f64x2.add(f64x2.abs(theta), f64x2.sqrt(f64x2.add(f64x2.mul(theta, theta), one)));
        let t = f64x2.div(one, size);
        t = v128.bitselect(f64x2.neg(t), t, f64x2.lt(theta, zero));
        t = v128.bitselect(t, zero, live);
        const c = f64x2.div(one, f64x2.sqrt(f64x2.add(f64x2.mul(t, t), one)));
        const s = f64x2.mul(t, c);
        const sr = f64x2.mul(s, er), si = f64x2.mul(s, ei);
        // columns: p' = c p - conj(w) q, q' = w p + c q, with w = s e
        columns(M, G, p, q, c, sr, si);
        columns(M, U, p, q, c, sr, si);
        // rows: p' = c p - w q, q' = conj(w) p + c q
        for (let k = 0; k < M; k++) {
          const a = at(G, M, p, k), b = at(G, M, q, k);
          const ar = v128.load(a), ai = v128.load(a, 16), br = v128.load(b), bi = v128.load(b, 16);
          v128.store(a, f64x2.sub(f64x2.mul(c, ar), f64x2.sub(f64x2.mul(sr, br), f64x2.mul(si, bi))));
          v128.store(a, f64x2.sub(f64x2.mul(c, ai), f64x2.add(f64x2.mul(sr, bi), f64x2.mul(si, br))), 16);
          v128.store(b, f64x2.add(f64x2.mul(c, br), f64x2.add(f64x2.mul(sr, ar), f64x2.mul(si, ai))));
          v128.store(b, f64x2.add(f64x2.mul(c, bi), f64x2.sub(f64x2.mul(sr, ai), f64x2.mul(si, ar))), 16);
        }
      }
    }
  }
}

function columns(M: i32, G: usize, p: i32, q: i32, c: v128, sr: v128, si: v128): void {
  for (let k = 0; k < M; k++) {
    const a = at(G, M, k, p), b = at(G, M, k, q);
    const ar = v128.load(a), ai = v128.load(a, 16), br = v128.load(b), bi = v128.load(b, 16);
    v128.store(a, f64x2.sub(f64x2.mul(c, ar), f64x2.add(f64x2.mul(sr, br), f64x2.mul(si, bi))));
    v128.store(a, f64x2.sub(f64x2.mul(c, ai), f64x2.sub(f64x2.mul(sr, bi), f64x2.mul(si, br))), 16);
    v128.store(b, f64x2.add(f64x2.mul(c, br), f64x2.sub(f64x2.mul(sr, ar), f64x2.mul(si, ai))));
    v128.store(b, f64x2.add(f64x2.mul(c, bi), f64x2.add(f64x2.mul(sr, ai), f64x2.mul(si, ar))), 16);
  }
}

/** Matrix of two sources, from `from` (packed, `group` floats an element part, each value the sum of `lanes` floats) to full doubles. */
function spread(M: i32, SP: i32, s: i32, lanes: i32, from: usize, out: usize): void {
  const part = <usize>(SP * lanes) << 2;
  for (let i = 0; i < M; i++) {
    for (let j = 0; j <= i; j++) {
      let p = from + (row(i) + <usize>j) * 2 * part + (<usize>(s * lanes) << 2);
      let r0: f64 = 0, r1: f64 = 0, i0: f64 = 0, i1: f64 = 0;
      for (let k = 0; k < lanes; k++, p += 4) {
        const next = p + (<usize>lanes << 2);
        r0 += <f64>load<f32>(p);
        r1 += <f64>load<f32>(next);
        i0 += <f64>load<f32>(p + part);
        i1 += <f64>load<f32>(next + part);
      }
      if (lanes > 1 && j < i) {
        // sums come with both halves of the matrix in one
        r0 *= 0.5;
        r1 *= 0.5;
        i0 *= 0.5;
        i1 *= 0.5;
      }
      const o = at(out, M, i, j), c = at(out, M, j, i);
      v128.store(o, f64x2.replace_lane(f64x2.splat(r0), 1, r1));
      v128.store(o, f64x2.replace_lane(f64x2.splat(i0), 1, i1), 16);
      v128.store(c, f64x2.replace_lane(f64x2.splat(r0), 1, r1));
      v128.store(c, f64x2.replace_lane(f64x2.splat(-i0), 1, -i1), 16);
    }
  }
}

/**
 * R of every source of a bin from the sums of `bin`, in place: the solution of X A X = R B R, which is L^-H (L^H R B R L)^(1/2) L^-1 with A = L L^H.
 * A gets 1e-6 of its mean on the diagonal. `work`: 5 M M x 32 bytes.
 */
export function riccati(M: i32, S: i32, SP: i32, R: usize, sums: usize, work: usize): void {
  const size = <usize>(M * M) * E;
  const a = work, b = a + size, c = b + size, d = c + size, u = d + size;
  const half = <usize>SP << 2;
  for (let s = 0; s < S; s += 2) {
    spread(M, SP, s, 4, sums, a);
    let trace = f64x2.splat(1e-290);
    for (let i = 0; i < M; i++) trace = f64x2.add(trace, v128.load(at(a, M, i, i)));
    const little = f64x2.mul(trace, f64x2.splat(1e-6 / <f64>M));
    for (let i = 0; i < M; i++) v128.store(at(a, M, i, i), f64x2.add(v128.load(at(a, M, i, i)), little));
    factorWide(M, a);
    spread(M, SP, s, 4, sums + row(M) * 2 * <usize>SP * 16, b);
    spread(M, SP, s, 1, R, c);
    // d = L^H R, c = d B, b = c d^H
    product(M, a, true, c, false, d);
    product(M, d, false, b, false, c);
    product(M, c, false, d, true, b);
    diagonalise(M, b, u);
    // u <- L^-H U, by columns from the last row up
    for (let col = 0; col < M; col++) {
      for (let i = M - 1; i >= 0; i--) {
        let re = v128.load(at(u, M, i, col)), im = v128.load(at(u, M, i, col), 16);
        for (let k = i + 1; k < M; k++) {
          const lr = v128.load(at(a, M, k, i)), li = v128.load(at(a, M, k, i), 16), xr = v128.load(at(u, M, k, col)), xi = v128.load(at(u, M, k, col), 16);
          re = f64x2.sub(re, f64x2.add(f64x2.mul(lr, xr), f64x2.mul(li, xi)));
          im = f64x2.sub(im, f64x2.sub(f64x2.mul(lr, xi), f64x2.mul(li, xr)));
        }
        const l = v128.load(at(a, M, i, i));
        v128.store(at(u, M, i, col), f64x2.div(re, l));
        v128.store(at(u, M, i, col), f64x2.div(im, l), 16);
      }
    }
    for (let i = 0; i < M; i++) {
      for (let j = 0; j <= i; j++) {
        let re = f64x2.splat(0), im = re;
        for (let k = 0; k < M; k++) {
          const w = f64x2.sqrt(f64x2.max(v128.load(at(b, M, k, k)), f64x2.splat(0)));
          const pr = v128.load(at(u, M, i, k)), pi = v128.load(at(u, M, i, k), 16), qr = v128.load(at(u, M, j, k)), qi = v128.load(at(u, M, j, k), 16);
          re = f64x2.add(re, f64x2.mul(w, f64x2.add(f64x2.mul(pr, qr), f64x2.mul(pi, qi))));
          im = f64x2.add(im, f64x2.mul(w, f64x2.sub(f64x2.mul(pi, qr), f64x2.mul(pr, qi))));
        }
        const o = R + (row(i) + <usize>j) * 2 * half + (<usize>s << 2);
        store<f32>(o, <f32>f64x2.extract_lane(re, 0));
        store<f32>(o + half, <f32>f64x2.extract_lane(im, 0));
        if (s + 1 < S) {
          store<f32>(o + 4, <f32>f64x2.extract_lane(re, 1));
          store<f32>(o + half + 4, <f32>f64x2.extract_lane(im, 1));
        }
      }
    }
  }
}
