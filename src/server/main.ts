/**
 * The program's own HTTP server around the page server: sets headers on everything, checks who asks, serves bytes itself, runs jobs.
 * Started by scripts/start.mjs; settings by environment: DATABASE_URL, HOST (default 127.0.0.1), PORT (default 4310).
 */
import { createServer } from 'node:http';
import { dirname, join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { closeDb, db } from './db';
import { loadDemo } from './loadDemo';
import { serveBulk } from './http/bulk';
import { SECURITY_HEADERS, guard } from './http/guard';
import { sendError } from './http/respond';
import { startRunner } from './jobs/runner';
import { migrate } from './migrate';
import { dropOldRenders } from './sql/renders';

const here = dirname(fileURLToPath(import.meta.url));
const root = join(here, '..', '..');

async function main() {
  const url = process.env.DATABASE_URL;
  if (!url) throw new Error('DATABASE_URL is not set; start with npm start.');
  const sql = db();
  const applied = await migrate(sql, join(root, 'db', 'migrations'));
  for (const name of applied) console.log(`Database: applied ${name}`);
  if (!process.env.FRESH_GAP_NO_DEMO) await loadDemo(sql, join(here, 'demo.thread.mjs'));
  await dropOldRenders(sql);

  process.env.ASTRO_NODE_AUTOSTART = 'disabled';
  const { handler } = await import(pathToFileURL(join(root, 'dist', 'server', 'entry.mjs')).href);
  const runner = await startRunner(sql, url, join(here, 'job.thread.mjs'));
  const host = process.env.HOST ?? '127.0.0.1';
  const wanted = Number(process.env.PORT ?? 4310);

  const server = createServer((req, res) => {
    for (const [k, v] of Object.entries(SECURITY_HEADERS)) res.setHeader(k, v);
    void (async () => {
      try {
        if (await serveBulk(req, res)) return;
        guard(req);
        if (Number(req.headers['content-length'] ?? 0) > 8 * 2 ** 20) {
          res.writeHead(413).end();
          return;
        }
        await handler(req, res);
      } catch (e) {
        sendError(res, e);
      }
    })();
  });
  server.requestTimeout = 0;
  const listen = (port: number) =>
    new Promise<void>((resolve, reject) => {
      server.once('error', reject);
      server.listen(port, host, () => {
        server.off('error', reject);
        resolve();
      });
    });
  try {
    await listen(wanted);
  } catch (e) {
    if ((e as { code?: string }).code !== 'EADDRINUSE') throw e;
    if (process.env.PORT) throw new Error(`Port ${wanted} is taken: stop what uses it, or choose another PORT.`);
    await listen(0);
  }
  const address = server.address();
  const port = typeof address === 'object' && address ? address.port : wanted;
  console.log(`Fresh Gap is ready: http://${host.includes(':') ? `[${host}]` : host}:${port}`);
  process.send?.({ ready: true, port });

  let stopping = false;
  const stop = async () => {
    if (stopping) return;
    stopping = true;
    server.close();
    server.closeAllConnections();
    await runner.stop();
    await closeDb();
    process.exit(0);
  };
  process.on('SIGINT', stop);
  process.on('SIGTERM', stop);
  process.on('disconnect', stop);
}

main().catch((e) => {
  console.error(e instanceof Error ? e.message : e);
  process.exit(1);
});
