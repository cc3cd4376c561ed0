/** Sums over frames of delayed lines, in the memory of one instance of their kernels; not to be shared between threads. */
import { WASM } from './generated/along.wasm';
import { instantiate } from './wasm';

interface Exports {
  memory: { readonly buffer: ArrayBuffer };
  reset(): void;
  alloc(bytes: number): number;
  gram(T: number, lines: number, reach: number, pad: number, r: number, w: number, c: number, ar: number, ai: number): void;
  correlate(T: number, lines: number, reach: number, pad: number, r: number, y: number, br: number, bi: number): void;
  subtract(T: number, lines: number, reach: number, pad: number, r: number, br: number, bi: number, y: number): void;
}

/** A complex line of frames. */
interface Values {
  readonly re: Float64Array;
  readonly im: Float64Array;
}

/** Lines r_q of some frames, and their copies r_q(t - l) for l = 0 to `reach`: n = lines x (reach + 1) of them, copies of a line side by side. */
export interface AlongKernels {
  /** Values of the lines, to be written before anything is asked for. */
  readonly lines: readonly Values[];
  /** One weight a frame. */
  readonly weight: Float64Array;
  /** The line that is told from them. */
  readonly y: Values;
  /** Lower triangle of n x n: what `gram` writes. */
  readonly a: Values;
  /** n values: what `correlate` writes, and what `subtract` reads. */
  readonly b: Values;
  /** a[i, j] = sum over frames of weight conj(copy i) copy j. */
  gram(): void;
  /** b[i] = sum over frames of conj(copy i) y. */
  correlate(): void;
  /** y less the sum of b[i] times copy i. */
  subtract(): void;
}

/** More than the sums read beyond the last weight. */
const BEYOND = 4;

function create(frames: number, count: number, reach: number): AlongKernels {
  const e = instantiate(WASM) as unknown as Exports;
  e.reset();
  const T = Math.ceil(frames / 2) * 2;
  // what one line writes must not be read as another's
  const pad = reach + (reach % 2) + BEYOND;
  const half = T + 2 * pad;
  const n = count * (reach + 1);
  const at = { r: e.alloc(16 * half * count), y: e.alloc(16 * half), w: e.alloc(8 * half), c: e.alloc(16 * T), ar: e.alloc(8 * n * n), ai: e.alloc(8 * n * n), br: e.alloc(8 * n), bi: e.alloc(8 * n) };
  const view = (p: number, length: number) => new Float64Array(e.memory.buffer, p, length);
  const lineAt = (p: number): Values => ({ re: view(p + 8 * pad, frames), im: view(p + 8 * (half + pad), frames) });
  const [r, y] = [at.r + 8 * pad, at.y + 8 * pad];
  const beyond = [view(y + 8 * frames, T - frames), view(y + 8 * (half + frames), T - frames)];
  return {
    lines: Array.from({ length: count }, (_, q) => lineAt(at.r + 16 * half * q)),
    weight: view(at.w, frames),
    y: lineAt(at.y),
    a: { re: view(at.ar, n * n), im: view(at.ai, n * n) },
    b: { re: view(at.br, n), im: view(at.bi, n) },
    gram: () => e.gram(T, count, reach, pad, r, at.w, at.c, at.ar, at.ai),
    correlate: () => e.correlate(T, count, reach, pad, r, y, at.br, at.bi),
    subtract() {
      e.subtract(T, count, reach, pad, r, at.br, at.bi, y);
      // where frames are odd in number the lanes reach one further
      for (const part of beyond) part.fill(0);
    },
  };
}

let kept: { readonly shape: string; readonly kernels: AlongKernels } | null = null;

/** Kernels for so many frames, lines and delays; the last ones are kept. */
export function alongKernels(frames: number, lines: number, reach: number): AlongKernels {
  const shape = `${frames} ${lines} ${reach}`;
  if (kept?.shape !== shape) kept = { shape, kernels: create(frames, lines, reach) };
  return kept.kernels;
}
