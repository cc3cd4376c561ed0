/**
 * Stretches dropped by hand: silence between `from` and `to`, with short fades inside them, so that nothing outside is touched. Made from the plan;
 * they may meet or overlap.
 */
export interface Gap {
  readonly from: number;
  readonly to: number;
}

/** Fades at a gap's edges, seconds; half the gap where it is shorter than two. */
const FADE_S = 0.003;

export interface GapProcessor {
  /** Multiplies `n` samples of `out` from `from` on, which lie at frames `atFrame` on. Allocates nothing. */
  apply(out: Float32Array, from: number, n: number, atFrame: number): void;
  set(gaps: readonly Gap[]): void;
}

/** Joins gaps that meet; in order. */
export function mergeGaps(gaps: readonly Gap[]): Gap[] {
  const out: Gap[] = [];
  for (const g of [...gaps].filter((x) => x.to > x.from).sort((a, b) => a.from - b.from)) {
    const last = out[out.length - 1];
    if (last && g.from <= last.to) out[out.length - 1] = { from: last.from, to: Math.max(last.to, g.to) };
    else out.push(g);
  }
  return out;
}

export function createGaps(rate: number, initial: readonly Gap[] = []): GapProcessor {
  const fade = Math.max(1, Math.round(FADE_S * rate));
  let list: Gap[] = [];
  const set = (gaps: readonly Gap[]) => {
    list = mergeGaps(gaps);
  };
  set(initial);
  return {
    set,
    apply(out, from, n, atFrame) {
      for (const g of list) {
        if (g.to <= atFrame) continue;
        if (g.from >= atFrame + n) break;
        const f = Math.min(fade, (g.to - g.from) >> 1);
        for (let i = Math.max(g.from, atFrame); i < Math.min(g.to, atFrame + n); i++) {
          const edge = Math.min(i - g.from, g.to - 1 - i);
          const k = from + i - atFrame;
          if (edge >= f) out[k] = 0;
          else out[k] *= 1 - (edge + 1) / (f + 1);
        }
      }
    },
  };
}
