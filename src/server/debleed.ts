/** The state of a recording's de-bleed for its pages, and how it is started. */
import type { Sql } from './db';
import { type ImageInput, debleedKey } from './jobs/debleedJob';
import { listDebled } from './sql/debled';
import { listFiles } from './sql/files';
import { type JobRow, addJob, listJobs } from './sql/jobs';
import { getPlan } from './sql/plans';

export interface DebleedView {
  /** The newest job, running or over; null before the first. */
  job: JobRow | null;
  /** Whether what is stored belongs to the files and roles as they are now. */
  fresh: boolean;
  /** Whether the newest hits are those that de-bleed found again, whatever tries were stopped or failed since. */
  heard: boolean;
  /** Images that are waited for, and those whose newest try failed. */
  images: JobRow[];
}

export async function loadDebleed(sql: Sql, recordingId: string): Promise<DebleedView> {
  const [jobs, analyses, images, mics, state, files] = await Promise.all([
    listJobs(sql, recordingId, 'debleed'), listJobs(sql, recordingId, 'analysis'), listJobs(sql, recordingId, 'image'), listDebled(sql, recordingId), getPlan(sql, recordingId), listFiles(sql, recordingId),
  ]);
  const fresh = mics.length > 0 && state !== null && mics[0].key === debleedKey(state.plan, files);
  const newest = (list: readonly JobRow[]) => new Date(list.find((j) => j.state === 'done')?.createdAt ?? 0).getTime();
  return { job: jobs[0] ?? null, images: newestOfEach(images).filter((j) => isOpen(j) || j.state === 'failed'), fresh, heard: fresh && newest(jobs) > newest(analyses) };
}

const isOpen = (j: JobRow) => j.state === 'queued' || j.state === 'running';

/** Of jobs, the newest first, the first of every mic and source. */
function newestOfEach(jobs: readonly JobRow[]): JobRow[] {
  const seen = new Set<string>();
  return jobs.filter((j) => {
    const { micId, source } = j.input as ImageInput;
    const key = `${micId}/${source}`;
    const first = !seen.has(key);
    seen.add(key);
    return first;
  });
}

/** Starts the computing of an image of a drum in a mic, or returns the job that waits or runs for it. */
export async function startImage(sql: Sql, recordingId: string, input: ImageInput): Promise<JobRow> {
  const same = (await listJobs(sql, recordingId, 'image')).find((j) => isOpen(j) && (j.input as ImageInput).micId === input.micId && (j.input as ImageInput).source === input.source);
  return same ?? addJob(sql, recordingId, 'image', input);
}

/** Starts de-bleed, or returns the job that waits or runs. */
export async function startDebleed(sql: Sql, recordingId: string): Promise<JobRow> {
  const [newest] = await listJobs(sql, recordingId, 'debleed');
  if (newest && isOpen(newest)) return newest;
  return addJob(sql, recordingId, 'debleed', {});
}
