/**
 * A PostgreSQL cluster of our own in the data folder: made where missing, started on loopback on a free port, stopped again. Never as
 * root: there the server runs as the user "postgres", in a folder which that user can reach.
 */
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { chmodSync, existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { join, resolve } from 'node:path';
import { ROOT, Stop, isRoot, postgresBin } from './install.mjs';

const SYSTEM_STATE = '/var/lib';

/** Runs a PostgreSQL program, as the unprivileged user where we are root. */
function run(args, opts = {}) {
  const cmd = isRoot() ? ['setpriv', '--reuid=postgres', '--regid=postgres', '--init-groups', ...args] : args;
  return spawnSync(cmd[0], cmd.slice(1), { cwd: '/', encoding: 'utf8', env: { PATH: process.env.PATH, LC_ALL: 'C' }, ...opts });
}

const reachable = (folder) => run(['test', '-w', folder]).status === 0;

/** The data folder: FRESH_GAP_DATA, or .data here, or, where its user cannot reach that, one under the system's state folder. */
export function dataFolder() {
  if (process.env.FRESH_GAP_DATA) return resolve(process.env.FRESH_GAP_DATA);
  const own = join(ROOT, '.data');
  if (!isRoot()) return own;
  if (!existsSync(own)) mkdirSync(own, { recursive: true });
  spawnSync('chown', ['postgres:postgres', own]);
  if (reachable(own)) return own;
  const id = createHash('sha256').update(ROOT).digest('hex').slice(0, 12);
  return join(SYSTEM_STATE, 'fresh-gap', id);
}

/** A port on loopback that nobody listens on. */
export const freePort = () =>
  new Promise((done, fail) => {
    const s = createServer();
    s.once('error', fail);
    s.listen(0, '127.0.0.1', () => {
      const { port } = s.address();
      s.close(() => done(port));
    });
  });

/** The port of a server that runs in this folder, or null. */
function runningPort(pgdata, bin) {
  if (run([join(bin, 'pg_ctl'), '-D', pgdata, 'status']).status !== 0) return null;
  const lines = readFileSync(join(pgdata, 'postmaster.pid'), 'utf8').split('\n');
  return Number(lines[3]) || null;
}

/** Starts (or finds) the cluster in `folder`; returns its address and how to stop it (nothing, where it ran before us). */
export async function startCluster(folder, { durable = true } = {}) {
  const bin = postgresBin();
  if (!bin) throw new Stop('PostgreSQL is missing. Run "apt-get install postgresql" and start again.');
  mkdirSync(folder, { recursive: true });
  const pgdata = join(folder, 'postgres');
  if (isRoot()) {
    chmodSync(folder, 0o755);
    spawnSync('chown', ['postgres:postgres', folder]);
    if (!reachable(folder)) throw new Stop(`The user "postgres" cannot reach ${folder}. Give another folder as FRESH_GAP_DATA.`);
  }
  if (!existsSync(join(pgdata, 'PG_VERSION'))) {
    rmSync(pgdata, { recursive: true, force: true });
    const r = run([join(bin, 'initdb'), '-D', pgdata, '-U', 'fresh_gap', '-A', 'trust', '-E', 'UTF8', '--locale=C', '--no-instructions']);
    if (r.status !== 0) throw new Stop(`The database could not be made in ${pgdata}: ${r.stderr.trim().split('\n').pop()}`);
  }
  const url = (port) => `postgres://fresh_gap@127.0.0.1:${port}/fresh_gap`;
  const was = runningPort(pgdata, bin);
  if (was) return { url: url(was), stop: () => {} };

  const port = await freePort();
  const options = [`-p ${port}`, '-c listen_addresses=127.0.0.1', "-c unix_socket_directories=''", '-c shared_buffers=256MB', '-c max_wal_size=2GB', '-c max_connections=60'];
  if (!durable) options.push('-c fsync=off', '-c synchronous_commit=off', '-c full_page_writes=off');
  const r = run([join(bin, 'pg_ctl'), '-D', pgdata, '-w', '-t', '60', '-l', join(folder, 'postgres.log'), '-o', options.join(' '), 'start'], { stdio: 'ignore' });
  if (r.status !== 0) throw new Stop(`The database did not start; see ${join(folder, 'postgres.log')}.`);
  const made = run([join(bin, 'createdb'), '-h', '127.0.0.1', '-p', String(port), '-U', 'fresh_gap', 'fresh_gap']);
  if (made.status !== 0 && !/already exists/.test(made.stderr)) throw new Stop(`The database could not be created: ${made.stderr.trim()}`);
  return {
    url: url(port),
    stop: () => {
      run([join(bin, 'pg_ctl'), '-D', pgdata, '-m', 'fast', '-w', '-t', '30', 'stop'], { stdio: 'ignore' });
    },
  };
}
