/**
 * Takes jobs from the table and runs them in worker threads, one a core. Wakes up when one is queued, and every few seconds for those
 * whose worker died elsewhere.
 */
import { availableParallelism } from 'node:os';
import { MessageChannel } from 'node:worker_threads';
import Piscina from 'piscina';
import { endThreadsSafely } from '../../node/threads';
import { toErrorData } from '../../core/errors';
import type { Sql } from '../db';
import { subscribe } from '../events';
import { type JobRow, claimJob, finishJob, releaseJob, reportJob } from '../sql/jobs';
import type { JobOutcome, JobTask } from './job.thread';

const KINDS = ['export', 'analysis', 'debleed', 'image'];
const POLL_MS = 5000;
const RENEW_MS = 5000;

export interface Runner {
  stop(): Promise<void>;
}

/** `threadFile` is the bundled job.thread. */
export async function startRunner(sql: Sql, url: string, threadFile: string): Promise<Runner> {
  const threads = Math.max(1, Math.min(4, availableParallelism()));
  endThreadsSafely();
  const pool = new Piscina({ filename: threadFile, minThreads: 0, maxThreads: threads, idleTimeout: 10_000 });
  const running = new Map<string, { abort: AbortController; attempt: number }>();
  let stopped = false;
  let waking = false;
  let again = false;

  async function work(job: JobRow) {
    const abort = new AbortController();
    running.set(job.id, { abort, attempt: job.attempt });
    const { port1, port2 } = new MessageChannel();
    let progress = job.progress;
    let note = '';
    const tell = async () => {
      if (!(await reportJob(sql, job.id, job.attempt, progress, note).catch(() => true))) abort.abort();
    };
    port1.on('message', (m: { done: number; note: string }) => {
      progress = m.done;
      note = m.note;
      void tell();
    });
    const renew = setInterval(tell, RENEW_MS);
    try {
      const task: JobTask = { kind: job.kind, recordingId: job.recordingId, input: job.input, url, port: port2 };
      const outcome = (await pool.run(task, { transferList: [port2], signal: abort.signal })) as JobOutcome;
      await finishJob(sql, job.id, job.attempt, outcome);
    } catch (e) {
      if (!abort.signal.aborted) await finishJob(sql, job.id, job.attempt, { error: toErrorData(e) }).catch(() => {});
    } finally {
      clearInterval(renew);
      port1.close();
      running.delete(job.id);
      void wake();
    }
  }

  async function wake() {
    if (stopped) return;
    if (waking) {
      again = true;
      return;
    }
    waking = true;
    try {
      do {
        again = false;
        while (running.size < threads) {
          const job = await claimJob(sql, KINDS);
          if (!job) break;
          void work(job);
        }
      } while (again);
    } catch (e) {
      console.error('Could not look for jobs:', e instanceof Error ? e.message : e);
    } finally {
      waking = false;
    }
  }

  const off = await subscribe((n) => {
    if (n.kind === 'queued') void wake();
    if (n.kind === 'job' && n.state === 'cancelled') running.get(n.jobId)?.abort.abort();
  });
  const poll = setInterval(wake, POLL_MS);
  void wake();
  return {
    async stop() {
      stopped = true;
      off();
      clearInterval(poll);
      for (const [id, r] of running) await releaseJob(sql, id, r.attempt).catch(() => {});
      for (const r of running.values()) r.abort.abort();
      await pool.destroy();
    },
  };
}
