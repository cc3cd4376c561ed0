/**
 * Kernels of short-time transforms, in AssemblyScript with 128-bit lanes: eight real frames at a time, four in the lanes and two in one complex transform. They work on
 * memory handed to them; src/core/kernels/frames.ts is their only caller.
 */
import { fft4 } from './lib/fft';

export { alloc, reset } from './lib/memory';

/** Four samples that lie `step` bytes apart. */
// @ts-ignore: decorator
@inline
function gather(at: usize, step: usize): v128 {
  let v = v128.load32_zero(at);
  v = v128.load_lane<f32>(at + step, v, 1);
  v = v128.load_lane<f32>(at + 2 * step, v, 2);
  return v128.load_lane<f32>(at + 3 * step, v, 3);
}

// @ts-ignore: decorator
@inline
function scatter(at: usize, step: usize, v: v128): void {
  store<f32>(at, load<f32>(at) + f32x4.extract_lane(v, 0));
  store<f32>(at + step, load<f32>(at + step) + f32x4.extract_lane(v, 1));
  store<f32>(at + 2 * step, load<f32>(at + 2 * step) + f32x4.extract_lane(v, 2));
  store<f32>(at + 3 * step, load<f32>(at + 3 * step) + f32x4.extract_lane(v, 3));
}

/**
 * Spectra of `count` frames (a multiple of eight), each `hop` samples after the one before, up to half the rate. `re`, `im`: size / 2 + 1 bins x `stride` floats, frames of a
 * bin side by side. `work`: 2 x 32 bytes a sample of a frame.
 */
export function forward(x: usize, count: i32, hop: i32, size: i32, window: usize, twiddles: usize, work: usize, re: usize, im: usize, stride: i32): void {
  const step = <usize>hop << 2;
  const line = <usize>stride << 2;
  const half = f32x4.splat(0.5);
  const mask = size - 1;
  for (let k = 0; k < count; k += 8) {
    let at = x + <usize>k * step;
    let o = work;
    for (let i = 0; i < size; i++, at += 4, o += 32) {
      const w = v128.load_splat<f32>(window + (<usize>i << 2));
      v128.store(o, f32x4.mul(w, gather(at, step)));
      v128.store(o, f32x4.mul(w, gather(at + 4 * step, step)), 16);
    }
    const z = fft4(work, work + (<usize>size << 5), size, twiddles);
    let to = <usize>k << 2;
    for (let b = 0; b <= size >> 1; b++, to += line) {
      const p = z + (<usize>b << 5), q = z + (<usize>((size - b) & mask) << 5);
      const pr = v128.load(p), pi = v128.load(p, 16), qr = v128.load(q), qi = v128.load(q, 16);
      v128.store(re + to, f32x4.mul(half, f32x4.add(pr, qr)));
      v128.store(im + to, f32x4.mul(half, f32x4.sub(pi, qi)));
      v128.store(re + to, f32x4.mul(half, f32x4.add(pi, qi)), 16);
      v128.store(im + to, f32x4.mul(half, f32x4.sub(qr, pr)), 16);
    }
  }
}

/** Adds the frames of such spectra to `out`, each through the window; the first one begins at its first sample. */
export function inverse(re: usize, im: usize, stride: i32, count: i32, hop: i32, size: i32, window: usize, twiddles: usize, work: usize, out: usize): void {
  const step = <usize>hop << 2;
  const line = <usize>stride << 2;
  const scale = f32x4.splat(1 / <f32>size);
  const mask = size - 1;
  const middle = size >> 1;
  for (let k = 0; k < count; k += 8) {
    let from = <usize>k << 2;
    for (let b = 0; b <= middle; b++, from += line) {
      const ends = b == 0 || b == middle;
      const ar = v128.load(re + from), br = v128.load(re + from, 16);
      const ai = ends ? f32x4.splat(0) : v128.load(im + from), bi = ends ? f32x4.splat(0) : v128.load(im + from, 16);
      // real and imaginary parts change places, so that the forward transform goes back
      const p = work + (<usize>b << 5), q = work + (<usize>((size - b) & mask) << 5);
      v128.store(p, f32x4.add(ai, br));
      v128.store(p, f32x4.sub(ar, bi), 16);
      v128.store(q, f32x4.sub(br, ai));
      v128.store(q, f32x4.add(ar, bi), 16);
    }
    let z = fft4(work, work + (<usize>size << 5), size, twiddles);
    let at = out + <usize>k * step;
    for (let i = 0; i < size; i++, at += 4, z += 32) {
      const w = f32x4.mul(scale, v128.load_splat<f32>(window + (<usize>i << 2)));
      scatter(at, step, f32x4.mul(w, v128.load(z, 16)));
      scatter(at + 4 * step, step, f32x4.mul(w, v128.load(z)));
    }
  }
}

/** Power of frames in bands of bins: `edges`, `bands` + 1 whole numbers; `out`: bands x `stride`. `count` a multiple of four. */
export function bandPowers(re: usize, im: usize, stride: i32, count: i32, edges: usize, bands: i32, out: usize): void {
  const line = <usize>stride << 2;
  const end = <usize>count << 2;
  for (let b = 0; b < bands; b++, edges += 4, out += line) {
    for (let k: usize = 0; k < end; k += 16) v128.store(out + k, f32x4.splat(0));
    for (let i = load<i32>(edges); i < load<i32>(edges, 4); i++) {
      const at = <usize>i * line;
      for (let k: usize = 0; k < end; k += 16) {
        const r = v128.load(re + at + k), q = v128.load(im + at + k);
        v128.store(out + k, f32x4.add(v128.load(out + k), f32x4.add(f32x4.mul(r, r), f32x4.mul(q, q))));
      }
    }
  }
}

/** Frames with their bands times `gains`: bands x `stride`; edges and count as above. */
export function turnBands(re: usize, im: usize, stride: i32, count: i32, edges: usize, bands: i32, gains: usize): void {
  const line = <usize>stride << 2;
  const end = <usize>count << 2;
  for (let b = 0; b < bands; b++, edges += 4, gains += line) {
    for (let i = load<i32>(edges); i < load<i32>(edges, 4); i++) {
      const at = <usize>i * line;
      for (let k: usize = 0; k < end; k += 16) {
        const g = v128.load(gains + k);
        v128.store(re + at + k, f32x4.mul(g, v128.load(re + at + k)));
        v128.store(im + at + k, f32x4.mul(g, v128.load(im + at + k)));
      }
    }
  }
}
