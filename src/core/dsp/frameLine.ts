/** Tells which frames of the recording come out of a delay: where playing turns back or jumps, what comes out is still from before. */
export interface FrameLine {
  /** `n` samples of frames `atFrame` on go in; `out` is told of the `n` that come out: their place in the block, how many, their first frame. */
  push(atFrame: number, n: number, out: (from: number, count: number, frame: number) => void): void;
  reset(): void;
}

/** `delay` in frames. Before the first samples come frames before them. */
export function createFrameLine(delay: number): FrameLine {
  let line: { frame: number; count: number }[] = [];
  return {
    push(atFrame, n, out) {
      if (line.length === 0 && delay > 0) line.push({ frame: atFrame - delay, count: delay });
      const last = line[line.length - 1];
      if (last && last.frame + last.count === atFrame) last.count += n;
      else line.push({ frame: atFrame, count: n });
      for (let from = 0; from < n; ) {
        const first = line[0];
        const count = Math.min(first.count, n - from);
        out(from, count, first.frame);
        first.frame += count;
        first.count -= count;
        if (first.count === 0) line.shift();
        from += count;
      }
    },
    reset() {
      line = [];
    },
  };
}
