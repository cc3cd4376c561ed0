/** Decoding of samples, in the memory of one instance of its kernel; not to be shared between threads. */
import { WASM } from './generated/pcm.wasm';
import { instantiate } from './wasm';

interface Exports {
  memory: { readonly buffer: ArrayBuffer };
  reset(): void;
  alloc(bytes: number): number;
  pcm24(n: number, from: number, to: number): void;
}

/** Samples at a time. */
const PIECE = 65536;
/** More than the kernel reads beyond the last sample. */
const BEYOND = 16;

function create(): (bytes: Uint8Array, out: Float32Array) => number {
  const e = instantiate(WASM) as unknown as Exports;
  e.reset();
  const from = e.alloc(3 * PIECE + BEYOND);
  const to = e.alloc(4 * PIECE);
  const [input, output] = [new Uint8Array(e.memory.buffer, from, 3 * PIECE), new Float32Array(e.memory.buffer, to, PIECE)];
  return (bytes, out) => {
    const all = Math.min(out.length, Math.floor(bytes.length / 3)) & ~3;
    for (let at = 0; at < all; at += PIECE) {
      const n = Math.min(PIECE, all - at);
      input.set(bytes.subarray(3 * at, 3 * (at + n)));
      e.pcm24(n, from, to);
      out.set(n === PIECE ? output : output.subarray(0, n), at);
    }
    return all;
  };
}

let decode: ReturnType<typeof create> | null = null;

/** Decodes little-endian integers of 24 bits, one channel, into `out` (full scale = 1), all but up to three of them; returns how many. */
export function decode24(bytes: Uint8Array, out: Float32Array): number {
  decode ??= create();
  return decode(bytes, out);
}
