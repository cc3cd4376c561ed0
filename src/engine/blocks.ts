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

/** Samples of block `seq` (65,536 frames; the last is shorter). */
export const fetchBlock = (a: MicAudio, seq: number, signal?: AbortSignal): Promise<Float32Array> => floats(`/bulk/pcm/${a.content}/${a.channel}/${seq}`, signal);

/** Min/max pairs of a level of the peak pyramid. */
export const fetchPeaks = (a: MicAudio, level: number): Promise<Float32Array> => floats(`/bulk/peaks/${a.content}/${a.channel}/${level}`);

export const blockCount = (a: MicAudio): number => Math.ceil(a.frames / BLOCK_FRAMES);
