/** Reads stored audio anywhere, through the last chunk read: de-bleed asks for stretches that overlap. */
import type { MicReader } from '../core/render';
import { CHUNK_FRAMES } from './sql/audio';

/** `chunks` reads whole chunks only; frames before the start are not asked for. */
export function readAnywhere(chunks: MicReader): MicReader {
  const held = new Float32Array(CHUNK_FRAMES);
  let seq = -1;
  return {
    async read(atFrame, out) {
      for (let done = 0; done < out.length; ) {
        const frame = atFrame + done;
        const wanted = Math.floor(frame / CHUNK_FRAMES);
        if (wanted !== seq) {
          seq = -1;
          await chunks.read(wanted * CHUNK_FRAMES, held);
          seq = wanted;
        }
        const from = frame - wanted * CHUNK_FRAMES;
        const n = Math.min(out.length - done, CHUNK_FRAMES - from);
        out.set(held.subarray(from, from + n), done);
        done += n;
      }
    },
  };
}
