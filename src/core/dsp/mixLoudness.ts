/** How loud a stereo mix is before and after, and what is taken of it, as it is played: powers of 100 ms each that `loudnessOfHops` takes. */
import { createBiquad } from './biquad';
import { HOP_S, kWeighting } from './loudness';

/** K-weighted mean squares, both channels added, of hop number `at` (from the song's start). */
export interface MixHop {
  readonly at: number;
  readonly before: number;
  readonly after: number;
  readonly removed: number;
}

/** The mix before and after, left and right each; `n` frames of every array count. */
export interface MixHeard {
  readonly before: readonly [Float32Array, Float32Array];
  readonly after: readonly [Float32Array, Float32Array];
}

export interface MixLoudness {
  /** Takes `n` frames (to 8192) from frame `position` of the song on; what does not follow on what came before begins anew. Gives the hops that are whole now: those heard from their first frame to their last. */
  push(x: MixHeard, n: number, position: number): MixHop[];
}

const none: MixHop[] = [];

export function createMixLoudness(rate: number): MixLoudness {
  const hop = Math.round(HOP_S * rate);
  const sides = () => [0, 1].map(() => kWeighting(rate).map(createBiquad));
  const filters = { before: sides(), after: sides() };
  const weighted = { before: [new Float64Array(8192), new Float64Array(8192)], after: [new Float64Array(8192), new Float64Array(8192)] };
  let next = -1;
  /** Whether the present hop was heard from its first frame on. */
  let whole = false;
  let [before, after, removed] = [0, 0, 0];
  return {
    push(x, n, position) {
      if (position !== next) {
        whole = false;
        for (const side of [...filters.before, ...filters.after]) for (const f of side) f.reset();
      }
      next = position + n;
      for (const what of ['before', 'after'] as const) {
        for (let side = 0; side < 2; side++) {
          const [shelf, highpass] = filters[what][side];
          const out = weighted[what][side];
          shelf.process(x[what][side], out, n);
          highpass.process(out, out, n);
        }
      }
      let told = none;
      const { before: b, after: a } = weighted;
      for (let i = 0; i < n; i++) {
        const left = (position + i) % hop;
        if (left === 0) {
          whole = true;
          [before, after, removed] = [0, 0, 0];
        }
        if (!whole) continue;
        const [d, e] = [b[0][i] - a[0][i], b[1][i] - a[1][i]];
        before += b[0][i] * b[0][i] + b[1][i] * b[1][i];
        after += a[0][i] * a[0][i] + a[1][i] * a[1][i];
        removed += d * d + e * e;
        if (left === hop - 1) told = [...told, { at: (position + i - left) / hop, before: before / hop, after: after / hop, removed: removed / hop }];
      }
      return told;
    },
  };
}
