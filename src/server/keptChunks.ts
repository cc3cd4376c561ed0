/**
 * Chunks of stored audio for a job, which reads every mic six times and more: what has come from the database once lies in a file that
 * nobody else sees, and goes with the job.
 */
import { closeSync, existsSync, mkdtempSync, openSync, readSync, rmSync, writeSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Sql } from './db';
import { readChunk } from './sql/audio';

/** Where large files for a while belong: in the usual folder they may lie in memory. */
const FOLDER = '/var/tmp';

interface Kept {
  read(audioId: number, seq: number): Promise<Uint8Array>;
  close(): void;
}

/** `folder`: a file of its own is made there, which has no name as soon as it is open. */
function keepIn(sql: Sql, folder: string): Kept {
  const own = mkdtempSync(join(folder, 'fresh-gap-'));
  const file = openSync(join(own, 'chunks'), 'wx+', 0o600);
  rmSync(own, { recursive: true });
  const places = new Map<string, { at: number; length: number }>();
  let end = 0;
  let room = true;
  return {
    async read(audioId, seq) {
      const key = `${audioId}/${seq}`;
      const place = places.get(key);
      if (place) {
        const bytes = new Uint8Array(place.length);
        if (readSync(file, bytes, 0, place.length, place.at) === place.length) return bytes;
      }
      const bytes = await readChunk(sql, audioId, seq);
      if (room && !places.has(key)) {
        const at = end;
        end += bytes.length;
        try {
          if (writeSync(file, bytes, 0, bytes.length, at) < bytes.length) throw new Error('The disk is full.');
          places.set(key, { at, length: bytes.length });
        } catch {
          // the database has it
          room = false;
        }
      }
      return bytes;
    },
    close: () => closeSync(file),
  };
}

const kept = new WeakMap<Sql, Kept>();

/** From here on, `chunkOf` keeps what it reads through `sql`, until what is returned is called. Where no file can be made, it keeps nothing. */
export function keepChunks(sql: Sql, folder = existsSync(FOLDER) ? FOLDER : tmpdir()): () => void {
  let mine: Kept;
  try {
    mine = keepIn(sql, folder);
  } catch {
    return () => {};
  }
  kept.set(sql, mine);
  return () => {
    kept.delete(sql);
    mine.close();
  };
}

/** As readChunk, from what is kept where it is. */
export const chunkOf = (sql: Sql, audioId: number, seq: number): Promise<Uint8Array> => kept.get(sql)?.read(audioId, seq) ?? readChunk(sql, audioId, seq);
