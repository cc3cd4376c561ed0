/** Queries on recordings. */
import { FreshGapError } from '../../core/errors';
import type { Sql, Tx } from '../db';
import { dropUnusedAudio } from './audio';

export interface RecordingRow {
  id: string;
  name: string;
  sampleRate: number | null;
  frames: number;
  isDemo: boolean;
  createdAt: string;
}

export interface RecordingListRow extends RecordingRow {
  micCount: number;
  /** Mics that a plan does not leave as they are; see isUntouched. */
  treatedCount: number;
}

const UUID = /^[0-9a-f]{8}-([0-9a-f]{4}-){3}[0-9a-f]{12}$/i;

/** Throws NOT_FOUND for anything that cannot be an id, before it reaches the database. */
export function checkId(id: string): string {
  if (!UUID.test(id)) throw new FreshGapError('NOT_FOUND', 'There is nothing with this id.');
  return id;
}

const columns = (sql: Sql | Tx) => sql`r.id, r.name, r.sample_rate as "sampleRate", r.frames, r.is_demo as "isDemo", r.created_at as "createdAt"`;

export async function listRecordings(sql: Sql): Promise<RecordingListRow[]> {
  return sql<RecordingListRow[]>`
    select ${columns(sql)},
      (select count(*)::int from mic m where m.recording_id = r.id) as "micCount",
      (select count(*)::int from plan p, jsonb_each(p.doc -> 'mics') m
        where p.recording_id = r.id and (
          exists (select 1 from jsonb_each(m.value -> 'treatment') t where t.value ->> 'on' = 'true')
          or m.value #> '{treatment,gaps}' <> '{}' or m.value #> '{treatment,closings}' <> '{}')) as "treatedCount"
    from recording r order by r.created_at desc`;
}

export async function getRecording(sql: Sql | Tx, id: string): Promise<RecordingRow> {
  const [row] = await sql<RecordingRow[]>`select ${columns(sql)} from recording r where r.id = ${checkId(id)}`;
  if (!row) throw new FreshGapError('NOT_FOUND', 'There is no such recording.');
  return row;
}

/** The row, locked until the transaction ends: whatever changes a recording's files or plan takes this first. */
export async function lockRecording(tx: Tx, id: string): Promise<RecordingRow> {
  const [row] = await tx<RecordingRow[]>`select ${columns(tx)} from recording r where r.id = ${checkId(id)} for update`;
  if (!row) throw new FreshGapError('NOT_FOUND', 'There is no such recording.');
  return row;
}

export async function createRecording(sql: Sql, name: string, isDemo = false): Promise<string> {
  const [row] = await sql<{ id: string }[]>`insert into recording (name, is_demo) values (${name}, ${isDemo}) returning id`;
  return row.id;
}

export async function renameRecording(sql: Sql, id: string, name: string): Promise<void> {
  const rows = await sql`update recording set name = ${name} where id = ${checkId(id)} returning 1`;
  if (rows.length === 0) throw new FreshGapError('NOT_FOUND', 'There is no such recording.');
}

export async function deleteRecording(sql: Sql, id: string): Promise<void> {
  await sql.begin(async (tx) => {
    const rows = await tx`delete from recording where id = ${checkId(id)} returning 1`;
    if (rows.length === 0) throw new FreshGapError('NOT_FOUND', 'There is no such recording.');
    await dropUnusedAudio(tx);
  });
}

/** Takes rate and length from the files there are; no files leave no rate. */
export async function refreshExtent(tx: Tx, id: string): Promise<void> {
  await tx`
    update recording r set
      sample_rate = (select min(a.sample_rate) from source_file f join audio a on a.id = f.audio_id where f.recording_id = r.id),
      frames = coalesce((select max(a.frames) from source_file f join audio a on a.id = f.audio_id where f.recording_id = r.id), 0)
    where r.id = ${id}`;
}
