/** Decoding of samples and of bytes told as text, in the memory of one instance of their kernels; not to be shared between threads. */
import { WASM } from './generated/pcm.wasm';
import { instantiate } from './wasm';

interface Exports {
  memory: { readonly buffer: ArrayBuffer };
  reset(): void;
  alloc(bytes: number): number;
  pcm24(n: number, from: number, to: number): void;
  hex(n: number, from: number, to: number): void;
}

/** Samples at a time. */
const PIECE = 65536;
/** More than the kernel reads beyond the last sample. */
const BEYOND = 16;

function create() {
  const e = instantiate(WASM) as unknown as Exports;
  e.reset();
  const from = e.alloc(4 * PIECE + BEYOND);
  const to = e.alloc(4 * PIECE);
  const input = new Uint8Array(e.memory.buffer, from, 4 * PIECE);
  const samples = new Float32Array(e.memory.buffer, to, PIECE);
  const bytes = new Uint8Array(e.memory.buffer, to, 2 * PIECE);
  return {
    pcm24(b: Uint8Array, out: Float32Array): number {
      const all = Math.min(out.length, Math.floor(b.length / 3)) & ~3;
      for (let at = 0; at < all; at += PIECE) {
        const n = Math.min(PIECE, all - at);
        input.set(b.subarray(3 * at, 3 * (at + n)));
        e.pcm24(n, from, to);
        out.set(n === PIECE ? samples : samples.subarray(0, n), at);
      }
      return all;
    },
    hex(text: Uint8Array): Uint8Array {
      const out = new Uint8Array(text.length >> 1);
      for (let at = 0; at < out.length; at += 2 * PIECE) {
        const n = Math.min(2 * PIECE, out.length - at);
        input.set(text.subarray(2 * at, 2 * (at + n)));
        e.hex((n + 15) & ~15, from, to);
        out.set(bytes.subarray(0, n), at);
      }
      return out;
    },
  };
}

let kernels: ReturnType<typeof create> | null = null;
function ready() {
  kernels ??= create();
  return kernels;
}

/** Decodes little-endian integers of 24 bits, one channel, into `out` (full scale = 1), all but up to three of them; returns how many. */
export const decode24 = (bytes: Uint8Array, out: Float32Array): number => ready().pcm24(bytes, out);

/** Bytes that are told as hexadecimal digits, two a byte, in ASCII. What is no digit is not noticed. */
export const decodeHex = (text: Uint8Array): Uint8Array => ready().hex(text);
