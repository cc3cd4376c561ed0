/** A fixed delay: `process` gives back what came in `frames` samples ago, zeros at first. */
export interface Delay {
  process(input: Float32Array, output: Float32Array, n: number): void;
  reset(): void;
}

export function createDelay(frames: number): Delay {
  const ring = new Float32Array(Math.max(1, frames));
  let at = 0;
  return {
    process(input, output, n) {
      if (frames === 0) {
        output.set(input.subarray(0, n));
        return;
      }
      for (let i = 0; i < n; i++) {
        const x = input[i];
        output[i] = ring[at];
        ring[at] = x;
        at = at + 1 === frames ? 0 : at + 1;
      }
    },
    reset() {
      ring.fill(0);
      at = 0;
    },
  };
}
