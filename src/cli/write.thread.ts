/** Writes cleaned files, a file a task; frames done go to the task's port. */
import type { MessagePort } from 'node:worker_threads';
import { type ErrorData, toErrorData } from '../core/errors';
import { type WriteTask, writeCleaned } from './writeCleaned';

export interface ThreadTask {
  readonly task: WriteTask;
  readonly port: MessagePort;
}

/** Coded errors lose their code on the way out of a thread. */
export type Written = { readonly clipped: number } | { readonly error: ErrorData };

export default async function run({ task, port }: ThreadTask): Promise<Written> {
  try {
    return { clipped: await writeCleaned(task, (frames) => port.postMessage(frames)) };
  } catch (e) {
    return { error: toErrorData(e) };
  } finally {
    port.close();
  }
}
