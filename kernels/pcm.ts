/** Kernel of decoding, in AssemblyScript: four samples in the lanes. src/core/kernels/pcmKernels.ts is its only caller. */
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
