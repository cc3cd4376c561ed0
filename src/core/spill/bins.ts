/** The kernels of de-bleed on a set of frequency bins, whose mics, powers and matrices lie in the memory of one instance; not to be shared between threads. */
import { WASM } from '../kernels/generated/debleed.wasm';
import { instantiate } from '../kernels/wasm';

interface Exports {
  memory: { readonly buffer: ArrayBuffer };
  reset(): void;
  alloc(bytes: number): number;
  bin(M: number, S: number, SP: number, T: number, x: number, v: number, R: number, noise: number, prior: number, iterations: number, sums: number, targets: number, list: number, out: number, work: number, first: number, every: number): void;
  covariances(M: number, S: number, SP: number, T: number, x: number, w: number, R: number): void;
  riccati(M: number, S: number, SP: number, R: number, sums: number, work: number): void;
}

export interface BinShape {
  readonly mics: number;
  readonly sources: number;
  /** A multiple of four. */
  readonly frames: number;
  readonly bins: number;
}

/** Where a Hermitian matrix's element lies in its packed lower triangle; `i` >= `j`. */
export const packed = (i: number, j: number): number => (i * (i + 1)) / 2 + j;
/** Sources rounded up to the lanes. */
export const padded = (sources: number): number => Math.ceil(sources / 4) * 4;

/** Of frames in fours the `first` and each `every`-th after it. */
export interface Part {
  readonly first: number;
  readonly every: number;
}
const WHOLE: Part = { first: 0, every: 1 };

export interface Bins {
  readonly shape: BinShape;
  /** Spectra of a bin: mics x (re, im) x frames. Views are good until the next call that makes one. */
  x(bin: number): Float32Array;
  /** Powers of a bin: padded sources x frames. */
  v(bin: number): Float32Array;
  /** Matrices of a bin: packed elements x (re, im) x padded sources. */
  matrices(bin: number): Float32Array;
  noise(bin: number): Float32Array;
  /** Means that are expected of v: sources x frames, for the next bin that is run. */
  readonly prior: Float32Array;
  /** R of a bin as weighted sums over frames of what the mics have together; the weights stand in `prior`. */
  begin(bin: number): void;
  /** So many updates of v, then of R from what they say (C. Févotte's and H. Sawada's multiplicative updates; see decisions/0009); in a part of the frames where that is said. */
  refine(bin: number, iterations: number, part?: Part): void;
  /** Updates of v only; then the images of sources in mics: targets x (re, im) x frames, a view until the next call. */
  images(bin: number, iterations: number, targets: readonly (readonly [mic: number, source: number])[]): Float32Array;
}

export function createBins(shape: BinShape): Bins {
  const { mics: M, sources: S, frames: T, bins } = shape;
  if (T % 4) throw new Error('frames of a bin must be a multiple of four');
  const SP = padded(S);
  const P = packed(M, 0);
  const k = instantiate(WASM) as unknown as Exports;
  k.reset();
  const x = k.alloc(bins * M * 2 * T * 4);
  const v = k.alloc(bins * SP * T * 4);
  const R = k.alloc(bins * P * 2 * SP * 4);
  const noise = k.alloc(bins * M * 4);
  const prior = k.alloc(S * T * 4);
  const sums = k.alloc(2 * P * 2 * SP * 16);
  const work = k.alloc((5 * M * M + 3 * P + 2 * M) * 32 + SP * 16);
  const list = k.alloc(M * S * 8);
  const out = k.alloc(M * S * 2 * T * 4);
  const view = (at: number, length: number) => new Float32Array(k.memory.buffer, at, length);
  const run = (b: number, iterations: number, sumsAt: number, targets: number, { first, every }: Part = WHOLE) =>
    k.bin(M, S, SP, T, x + b * M * 2 * T * 4, v + b * SP * T * 4, R + b * P * 2 * SP * 4, noise + b * M * 4, prior, iterations, sumsAt, targets, list, out, work, first, every);
  return {
    shape,
    x: (b) => view(x + b * M * 2 * T * 4, M * 2 * T),
    v: (b) => view(v + b * SP * T * 4, SP * T),
    matrices: (b) => view(R + b * P * 2 * SP * 4, P * 2 * SP),
    noise: (b) => view(noise + b * M * 4, M),
    prior: view(prior, S * T),
    begin: (b) => k.covariances(M, S, SP, T, x + b * M * 2 * T * 4, prior, R + b * P * 2 * SP * 4),
    refine(b, iterations, part) {
      view(sums, 2 * P * 2 * SP * 4).fill(0);
      run(b, iterations, sums, 0, part);
      k.riccati(M, S, SP, R + b * P * 2 * SP * 4, sums, work);
    },
    images(b, iterations, targets) {
      const pairs = new Int32Array(k.memory.buffer, list, 2 * targets.length);
      targets.forEach((t, i) => {
        pairs.set(t, 2 * i);
      });
      run(b, iterations, 0, targets.length);
      return view(out, targets.length * 2 * T);
    },
  };
}
