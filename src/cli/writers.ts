/** Writes files in threads, one a core. */
import { availableParallelism } from 'node:os';
import { fileURLToPath } from 'node:url';
import { MessageChannel } from 'node:worker_threads';
import Piscina from 'piscina';
import { FreshGapError } from '../core/errors';
import { endThreadsSafely } from '../node/threads';
import type { ThreadTask, Written } from './write.thread';
import type { writeCleaned } from './writeCleaned';

/** Runs `work` with what writes a file as writeCleaned does; the threads are gone afterwards. */
export async function withWriters<T>(work: (write: typeof writeCleaned) => Promise<T>): Promise<T> {
  endThreadsSafely();
  const pool = new Piscina({ filename: fileURLToPath(new URL('./write.thread.mjs', import.meta.url)), minThreads: 0, maxThreads: availableParallelism() });
  try {
    return await work(async (task, told) => {
      const { port1, port2 } = new MessageChannel();
      port1.on('message', told);
      try {
        const written = (await pool.run({ task, port: port2 } satisfies ThreadTask, { transferList: [port2] })) as Written;
        if ('error' in written) throw FreshGapError.fromData(written.error);
        return written.clipped;
      } finally {
        port1.close();
      }
    });
  } finally {
    await pool.destroy();
  }
}
