/**
 * The analysis job: finds the hits and the spill map of a recording, keeps them under a hash of what they were made from, and puts the hits
 * into the plan as one edit that leaves alone what a person decided.
 */
import { createHash } from 'node:crypto';
import { FreshGapError } from '../../core/errors';
import { ANALYSIS_VERSION, type Analysis, analyse } from '../../core/hits/analyse';
import { lending } from '../../core/lend';
import { mergeAnalysis } from '../../core/plan/planHits';
import type { Plan } from '../../core/plan/plan';
import { cutNotes } from '../../core/spill/uncut';
import { handFile, withHands } from '../../node/hands';
import type { Sql } from '../db';
import { uncutOf } from '../micReaders';
import { findAnalysis, storeAnalysis } from '../sql/analyses';
import { type FileRow, listFiles } from '../sql/files';
import { getPlan } from '../sql/plans';
import { mergeIntoPlan } from './mergeIntoPlan';

/** Hash of what the analysis of a plan's mics rests on. */
export function analysisKey(plan: Plan, files: readonly FileRow[]): string {
  const mics = plan.order.map((id) => {
    const m = plan.mics[id];
    return [files.find((f) => f.name === m.file)?.content, m.channel, m.role];
  });
  return createHash('sha256').update(JSON.stringify([ANALYSIS_VERSION, plan.frames, mics])).digest('hex');
}

export interface AnalysisResult {
  hits: number;
  notes: readonly string[];
  cached: boolean;
}

/** `thread`: the bundled hand. */
export async function runAnalysis(sql: Sql, recordingId: string, report: (done: number, note: string) => Promise<void>, thread = handFile()): Promise<AnalysisResult> {
  const files = await listFiles(sql, recordingId);
  const state = await getPlan(sql, recordingId);
  if (!state || state.plan.order.length === 0) throw new FreshGapError('NOT_FOUND', 'The recording has no mics yet.');
  const { plan } = state;
  const key = analysisKey(plan, files);
  const known = await findAnalysis(sql, key);
  const result = known ?? (await analyseMics(sql, plan, files, report, thread));
  await storeAnalysis(sql, recordingId, key, result);
  await mergeIntoPlan(sql, recordingId, (now) => mergeAnalysis(now, result.drums, Object.fromEntries(plan.order.map((id, i) => [id, result.rings[i] ?? null]))), 'analysis');
  return { hits: Object.values(result.drums).reduce((n, l) => n + l.length, 0), notes: result.notes, cached: known !== null };
}

async function analyseMics(sql: Sql, plan: Plan, files: readonly FileRow[], report: (done: number, note: string) => Promise<void>, thread: string): Promise<Analysis> {
  const heard = await uncutOf(sql, plan, files, () => report(0, 'Listening to all mics'));
  const mics = plan.order.map((id) => plan.mics[id]);
  const names = mics.map((m) => m.name);
  const found = await withHands((hands) => analyse(plan.sampleRate, mics.map((m) => m.role), names, lending(heard.readers, plan.frames), (done) => report(done, 'Listening to all mics'), undefined, hands), undefined, thread);
  return { ...found, notes: [...cutNotes(names, heard, plan.frames), ...found.notes] };
}
