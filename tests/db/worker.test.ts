import { type ChildProcess, fork } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { micWav } from '../../src/demo/writeRecording';
import { importFile } from '../../src/server/importFile';
import { runAnalysis } from '../../src/server/jobs/analysisJob';
import { addJob, getJob } from '../../src/server/sql/jobs';
import { listDebled } from '../../src/server/sql/debled';
import { createRecording } from '../../src/server/sql/recordings';
import { type TestDatabase, createDatabase } from '../support/database';
import { THREAD } from '../support/hand';
import { shortRecording } from '../support/madeKit';
import { pieces } from '../support/wavs';

const WORKER = fileURLToPath(new URL('../../dist/node/worker.mjs', import.meta.url));
let db: TestDatabase;
let id: string;
const started: ChildProcess[] = [];
beforeAll(async () => {
  db = await createDatabase();
  id = await createRecording(db.sql, 'workers');
  const r = shortRecording({ seconds: 5, roles: ['kick-in', 'snare-top', 'overhead-left'] });
  for (const [i, m] of r.mics.entries()) await importFile(db.sql, id, m.file, pieces(micWav(r.audio[i], r.rate, m.file), 1 << 20));
  await runAnalysis(db.sql, id, async () => {}, THREAD);
}, 120_000);
afterAll(async () => {
  for (const w of started) w.kill('SIGKILL');
  await db.drop();
});

function worker(env: Record<string, string>): Promise<ChildProcess> {
  const w = fork(WORKER, { env: { ...process.env, ...env }, stdio: ['ignore', 'ignore', 'ignore', 'ipc'] });
  started.push(w);
  return new Promise((resolve, reject) => {
    w.once('message', () => resolve(w));
    w.once('exit', (code) => reject(new Error(`The worker ended with ${code}.`)));
  });
}

async function until(what: () => Promise<boolean>, seconds: number) {
  const end = Date.now() + 1000 * seconds;
  while (!(await what())) {
    if (Date.now() > end) throw new Error('It did not happen in time.');
    await new Promise((done) => setTimeout(done, 100));
  }
}

describe('workers of their own', () => {
  it('say what they miss', async () => {
    await expect(worker({ DATABASE_URL: '' })).rejects.toThrow('The worker ended with 1.');
  });

  it('take over a job whose worker died in the middle', async () => {
    const first = await worker({ DATABASE_URL: db.url });
    const job = await addJob(db.sql, id, 'debleed', {});
    await until(async () => (await getJob(db.sql, job.id)).state === 'running', 20);
    const second = await worker({ DATABASE_URL: db.url });
    first.kill('SIGKILL');
    expect(await listDebled(db.sql, id)).toEqual([]);
    await until(async () => (await getJob(db.sql, job.id)).state === 'done', 100);
    expect((await getJob(db.sql, job.id)).attempt).toBe(2);
    expect(await listDebled(db.sql, id)).toHaveLength(2);
    // a worker that is told to stop gives its jobs back and ends
    const gone = new Promise((done) => second.once('exit', done));
    second.kill('SIGTERM');
    expect(await gone).toBe(0);
  }, 180_000);
});
