/**
 * npm start: installs what is missing, starts the database, builds, and serves (the server migrates and loads the demo). Ctrl-C stops
 * what it started. Settings by environment: DATABASE_URL, HOST, PORT, FRESH_GAP_DATA; see the README.
 */
import { fork, spawn } from 'node:child_process';
import { join } from 'node:path';
import { ensureBuilt } from './lib/build.mjs';
import { dataFolder, startCluster } from './lib/cluster.mjs';
import { ROOT, Stop, checkNode, ensureDebian, ensureNpm } from './lib/install.mjs';

async function main() {
  checkNode();
  ensureDebian(['postgresql']);
  ensureNpm();
  const dev = process.argv.includes('--dev');
  await ensureBuilt();
  const cluster = process.env.DATABASE_URL ? { url: process.env.DATABASE_URL, stop: () => {} } : await startCluster(dataFolder());
  const env = { ...process.env, DATABASE_URL: cluster.url };
  const server = fork(join(ROOT, 'dist', 'node', 'main.mjs'), { env, stdio: ['ignore', 'inherit', 'inherit', 'ipc'] });
  const page = dev ? spawn(process.execPath, [join(ROOT, 'node_modules', 'astro', 'astro.js'), 'dev'], { cwd: ROOT, env, stdio: 'inherit' }) : null;
  let stopping = false;
  const stop = (signal) => {
    if (stopping) return;
    stopping = true;
    page?.kill('SIGTERM');
    server.kill('SIGTERM');
    if (signal) console.log('\nStopping ...');
  };
  process.on('SIGINT', () => stop('SIGINT'));
  process.on('SIGTERM', () => stop('SIGTERM'));
  server.on('exit', (code) => {
    page?.kill('SIGTERM');
    cluster.stop();
    process.exit(stopping ? 0 : (code ?? 1));
  });
}

main().catch((e) => {
  console.error(e instanceof Stop ? e.message : e);
  process.exit(1);
});
