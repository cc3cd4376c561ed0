/** Queries on analyses: what was found in a recording, kept by a hash of what it was found in. */
import type { Analysis } from '../../core/hits/analyse';
import type { Sql } from '../db';
import { checkId } from './recordings';

export async function findAnalysis(sql: Sql, key: string): Promise<Analysis | null> {
  const [row] = await sql<{ result: Analysis }[]>`update analysis set used_at = now() where key = ${key} returning result`;
  return row?.result ?? null;
}

/** The newest analysis of a recording, with its key; null before the first. */
export async function analysisOf(sql: Sql, recordingId: string): Promise<{ key: string; result: Analysis } | null> {
  const [row] = await sql<{ key: string; result: Analysis }[]>`
    select a.key, a.result from recording_analysis r join analysis a on a.key = r.key where r.recording_id = ${checkId(recordingId)}`;
  return row ?? null;
}

export async function storeAnalysis(sql: Sql, recordingId: string, key: string, result: Analysis): Promise<void> {
  await sql.begin(async (tx) => {
    await tx`insert into analysis (key, result) values (${key}, ${tx.json(result as never)}) on conflict (key) do nothing`;
    await tx`insert into recording_analysis (recording_id, key) values (${checkId(recordingId)}, ${key}) on conflict (recording_id) do update set key = excluded.key`;
  });
}
