/**
 * An event as a non-negative mix: after = sum of gains x patterns + a x before, fitted by multiplicative updates under the Itakura-Saito
 * divergence (C. Févotte, N. Bertin, J.-L. Durrieu, Neural Computation 21(3), 2009; the patterns are given). Itakura-Saito weighs quiet cells
 * like loud ones: under Kullback-Leibler the loud cells rule and soft toms are lost (toms F .957 to .868 in a prototype).
 */
import type { HitKernels } from '../kernels/hitKernels';

export interface Patterns {
  /** Drum of each pattern. */
  readonly names: readonly string[];
  /** Cells (mics x bands) of each pattern, one pattern after the other. */
  readonly cells: number;
  readonly w: Float32Array;
}

export interface Mixture {
  /** Events x patterns. */
  readonly gains: Float32Array;
  /** Share of what was there before, by event. */
  readonly before: Float32Array;
  /** Events x cells. */
  readonly model: Float32Array;
}

const BEFORE_START = 0.7;
const BEFORE_RANGE = [0.02, 1.3] as const;
/** Patterns begin this far under what would explain the event alone. */
const START = 0.1;

/**
 * Fits events (`after`, `before`: events x cells) with the patterns that `use` names by 1. `scale`: one number a cell that brings powers near 1, as single
 * precision likes; the divergence does not mind.
 */
export function fitEvents(kernels: HitKernels, p: Patterns, after: Float32Array, before: Float32Array, rounds: number, use: Uint8Array, scale: Float32Array): Mixture {
  const { cells } = p;
  const scaled = (v: Float32Array) => {
    const out = new Float32Array(v.length);
    for (let i = 0; i < v.length; i += cells) for (let f = 0; f < cells; f++) out[i + f] = v[i + f] * scale[f];
    return out;
  };
  const K = p.names.length;
  const n = after.length / cells;
  const patterns = scaled(p.w);
  const x = scaled(after);
  const meanLog = (v: Float32Array, at: number) => {
    let s = 0;
    for (let f = 0; f < cells; f++) s += Math.log(v[at + f] + 1e-30);
    return s / cells;
  };
  const logs = Float64Array.from({ length: K }, (_, k) => meanLog(patterns, k * cells));
  const gains = new Float32Array(n * K);
  for (let i = 0; i < n; i++) {
    const level = meanLog(x, i * cells);
    for (let k = 0; k < K; k++) gains[i * K + k] = use[k] ? START * Math.exp(level - logs[k]) : 0;
  }
  const r = kernels.fit({ cells, patterns, after: x, before: scaled(before), rounds, use, gains, aStart: BEFORE_START, aRange: BEFORE_RANGE });
  for (let i = 0; i < r.model.length; i += cells) for (let f = 0; f < cells; f++) r.model[i + f] /= scale[f];
  return { gains: r.gains, before: r.a, model: r.model };
}

/** Itakura-Saito divergence of one cell: how badly `y` explains `v`. */
export const divergence = (v: number, y: number): number => {
  const r = v / y;
  return r - Math.log(r) - 1;
};
