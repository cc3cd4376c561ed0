/**
 * Sound of whole mics for what works on one after the other. It is lent and taken back, and the next mic comes in the same memory: threads share it, and a collector of garbage meets what they
 * shared so late that a song would take twice what it needs.
 */
import { roomFor } from './dsp/room';
import { type Soon, oneByOne } from './hits/ears';
import type { MicReader } from './render';

/** `x` is there until `work` has ended, and nobody writes into it. */
export type Lend = <T>(mic: number, work: (x: Float32Array) => Soon<T>) => Promise<T>;

/** Readers of stored audio want whole chunks. */
const READ = 65536;

/** A mic of so many `frames`. */
async function whole(reader: MicReader, frames: number, out: Float32Array): Promise<Float32Array> {
  let at = 0;
  for (; at + READ <= frames; at += READ) await reader.read(at, out.subarray(at, at + READ));
  if (at < frames) {
    const block = new Float32Array(READ);
    await reader.read(at, block);
    out.set(block.subarray(0, frames - at), at);
  }
  return out;
}

/** Mics that are read, each as long as the recording. */
export function lending(readers: readonly MicReader[], frames: number): Lend {
  const free: Float32Array[] = [];
  const read = oneByOne((mic: number, room: Float32Array) => whole(readers[mic], frames, room));
  return async (mic, work) => {
    const room = free.pop() ?? roomFor(frames);
    try {
      return await work(await read(mic, room));
    } finally {
      free.push(room);
    }
  };
}

/** Sound that lies in memory anyhow, or whose reader keeps it there. */
export function lendingFrom(read: (mic: number) => Soon<Float32Array>): Lend {
  const readOne = oneByOne(read);
  return async (mic, work) => work(await readOne(mic));
}

/** Several at once, in their order. */
export const lendAll = async <T>(lend: Lend, mics: readonly number[], work: (list: readonly Float32Array[]) => Soon<T>, got: readonly Float32Array[] = []): Promise<T> =>
  got.length === mics.length ? work(got) : lend(mics[got.length], (x) => lendAll(lend, mics, work, [...got, x]));
