/** A whole mic as tail damping leaves it, worked out in blocks where it is wanted: a song's worth takes seconds, what is heard of it is often a quarter. */
import { type LiveTail, createTail } from './tailStage';

export interface DampedMic {
  /** Damped where that is worked out, as it came elsewhere. */
  readonly audio: Float32Array;
  /** Works out frames `from` to `to`. */
  reach(from: number, to: number): void;
  /** Frames at which blocks begin that are not worked out though something of them is heard; `gain` as long as the mic. */
  waiting(gain: Float32Array): number[];
}

/** Frames worked out at a time. */
export const DAMPED_BLOCK = 4096;

export function createDampedMic(rate: number, tail: LiveTail, mic: Float32Array): DampedMic {
  const audio = mic.slice();
  const have = new Uint8Array(Math.ceil(mic.length / DAMPED_BLOCK));
  const stage = createTail(rate);
  stage.set(tail);
  const lead = 2 * stage.latency;
  const wide = new Float32Array(DAMPED_BLOCK + lead);
  const work = (block: number) => {
    const from = block * DAMPED_BLOCK;
    const to = Math.min(mic.length, from + DAMPED_BLOCK);
    const first = from - stage.latency;
    const start = Math.max(0, first);
    wide.fill(0);
    wide.set(mic.subarray(start, Math.min(mic.length, to + stage.latency)), start - first);
    stage.reset();
    stage.process(wide, 0, to - from + lead, from - lead);
    audio.set(wide.subarray(lead, lead + to - from), from);
    have[block] = 1;
  };
  return {
    audio,
    reach(from, to) {
      for (let b = Math.max(0, Math.floor(from / DAMPED_BLOCK)); b < have.length && b * DAMPED_BLOCK < to; b++) if (!have[b]) work(b);
    },
    waiting: (gain) => Array.from(have.keys()).filter((b) => !have[b] && gain.subarray(b * DAMPED_BLOCK, (b + 1) * DAMPED_BLOCK).some((g) => g > 0)).map((b) => b * DAMPED_BLOCK),
  };
}
