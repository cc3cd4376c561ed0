/** Makes cleaned files of an export, a file a task; frames done go to the task's port. */
import type { MessagePort } from 'node:worker_threads';
import { type ErrorData, toErrorData } from '../../core/errors';
import { connect } from '../db';
import type { RenderRow } from '../sql/renders';
import { type RenderTask, renderFile } from './renderFile';

export interface RenderThreadTask {
  readonly task: RenderTask;
  readonly url: string;
  readonly port: MessagePort;
}

/** Coded errors lose their code on the way out of a thread. */
export type Rendered = { readonly row: RenderRow } | { readonly error: ErrorData };

export default async function run({ task, url, port }: RenderThreadTask): Promise<Rendered> {
  // one connection writes, the other reads
  const sql = connect(url, 2);
  try {
    return { row: await renderFile(sql, task, (frames) => port.postMessage(frames)) };
  } catch (e) {
    return { error: toErrorData(e) };
  } finally {
    port.close();
    await sql.end({ timeout: 2 });
  }
}
