/** The state of a recording's analysis for its pages, and how one is started. */
import type { Ring } from '../core/clean/ring';
import type { SpillRow } from '../core/spill/spillMap';
import type { Sql } from './db';
import { analysisKey } from './jobs/analysisJob';
import { analysisOf } from './sql/analyses';
import { listFiles } from './sql/files';
import { type JobRow, addJob, listJobs } from './sql/jobs';
import { getPlan } from './sql/plans';

export interface AnalysisView {
  /** The newest job, running or over; null before the first. */
  job: JobRow | null;
  /** Whether the result belongs to the files and roles as they are now. */
  fresh: boolean;
  spill: readonly SpillRow[];
  /** How its drum rings in each raw mic, in the order of the mics; null for those without one. */
  rings: readonly (Ring | null)[];
  bandsHz: readonly number[];
  notes: readonly string[];
}

export async function loadAnalysis(sql: Sql, recordingId: string): Promise<AnalysisView> {
  const [jobs, found, state, files] = await Promise.all([listJobs(sql, recordingId, 'analysis'), analysisOf(sql, recordingId), getPlan(sql, recordingId), listFiles(sql, recordingId)]);
  return {
    job: jobs[0] ?? null,
    fresh: found !== null && state !== null && found.key === analysisKey(state.plan, files),
    spill: found?.result.spill ?? [],
    rings: found?.result.rings ?? [],
    bandsHz: found?.result.bandsHz ?? [],
    notes: found?.result.notes ?? [],
  };
}

/** Starts an analysis, or returns the one that waits; one that runs may have begun before the newest files came. */
export async function startAnalysis(sql: Sql, recordingId: string): Promise<JobRow> {
  const [newest] = await listJobs(sql, recordingId, 'analysis');
  if (newest && newest.state === 'queued') return newest;
  return addJob(sql, recordingId, 'analysis', {});
}
