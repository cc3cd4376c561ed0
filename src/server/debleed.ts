/** The state of a recording's de-bleed for its pages, and how it is started. */
import type { Sql } from './db';
import { debleedKey } from './jobs/debleedJob';
import { listDebled } from './sql/debled';
import { listFiles } from './sql/files';
import { type JobRow, addJob, listJobs } from './sql/jobs';
import { getPlan } from './sql/plans';

export interface DebleedView {
  /** The newest job, running or over; null before the first. */
  job: JobRow | null;
  /** Whether what is stored belongs to the files and roles as they are now. */
  fresh: boolean;
}

export async function loadDebleed(sql: Sql, recordingId: string): Promise<DebleedView> {
  const [jobs, mics, state, files] = await Promise.all([listJobs(sql, recordingId, 'debleed'), listDebled(sql, recordingId), getPlan(sql, recordingId), listFiles(sql, recordingId)]);
  return { job: jobs[0] ?? null, fresh: mics.length > 0 && state !== null && mics[0].key === debleedKey(state.plan, files) };
}

/** Starts de-bleed, or returns the job that waits or runs. */
export async function startDebleed(sql: Sql, recordingId: string): Promise<JobRow> {
  const [newest] = await listJobs(sql, recordingId, 'debleed');
  if (newest && (newest.state === 'queued' || newest.state === 'running')) return newest;
  return addJob(sql, recordingId, 'debleed', {});
}
