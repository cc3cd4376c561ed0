/** Makes the files of an export in threads, one a core. They end with the thread that started them, so that a cancelled export leaves none. */
import { availableParallelism } from 'node:os';
import { fileURLToPath } from 'node:url';
import { MessageChannel } from 'node:worker_threads';
import Piscina from 'piscina';
import { FreshGapError } from '../../core/errors';
import { endThreadsSafely } from '../../node/threads';
import type { RenderThreadTask, Rendered } from './render.thread';
import type { RenderFile } from './renderFile';

/** Runs `work` with what makes a file; `url` is the database's. The threads are gone afterwards. */
export async function withRenderers<T>(url: string, work: (render: RenderFile) => Promise<T>): Promise<T> {
  endThreadsSafely();
  const pool = new Piscina({ filename: fileURLToPath(new URL('./render.thread.mjs', import.meta.url)), minThreads: 0, maxThreads: availableParallelism() });
  try {
    return await work(async (task, told) => {
      const { port1, port2 } = new MessageChannel();
      port1.on('message', told);
      try {
        const made = (await pool.run({ task, url, port: port2 } satisfies RenderThreadTask, { transferList: [port2] })) as Rendered;
        if ('error' in made) throw FreshGapError.fromData(made.error);
        return made.row;
      } finally {
        port1.close();
      }
    });
  } finally {
    await pool.destroy();
  }
}
