/** Puts the demo recording into an empty database, by the very import that files of one's own go through. */
import { Worker } from 'node:worker_threads';
import { endThreadsSafely } from '../node/threads';
import { DEMO_NAME } from '../demo/demoRecording';
import type { Sql } from './db';
import { startAnalysis } from './analysis';
import { importFile } from './importFile';
import { createRecording, deleteRecording } from './sql/recordings';

/** Does nothing where the demo is there whole; one that was interrupted is made again. A deleted demo comes back at the next start. */
export async function loadDemo(sql: Sql, threadFile: string): Promise<void> {
  const [seen] = await sql<{ id: string; files: number }[]>`
    select r.id, (select count(*)::int from source_file f where f.recording_id = r.id) as files from recording r where r.is_demo`;
  if (seen && seen.files >= 11) return;
  if (seen) await deleteRecording(sql, seen.id);
  console.log('Making the demo recording (half a minute, only the first time) ...');
  const files: { file: string; bytes: Uint8Array }[] = [];
  endThreadsSafely();
  await new Promise<void>((resolve, reject) => {
    const worker = new Worker(threadFile);
    worker.on('message', (m: { file?: string; bytes?: Uint8Array }) => {
      if (m.file && m.bytes) files.push({ file: m.file, bytes: m.bytes });
    });
    worker.on('error', reject);
    worker.on('exit', (code) => (code === 0 ? resolve() : reject(new Error(`The demo could not be made (exit ${code}).`))));
  });
  const id = await createRecording(sql, DEMO_NAME, true);
  for (const f of files) {
    await importFile(
      sql,
      id,
      f.file,
      (async function* () {
        for (let at = 0; at < f.bytes.length; at += 1 << 20) yield f.bytes.subarray(at, at + (1 << 20));
      })(),
    );
  }
  await startAnalysis(sql, id);
}
