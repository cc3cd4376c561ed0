/** Where mics are digitally silent: where they were cut, or nothing was recorded. */
import type { MicReader } from '../render';

/** A stretch of silence, in frames. */
export interface Silence {
  readonly from: number;
  readonly to: number;
}

/** Under this no converter and no preamp is, but 24 bits with dither are. */
const SILENT = 1e-6;
/** Shorter silence is none, seconds. */
const LEAST_S = 0.01;
/** Readers of stored audio want whole chunks. */
export const READ = 65536;

/**
 * Adds to `list` the silences of `least` samples and more that end in a block of `n` samples, whose first is at `at` in the recording. `first`: where in the block, or before it, the silence begins that
 * may reach into it; gives the same for what follows the block. Only every `least`-th sample is looked at where there is sound.
 */
export function silencesOf(block: Float32Array, n: number, at: number, first: number, least: number, list: Silence[]): number {
  const silent = (i: number) => Math.abs(block[i]) < SILENT;
  /** The last that is not silent up to `i`; -1 where from the silence's beginning all are. */
  const soundBefore = (i: number) => {
    let k = i;
    while (k >= 0 && k >= first && silent(k)) k--;
    return k >= first ? k : -1;
  };
  for (let probe = first + least - 1; probe < n; probe = first + least - 1) {
    const sound = soundBefore(probe);
    let end = Math.max(0, probe);
    if (sound >= 0) first = sound + 1;
    else {
      while (end < n && silent(end)) end++;
      if (end === n) return first;
      if (end - first >= least) list.push({ from: at + first, to: at + end });
      first = end + 1;
    }
  }
  const sound = soundBefore(n - 1);
  return sound >= 0 ? sound + 1 : first;
}

/** Silences of a file: those that ended, and where the one begins that lasts to its end; the file's end where it sounds there. In frames, in order of time. */
export interface FileSilences {
  readonly ended: readonly Silence[];
  readonly last: number;
}

const leastAt = (rate: number): number => Math.ceil(LEAST_S * rate);

/** Finds the silences of a file that comes block by block, `rate` in Hz. */
export function createSilenceFinder(rate: number): { add(block: Float32Array, n: number): void; found(): FileSilences } {
  const ended: Silence[] = [];
  const least = leastAt(rate);
  let [at, last] = [0, 0];
  return {
    add(block, n) {
      last = at + silencesOf(block, n, at, last - at, least, ended);
      at += n;
    },
    found: () => ({ ended, last }),
  };
}

/** Silences of a mic, and how long they are together, frames. */
export interface MicSilences {
  readonly list: readonly Silence[];
  readonly total: number;
}

/** Of a mic in a recording of so many `frames`: silence follows where its file is shorter. */
export function silencesUpTo({ ended, last }: FileSilences, frames: number, rate: number): MicSilences {
  const list = frames - last >= leastAt(rate) ? [...ended, { from: last, to: frames }] : ended;
  return { list, total: list.reduce((n, s) => n + s.to - s.from, 0) };
}

/** Silences of a mic that is read from beginning to end. */
export async function silencesIn(reader: MicReader, frames: number, rate: number): Promise<MicSilences> {
  const finder = createSilenceFinder(rate);
  const block = new Float32Array(READ);
  for (let at = 0; at < frames; at += READ) {
    await reader.read(at, block);
    finder.add(block, Math.min(READ, frames - at));
  }
  return silencesUpTo(finder.found(), frames, rate);
}
