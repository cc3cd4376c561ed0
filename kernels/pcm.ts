/** Kernels of decoding, in AssemblyScript: four samples, or sixteen bytes, in the lanes. src/core/kernels/pcmKernels.ts is their only caller. */
export { alloc, reset } from './lib/memory';

/** Little-endian integers of 24 bits to floats, full scale = 1: `n` samples, a multiple of four. Of `from` four bytes beyond the last are read. */
export function pcm24(n: i32, from: usize, to: usize): void {
  const step = f32x4.splat(1.0 / 8388608.0);
  const none = i32x4.splat(0);
  for (let end = to + (<usize>n << 2); to < end; to += 16, from += 12) {
    // each sample in the upper three bytes of its lane
    const wide = i8x16.shuffle(v128.load(from), none, 16, 0, 1, 2, 16, 3, 4, 5, 16, 6, 7, 8, 16, 9, 10, 11);
    v128.store(to, f32x4.mul(f32x4.convert_i32x4_s(i32x4.shr_s(wide, 8)), step));
  }
}

/** Hexadecimal digits, small letters or capitals: their values. */
// @ts-ignore: decorator
@inline
function digits(x: v128): v128 {
  const letters = v128.and(i8x16.shr_u(x, 6), i8x16.splat(1));
  return i8x16.add(v128.and(x, i8x16.splat(15)), i8x16.add(i8x16.shl(letters, 3), letters));
}

/** Two hexadecimal digits, small letters or capitals, to a byte: `n` bytes, a multiple of sixteen. */
export function hex(n: i32, from: usize, to: usize): void {
  for (let end = to + <usize>n; to < end; to += 16, from += 32) {
    const a = digits(v128.load(from));
    const b = digits(v128.load(from, 16));
    const high = i8x16.shuffle(a, b, 0, 2, 4, 6, 8, 10, 12, 14, 16, 18, 20, 22, 24, 26, 28, 30);
    const low = i8x16.shuffle(a, b, 1, 3, 5, 7, 9, 11, 13, 15, 17, 19, 21, 23, 25, 27, 29, 31);
    v128.store(to, v128.or(i8x16.shl(high, 4), low));
  }
}
