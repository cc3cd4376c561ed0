/**
 * Queries on audio and its chunks. Chunks are written by one binary COPY a file (measured twice as fast as inserts) and read by key.
 */
import type { Writable } from 'node:stream';
import { FreshGapError } from '../../core/errors';
import { decodeHex } from '../../core/kernels/pcmKernels';
import type { FileSilences } from '../../core/spill/silences';
import type { Encoding } from '../../formats/pcm';
import type { Sql, Tx } from '../db';

export const CHUNK_FRAMES = 65536;

export interface AudioRow {
  id: number;
  content: string;
  encoding: Encoding;
  channels: number;
  sampleRate: number;
  frames: number;
  bytesPerFrame: number;
}

export const int8 = (n: number): Buffer => {
  const b = Buffer.alloc(8);
  b.writeBigInt64BE(BigInt(n));
  return b;
};
export const int4 = (n: number): Buffer => {
  const b = Buffer.alloc(4);
  b.writeInt32BE(n);
  return b;
};

/** Writes one row; `fields` are the encoded columns in order. Waits while the server is busy. */
export type PutRow = (fields: readonly Uint8Array[]) => Promise<void>;

/**
 * Feeds a `COPY ... FROM STDIN (FORMAT binary)` stream with the rows that `work` puts. Where `work` throws, the copy is called off, so
 * that the transaction can be rolled back: a connection in the middle of a copy takes no other command.
 */
export async function copyRows<T>(stream: Writable, work: (put: PutRow) => Promise<T>): Promise<T> {
  let failed: unknown = null;
  stream.on('error', (e) => {
    failed = e;
  });
  const room = () =>
    new Promise<void>((resolve) => {
      const go = () => {
        stream.off('drain', go);
        stream.off('close', go);
        resolve();
      };
      stream.on('drain', go);
      stream.on('close', go);
    });
  const write = async (b: Uint8Array) => {
    if (failed) throw failed;
    if (!stream.write(b)) await room();
    if (failed) throw failed;
  };
  try {
    await write(Buffer.concat([Buffer.from('PGCOPY\n\xff\r\n\0', 'latin1'), int4(0), int4(0)]));
    const result = await work(async (fields) => {
      const count = Buffer.alloc(2);
      count.writeInt16BE(fields.length);
      await write(Buffer.concat([count, ...fields.flatMap((f) => [int4(f.length), f])]));
    });
    const done = new Promise<void>((resolve, reject) => {
      stream.once('finish', () => resolve());
      stream.once('error', reject);
    });
    stream.end(Buffer.from([0xff, 0xff]));
    await done;
    return result;
  } catch (e) {
    stream.destroy(e instanceof Error ? e : new Error(String(e)));
    throw e;
  }
}

export async function findAudio(sql: Sql | Tx, content: string): Promise<AudioRow> {
  const [row] = await sql<AudioRow[]>`
    select id, content, encoding, channels, sample_rate as "sampleRate", frames, bytes_per_frame as "bytesPerFrame"
    from audio where content = ${content}`;
  if (!row) throw new FreshGapError('NOT_FOUND', 'There is no such audio.');
  return row;
}

/**
 * Interleaved bytes of chunk `seq`; empty past the end. The driver has bytea come as text: taken as it comes and decoded by our kernel, a
 * chunk takes half as long.
 */
export async function readChunk(sql: Sql | Tx, audioId: number, seq: number): Promise<Uint8Array> {
  const [row] = await sql`select data from audio_chunk where audio_id = ${audioId} and seq = ${seq}`.raw();
  return row ? fromBytea(row[0]) : new Uint8Array(0);
}

/** Bytes of a bytea in the output format that is usual, hex. */
function fromBytea(text: Buffer): Uint8Array {
  if (text[0] !== 0x5c || text[1] !== 0x78) throw new Error('The database is set to tell bytea in another format than hex.');
  return decodeHex(text.subarray(2));
}

export async function putSilences(tx: Tx, audioId: number, channel: number, { ended, last }: FileSilences): Promise<void> {
  await tx`insert into audio_silence (audio_id, channel, ended, last) values (${audioId}, ${channel}, ${tx.json(ended.map((s) => [s.from, s.to]))}, ${last})`;
}

/** Null for audio that was taken in before they were looked for. */
export async function readSilences(sql: Sql, audioId: number, channel: number): Promise<FileSilences | null> {
  const [row] = await sql<{ ended: [number, number][]; last: number }[]>`select ended, last from audio_silence where audio_id = ${audioId} and channel = ${channel}`;
  return row ? { ended: row.ended.map(([from, to]) => ({ from, to })), last: row.last } : null;
}

/** Min/max pairs as float32 bytes. Throws NOT_FOUND. */
export async function readPeaks(sql: Sql, content: string, channel: number, level: number): Promise<Uint8Array> {
  const [row] = await sql<{ data: Buffer }[]>`
    select p.data from peak p join audio a on a.id = p.audio_id where a.content = ${content} and p.channel = ${channel} and p.level = ${level}`;
  if (!row) throw new FreshGapError('NOT_FOUND', 'There are no such peaks.');
  return row.data;
}

/** Audio that no file and no de-bled mic uses any more. */
export async function dropUnusedAudio(tx: Tx): Promise<void> {
  await tx`
    delete from audio a where a.content not like 'pending-%'
      and not exists (select 1 from source_file f where f.audio_id = a.id) and not exists (select 1 from debled_mic d where d.audio_id = a.id)
      and not exists (select 1 from drum_image i where i.audio_id = a.id)`;
}
