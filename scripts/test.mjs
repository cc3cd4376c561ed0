/**
 * npm test: installs what is missing, starts a database of its own, builds, then runs linter, compiler and all tests. Arguments go to
 * Vitest (e.g. npm test -- --project unit). Ends with "N passed, N failed".
 */
import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ensureBuilt } from './lib/build.mjs';
import { startCluster } from './lib/cluster.mjs';
import { ROOT, Stop, chromiumPath, checkNode, ensureDebian, ensureNpm, wishDebian } from './lib/install.mjs';

/** Real drum sounds for the tests of hits; without them those tests are left out. */
const REAL_SOUNDS = [{ name: 'hydrogen-drumkits', file: '/usr/share/hydrogen/data/drumkits' }, { name: 'flac', file: '/usr/bin/flac' }];

const bin = (name) => join(ROOT, 'node_modules', '.bin', name);

function check(title, command, args) {
  console.log(title);
  const r = spawnSync(bin(command), args, { cwd: ROOT, stdio: ['ignore', 'inherit', 'inherit'], env: { ...process.env, ASTRO_TELEMETRY_DISABLED: '1' } });
  return r.status === 0;
}

async function main() {
  checkNode();
  ensureDebian(['postgresql', 'chromium']);
  wishDebian(REAL_SOUNDS);
  ensureNpm();
  await ensureBuilt();
  const more = process.argv.slice(2);
  let failedChecks = 0;
  if (more.length === 0) {
    if (!check('Linting ...', 'biome', ['lint', '--error-on-warnings', '.'])) failedChecks++;
    if (!check('Checking the types of the core ...', 'tsc', ['-p', 'src/core/tsconfig.json'])) failedChecks++;
    if (!check('Checking all types ...', 'tsc', ['-p', 'tsconfig.json', '--noEmit'])) failedChecks++;
    if (!check('Checking pages ...', 'astro', ['check', '--minimumSeverity', 'error', '--silent'])) failedChecks++;
  }
  const folder = mkdtempSync(join(tmpdir(), 'fresh-gap-test-'));
  const cluster = process.env.DATABASE_URL ? { url: process.env.DATABASE_URL, stop: () => {} } : await startCluster(folder, { durable: false });
  const report = join(folder, 'report.json');
  const env = { ...process.env, DATABASE_URL: cluster.url, CHROMIUM: chromiumPath() ?? '', NO_COLOR: '1' };
  const args = ['run', '--reporter=default', '--reporter=json', `--outputFile.json=${report}`, ...more];
  const tests = spawn(bin('vitest'), args, { cwd: ROOT, env, stdio: ['ignore', 'inherit', 'inherit'] });
  const stop = () => tests.kill('SIGTERM');
  process.on('SIGINT', stop);
  process.on('SIGTERM', stop);
  const code = await new Promise((done) => tests.on('exit', (c) => done(c ?? 1)));
  let [passed, failed] = [0, failedChecks];
  try {
    const r = JSON.parse(readFileSync(report, 'utf8'));
    passed += r.numPassedTests;
    failed += r.numFailedTests;
  } catch {
    failed++;
  }
  cluster.stop();
  rmSync(folder, { recursive: true, force: true });
  if (code !== 0 && failed === 0) failed = 1;
  console.log(`${passed} passed, ${failed} failed`);
  process.exit(failed || code ? 1 : 0);
}

main().catch((e) => {
  console.error(e instanceof Stop ? e.message : e);
  process.exit(1);
});
