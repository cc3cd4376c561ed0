/** Fetches audio blocks and peaks by content; the browser's cache keeps them (they never change). */
import { BLOCK_FRAMES } from './protocol';

export interface MicAudio {
  content: string;
  channel: number;
  frames: number;
}

async function floats(url: string, signal?: AbortSignal): Promise<Float32Array> {
  const res = await fetch(url, { signal });
  if (!res.ok) throw new Error(`${url}: ${res.status}`);
  return new Float32Array(await res.arrayBuffer());
}

/** Audio that is another with one stretch of its own laid over it, known to this thread only. */
export interface Overlay {
  content: string;
  base: MicAudio;
  from: number;
  samples: Float32Array;
}
const overlays = new Map<string, Overlay>();
/** From now on blocks of `o.content` come from its base, with its samples in their place. */
export const layOver = (o: Overlay): void => void overlays.set(o.content, o);
export const overlaid = (): readonly Overlay[] => [...overlays.values()];

/** Samples of `count` blocks from `seq` on (65,536 frames each; the last of the audio is shorter, and none follow it). Many at once come twice as fast as one by one. */
export async function fetchBlocks(a: MicAudio, seq: number, count: number, signal?: AbortSignal): Promise<Float32Array> {
  const over = overlays.get(a.content);
  if (!over) return floats(`/bulk/pcm/${a.content}/${a.channel}/${seq}${count > 1 ? `/${count}` : ''}`, signal);
  const blocks = await fetchBlocks(over.base, seq, count, signal);
  const start = seq * BLOCK_FRAMES;
  const [from, to] = [Math.max(start, over.from), Math.min(start + blocks.length, over.from + over.samples.length)];
  if (to > from) blocks.set(over.samples.subarray(from - over.from, to - over.from), from - start);
  return blocks;
}

/** Samples of block `seq`. */
export const fetchBlock = (a: MicAudio, seq: number, signal?: AbortSignal): Promise<Float32Array> => fetchBlocks(a, seq, 1, signal);

/** Min/max pairs of a level of the peak pyramid. */
export const fetchPeaks = (a: MicAudio, level: number): Promise<Float32Array> => floats(`/bulk/peaks/${a.content}/${a.channel}/${level}`);

export const blockCount = (a: MicAudio): number => Math.ceil(a.frames / BLOCK_FRAMES);
