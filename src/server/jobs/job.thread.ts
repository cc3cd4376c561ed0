/**
 * One job in a worker thread of its own, with a database connection of its own: cancelling ends the thread, and the server rolls back
 * what was not committed. Talks to its runner by plain messages: progress out; the result or coded error as the return value.
 */
import type { MessagePort } from 'node:worker_threads';
import { type ErrorData, toErrorData } from '../../core/errors';
import { connect } from '../db';
import { keepChunks } from '../keptChunks';
import { getRecording } from '../sql/recordings';
import { runAnalysis } from './analysisJob';
import { type ImageInput, runDebleed, runImage } from './debleedJob';
import { type ExportInput, runExport } from './exportJob';
import { withRenderers } from './renderers';

export interface JobTask {
  kind: string;
  recordingId: string;
  input: unknown;
  url: string;
  port: MessagePort;
}

export type JobOutcome = { result: unknown } | { error: ErrorData };

/** Progress is told at most this often, and once more at each new note. */
const EVERY_MS = 200;

export default async function run(task: JobTask): Promise<JobOutcome> {
  const sql = connect(task.url, 2);
  // an export reads every mic once
  const done = task.kind === 'export' ? () => {} : keepChunks(sql);
  let last = 0;
  let lastNote = '';
  const report = async (done: number, note: string) => {
    const now = Date.now();
    if (now - last < EVERY_MS && note === lastNote) return;
    last = now;
    lastNote = note;
    task.port.postMessage({ done, note });
  };
  try {
    const recording = await getRecording(sql, task.recordingId);
    if (task.kind === 'export') return { result: await withRenderers(task.url, (render) => runExport(sql, task.recordingId, recording.name, task.input as ExportInput, report, render)) };
    if (task.kind === 'analysis') return { result: await runAnalysis(sql, task.recordingId, report) };
    if (task.kind === 'debleed') return { result: await runDebleed(sql, task.recordingId, report) };
    if (task.kind === 'image') return { result: await runImage(sql, task.recordingId, task.input as ImageInput, report) };
    throw new Error(`Unknown kind of job: ${task.kind}`);
  } catch (e) {
    return { error: toErrorData(e) };
  } finally {
    done();
    await sql.end({ timeout: 2 });
  }
}
