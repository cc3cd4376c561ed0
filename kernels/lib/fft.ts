/** Four complex transforms in lanes: Stockham's autosort with radix 4, and one step of radix 2 where needed. Returns where the result lies: `x` or `y`. */
export function fft4(x: usize, y: usize, size: i32, twiddles: usize): usize {
  let n = size;
  let s = 1;
  let from = x;
  let to = y;
  while (n >= 4) {
    const quarter = n >> 2;
    const step = <usize>(s * quarter) << 5;
    for (let p = 0; p < quarter; p++) {
      const t = <usize>(p * s);
      const w1r = v128.load_splat<f32>(twiddles + (t << 3)), w1i = v128.load_splat<f32>(twiddles + (t << 3), 4);
      const w2r = v128.load_splat<f32>(twiddles + (t << 4)), w2i = v128.load_splat<f32>(twiddles + (t << 4), 4);
      const w3r = v128.load_splat<f32>(twiddles + t * 24), w3i = v128.load_splat<f32>(twiddles + t * 24, 4);
      let a = from + (<usize>(s * p) << 5);
      let o = to + (<usize>(4 * s * p) << 5);
      const line = <usize>s << 5;
      for (let q = 0; q < s; q++, a += 32, o += 32) {
        const ar = v128.load(a), ai = v128.load(a, 16);
        const br = v128.load(a + step), bi = v128.load(a + step, 16);
        const cr = v128.load(a + 2 * step), ci = v128.load(a + 2 * step, 16);
        const dr = v128.load(a + 3 * step), di = v128.load(a + 3 * step, 16);
        const pr = f32x4.add(ar, cr), pi = f32x4.add(ai, ci), mr = f32x4.sub(ar, cr), mi = f32x4.sub(ai, ci);
        const sr = f32x4.add(br, dr), si = f32x4.add(bi, di);
        // j x (b - d)
        const jr = f32x4.sub(di, bi), ji = f32x4.sub(br, dr);
        v128.store(o, f32x4.add(pr, sr));
        v128.store(o, f32x4.add(pi, si), 16);
        const er = f32x4.sub(mr, jr), ei = f32x4.sub(mi, ji);
        v128.store(o + line, f32x4.sub(f32x4.mul(er, w1r), f32x4.mul(ei, w1i)));
        v128.store(o + line, f32x4.add(f32x4.mul(er, w1i), f32x4.mul(ei, w1r)), 16);
        const fr = f32x4.sub(pr, sr), fi = f32x4.sub(pi, si);
        v128.store(o + 2 * line, f32x4.sub(f32x4.mul(fr, w2r), f32x4.mul(fi, w2i)));
        v128.store(o + 2 * line, f32x4.add(f32x4.mul(fr, w2i), f32x4.mul(fi, w2r)), 16);
        const gr = f32x4.add(mr, jr), gi = f32x4.add(mi, ji);
        v128.store(o + 3 * line, f32x4.sub(f32x4.mul(gr, w3r), f32x4.mul(gi, w3i)));
        v128.store(o + 3 * line, f32x4.add(f32x4.mul(gr, w3i), f32x4.mul(gi, w3r)), 16);
      }
    }
    n >>= 2;
    s <<= 2;
    const other = from;
    from = to;
    to = other;
  }
  if (n == 2) {
    const line = <usize>s << 5;
    for (let q: usize = 0; q < line; q += 16) {
      const a = v128.load(from + q), b = v128.load(from + line + q);
      v128.store(to + q, f32x4.add(a, b));
      v128.store(to + line + q, f32x4.sub(a, b));
    }
    return to;
  }
  return from;
}
