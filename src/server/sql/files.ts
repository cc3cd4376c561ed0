/** Queries on the source files of a recording and the mics they hold. */
import type { Encoding } from '../../formats/pcm';
import type { Sql, Tx } from '../db';

export interface FileRow {
  id: number;
  name: string;
  position: number;
  audioId: number;
  content: string;
  encoding: Encoding;
  channels: number;
  sampleRate: number;
  frames: number;
  bytesPerFrame: number;
}

export interface MicRow {
  id: string;
  fileId: number;
  channel: number;
}

export async function listFiles(sql: Sql | Tx, recordingId: string): Promise<FileRow[]> {
  return sql<FileRow[]>`
    select f.id, f.name, f.position, f.audio_id as "audioId", a.content, a.encoding, a.channels, a.sample_rate as "sampleRate", a.frames,
      a.bytes_per_frame as "bytesPerFrame"
    from source_file f join audio a on a.id = f.audio_id
    where f.recording_id = ${recordingId} order by f.position, f.id`;
}

export async function listMics(sql: Sql | Tx, recordingId: string): Promise<MicRow[]> {
  return sql<MicRow[]>`
    select m.id, m.file_id as "fileId", m.channel from mic m join source_file f on f.id = m.file_id
    where m.recording_id = ${recordingId} order by f.position, f.id, m.channel`;
}

/** Bytes that stood around the audio, and the chunks to keep. */
export async function fileEdges(sql: Sql, fileId: number): Promise<{ head: Uint8Array; tail: Uint8Array; extras: Uint8Array }> {
  const [row] = await sql<{ head: Buffer; tail: Buffer; extras: Buffer }[]>`select head, tail, extras from source_file where id = ${fileId}`;
  return row;
}

export async function hasFile(sql: Sql | Tx, recordingId: string, name: string): Promise<boolean> {
  return (await sql`select 1 from source_file where recording_id = ${recordingId} and name = ${name}`).length > 0;
}
