/** Builds the program where its sources changed since the last build. */
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, readFileSync, readdirSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ROOT, Stop } from './install.mjs';
import { ensureKernels } from './kernels.mjs';

function hashTree(hash, path) {
  const full = join(ROOT, path);
  if (!existsSync(full)) return;
  if (statSync(full).isDirectory()) for (const f of readdirSync(full).sort()) hashTree(hash, join(path, f));
  else if (!/\.test\.tsx?$/.test(path)) hash.update(path).update(readFileSync(full));
}

/** Taken by the build for what it is told of itself: a test runner sets them, and so may a shell. */
const SAID_OF_THE_BUILD = ['DEV', 'PROD', 'MODE', 'SSR', 'BASE_URL', 'SITE'];

/** The environment of the build, whatever runs it: built for development the page would be blank, as its scripts are not let through then (src/middleware.ts). */
export const buildEnv = (env) => ({ ...Object.fromEntries(Object.entries(env).filter(([k]) => !SAID_OF_THE_BUILD.includes(k))), NODE_ENV: 'production', ASTRO_TELEMETRY_DISABLED: '1' });

export async function ensureBuilt(log = console.log) {
  await ensureKernels(log);
  const hash = createHash('sha256');
  for (const p of ['src', 'public', 'scripts/lib/nodeBundles.mjs', 'astro.config.mjs', 'tsconfig.json', 'package-lock.json']) hashTree(hash, p);
  const sum = hash.digest('hex');
  const mark = join(ROOT, 'dist', '.fresh-gap-build');
  if (existsSync(mark) && readFileSync(mark, 'utf8') === sum) return;
  log('Building ...');
  rmSync(join(ROOT, 'dist'), { recursive: true, force: true });
  const env = buildEnv(process.env);
  const r = spawnSync(process.execPath, [join(ROOT, 'node_modules', 'astro', 'astro.js'), 'build', '--silent'], { cwd: ROOT, env, stdio: ['ignore', 'inherit', 'inherit'] });
  if (r.status !== 0) throw new Stop('The build failed; the lines above say why.');
  writeFileSync(mark, sum);
}
