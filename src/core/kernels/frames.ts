/** Short-time transforms of a few dozen frames at a time, in the memory of one instance of their kernels; not to be shared between threads. */
import { WASM } from './generated/transform.wasm';
import { instantiate } from './wasm';

interface Exports {
  memory: { readonly buffer: ArrayBuffer };
  reset(): void;
  alloc(bytes: number): number;
  forward(x: number, count: number, hop: number, size: number, window: number, twiddles: number, work: number, re: number, im: number, stride: number): void;
  inverse(re: number, im: number, stride: number, count: number, hop: number, size: number, window: number, twiddles: number, work: number, out: number): void;
  bandPowers(re: number, im: number, stride: number, count: number, edges: number, bands: number, out: number): void;
  turnBands(re: number, im: number, stride: number, count: number, edges: number, bands: number, gains: number): void;
}

export interface FrameKernels {
  /** Frames that one call takes at most: the stride of `re` and `im`. */
  readonly room: number;
  /** Samples of the frames; written before `forward`. */
  readonly input: Float32Array;
  /** Spectra: size / 2 + 1 bins x room, frames of a bin side by side. */
  readonly re: Float32Array;
  readonly im: Float32Array;
  /** Frames of a window each, one hop apart, added up; the first begins at sample 0. */
  readonly output: Float32Array;
  /** By band, one value a frame: what `bandPowers` writes, and what `turnBands` reads. Bands x room. */
  readonly byBand: Float32Array;
  /** Spectra of the first `frames` frames of `input`. */
  forward(frames: number): void;
  /** `output` from the first `frames` spectra. */
  inverse(frames: number): void;
  /** Power of the first `frames` spectra in bands, from the first bin of each and one past the last. */
  bandPowers(frames: number, edges: readonly number[]): void;
  /** The first `frames` spectra times the gains of their bands. */
  turnBands(frames: number, edges: readonly number[]): void;
}

const LANES = 8;
/** Bands at most. */
const MOST_BANDS = 64;

/** `size`: a power of two; `window`: `size` values, applied both ways; `room`: a multiple of eight. */
export function createFrames(size: number, hop: number, window: ArrayLike<number>, room: number): FrameKernels {
  if (room % LANES || size & (size - 1)) throw new RangeError('frames go by eight, and their size is a power of two');
  const e = instantiate(WASM) as unknown as Exports;
  e.reset();
  const samples = (room - 1) * hop + size;
  const values = (size / 2 + 1) * room;
  const at = { window: e.alloc(4 * size), twiddles: e.alloc(8 * size), work: e.alloc(64 * size), input: e.alloc(4 * samples), output: e.alloc(4 * samples), re: e.alloc(4 * values), im: e.alloc(4 * values), edges: e.alloc(4 * (MOST_BANDS + 1)), byBand: e.alloc(4 * MOST_BANDS * room) };
  // nothing is asked for later, so that the memory stays where it is
  const view = (p: number, n: number) => new Float32Array(e.memory.buffer, p, n);
  view(at.window, size).set(Float32Array.from(window));
  view(at.twiddles, 2 * size).set(Float32Array.from({ length: 2 * size }, (_, i) => (i % 2 ? -Math.sin((Math.PI * (i - 1)) / size) : Math.cos((Math.PI * i) / size))));
  const output = view(at.output, samples);
  const counted = (frames: number) => Math.min(room, Math.ceil(frames / LANES) * LANES);
  const places = new Int32Array(e.memory.buffer, at.edges, MOST_BANDS + 1);
  /** Notes the edges, and tells how many bands there are. */
  const bandsOf = (edges: readonly number[]) => {
    if (edges.length > places.length || edges.some((b) => b < 0 || b > size / 2 + 1)) throw new RangeError(`at most ${MOST_BANDS} bands, within the spectrum`);
    places.set(edges);
    return edges.length - 1;
  };
  return {
    room,
    input: view(at.input, samples),
    re: view(at.re, values),
    im: view(at.im, values),
    output,
    byBand: view(at.byBand, MOST_BANDS * room),
    forward: (frames) => e.forward(at.input, counted(frames), hop, size, at.window, at.twiddles, at.work, at.re, at.im, room),
    inverse(frames) {
      output.fill(0);
      e.inverse(at.re, at.im, room, counted(frames), hop, size, at.window, at.twiddles, at.work, at.output);
    },
    bandPowers: (frames, edges) => e.bandPowers(at.re, at.im, room, counted(frames), at.edges, bandsOf(edges), at.byBand),
    turnBands: (frames, edges) => e.turnBands(at.re, at.im, room, counted(frames), at.edges, bandsOf(edges), at.byBand),
  };
}
