/** A worker without pages: takes jobs from the database that DATABASE_URL names, beside the server and other workers, on this machine or another. Started by scripts/worker.mjs. */
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { closeDb, db } from './db';
import { startRunner } from './jobs/runner';

async function main() {
  const url = process.env.DATABASE_URL;
  if (!url) throw new Error('DATABASE_URL is not set: a worker needs the database of a server.');
  const sql = db();
  const [{ known }] = await sql<{ known: boolean }[]>`select to_regclass('debled_mic') is not null as known`;
  if (!known) throw new Error('The database is not that of this version: start the server once first.');
  const runner = await startRunner(sql, url, join(dirname(fileURLToPath(import.meta.url)), 'job.thread.mjs'));
  console.log('Worker is ready.');
  process.send?.({ ready: true });
  let stopping = false;
  const stop = async () => {
    if (stopping) return;
    stopping = true;
    await runner.stop();
    await closeDb();
    process.exit(0);
  };
  process.on('SIGINT', () => void stop());
  process.on('SIGTERM', () => void stop());
}

main().catch((e) => {
  console.error(e instanceof Error ? e.message : e);
  process.exit(1);
});
