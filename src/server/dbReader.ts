/** Reads one channel of stored audio as float samples, a chunk at a time. */
import type { MicReader } from '../core/render';
import { decodeChannel } from '../formats/pcm';
import type { Sql } from './db';
import { chunkOf } from './keptChunks';
import { type AudioRow, CHUNK_FRAMES } from './sql/audio';
import type { FileRow } from './sql/files';

/** Reads must be whole chunks at multiples of a chunk, as the renderer makes them. */
export const dbReader = (sql: Sql, file: FileRow, channel: number): MicReader => audioReader(sql, { ...file, id: file.audioId }, channel);

export function audioReader(sql: Sql, file: Pick<AudioRow, 'id' | 'encoding' | 'channels' | 'frames'>, channel: number): MicReader {
  return {
    async read(atFrame, out) {
      if (atFrame % CHUNK_FRAMES !== 0 || out.length !== CHUNK_FRAMES) throw new Error('dbReader reads whole chunks.');
      const n = atFrame < file.frames ? decodeChannel(await chunkOf(sql, file.id, atFrame / CHUNK_FRAMES), file.encoding, file.channels, channel, out) : 0;
      out.fill(0, n);
    },
  };
}
