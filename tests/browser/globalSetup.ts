/** The built server on a database of its own, and a folder of mics to work with, for all tests of the interface. */
import { type ChildProcess, fork } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { TestProject } from 'vitest/node';
import { writeRecording } from '../../src/demo/writeRecording';
import { type TestDatabase, createDatabase } from '../support/database';
import { shortRecording } from '../support/madeKit';

declare module 'vitest' {
  export interface ProvidedContext {
    url: string;
    databaseUrl: string;
    kitFolder: string;
  }
}

const MAIN = fileURLToPath(new URL('../../dist/node/main.mjs', import.meta.url));

export default async function setup(project: TestProject): Promise<() => Promise<void>> {
  const database: TestDatabase = await createDatabase();
  const folder = mkdtempSync(join(tmpdir(), 'fresh-gap-kit-'));
  await writeRecording(folder, shortRecording({ roles: ['kick-in', 'snare-top', 'hat', 'tom-1', 'tom-2', 'overhead-left'] }));
  const server: ChildProcess = fork(MAIN, [], { env: { ...process.env, DATABASE_URL: database.url, PORT: '0', FRESH_GAP_NO_DEMO: '1' }, stdio: ['ignore', 'inherit', 'inherit', 'ipc'] });
  const port = await new Promise<number>((resolve, reject) => {
    server.on('message', (m: { ready?: boolean; port?: number }) => m.ready && resolve(m.port ?? 0));
    server.on('exit', (code) => reject(new Error(`The server ended with ${code}.`)));
  });
  project.provide('url', `http://127.0.0.1:${port}`);
  project.provide('databaseUrl', database.url);
  project.provide('kitFolder', folder);
  return async () => {
    const gone = new Promise((done) => server.once('exit', done));
    server.kill('SIGTERM');
    await gone;
    await database.drop();
    rmSync(folder, { recursive: true, force: true });
  };
}
