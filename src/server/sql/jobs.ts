/**
 * The job table as a queue: claimed with `for update skip locked`, leased, and fenced by attempt: a worker that lost its lease can
 * write nothing any more, whatever it still does.
 */
import { FreshGapError, type ErrorData } from '../../core/errors';
import type { Sql } from '../db';
import { notify } from '../events';
import { checkId } from './recordings';

export type JobState = 'queued' | 'running' | 'done' | 'failed' | 'cancelled';

export interface JobRow {
  id: string;
  recordingId: string;
  kind: string;
  input: unknown;
  state: JobState;
  attempt: number;
  progress: number;
  note: string;
  result: unknown;
  error: ErrorData | null;
  createdAt: string;
}

const LEASE_S = 20;
const MAX_ATTEMPTS = 3;

const columns = (sql: Sql) =>
  sql`id, recording_id as "recordingId", kind, input, state, attempt, progress, note, result, error, created_at as "createdAt"`;

const tell = (sql: Sql, j: JobRow) =>
  notify(sql, { kind: 'job', recordingId: j.recordingId, jobId: j.id, job: j.kind, state: j.state, progress: j.progress, note: j.note });

export async function addJob(sql: Sql, recordingId: string, kind: string, input: unknown): Promise<JobRow> {
  const [job] = await sql<JobRow[]>`
    insert into job (recording_id, kind, input) values (${checkId(recordingId)}, ${kind}, ${sql.json(input as never)}) returning ${columns(sql)}`;
  await notify(sql, { kind: 'queued', recordingId });
  return job;
}

export async function getJob(sql: Sql, id: string): Promise<JobRow> {
  const [job] = await sql<JobRow[]>`select ${columns(sql)} from job where id = ${checkId(id)}`;
  if (!job) throw new FreshGapError('NOT_FOUND', 'There is no such job.');
  return job;
}

export async function listJobs(sql: Sql, recordingId: string, kind: string): Promise<JobRow[]> {
  return sql<JobRow[]>`select ${columns(sql)} from job where recording_id = ${checkId(recordingId)} and kind = ${kind} order by created_at desc limit 8`;
}

/** The oldest job that waits, or whose worker's lease ran out; null where there is none. */
export async function claimJob(sql: Sql, kinds: readonly string[]): Promise<JobRow | null> {
  const lost = await sql<JobRow[]>`
    update job set state = 'failed', updated_at = now(), error = ${sql.json({ code: 'JOB_LOST', message: `Interrupted ${MAX_ATTEMPTS} times.` })}
    where state = 'running' and lease_until < now() and attempt >= ${MAX_ATTEMPTS} returning ${columns(sql)}`;
  for (const j of lost) await tell(sql, j);
  const [job] = await sql<JobRow[]>`
    update job set state = 'running', attempt = attempt + 1, lease_until = now() + make_interval(secs => ${LEASE_S}), updated_at = now()
    where id = (
      select id from job
      where kind = any(${kinds as string[]}) and (state = 'queued' or (state = 'running' and lease_until < now()))
      order by created_at limit 1 for update skip locked)
    returning ${columns(sql)}`;
  if (job) await tell(sql, job);
  return job ?? null;
}

/** Renews the lease and tells the progress; false where the job is no longer this worker's (cancelled, or claimed by another). */
export async function reportJob(sql: Sql, id: string, attempt: number, progress: number, note: string): Promise<boolean> {
  const [job] = await sql<JobRow[]>`
    update job set progress = ${progress}, note = ${note}, lease_until = now() + make_interval(secs => ${LEASE_S}), updated_at = now()
    where id = ${id} and attempt = ${attempt} and state = 'running' returning ${columns(sql)}`;
  if (job) await tell(sql, job);
  return job !== undefined;
}

export async function finishJob(sql: Sql, id: string, attempt: number, end: { result: unknown } | { error: ErrorData }): Promise<boolean> {
  const ok = 'result' in end;
  const [job] = await sql<JobRow[]>`
    update job set state = ${ok ? 'done' : 'failed'}, progress = ${ok ? 1 : 0}, note = '', updated_at = now(),
      result = ${ok ? sql.json(end.result as never) : null}, error = ${ok ? null : sql.json(end.error as never)}
    where id = ${id} and attempt = ${attempt} and state = 'running' returning ${columns(sql)}`;
  if (job) await tell(sql, job);
  return job !== undefined;
}

/** Cancels a job that is not over; over ones stay as they are. */
export async function cancelJob(sql: Sql, id: string): Promise<JobRow> {
  const [job] = await sql<JobRow[]>`
    update job set state = 'cancelled', updated_at = now() where id = ${checkId(id)} and state in ('queued', 'running') returning ${columns(sql)}`;
  if (job) await tell(sql, job);
  return job ?? getJob(sql, id);
}

/** Gives running jobs of a worker that stops in good order back to the queue, without waiting for their leases. */
export async function releaseJob(sql: Sql, id: string, attempt: number): Promise<void> {
  await sql`update job set state = 'queued', attempt = attempt - 1 where id = ${id} and attempt = ${attempt} and state = 'running'`;
}
