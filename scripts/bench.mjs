/**
 * npm run bench: speed as ratios against a reference in the same run, since machines differ and are noisy. The reference is a plain
 * loop over the same samples; the best of several rounds counts. Bundles the core for Node and runs it there.
 */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { ROOT, ensureNpm } from './lib/install.mjs';
import { ensureKernels } from './lib/kernels.mjs';

ensureNpm();
await ensureKernels();
const { build } = await import('esbuild');
const folder = mkdtempSync(join(tmpdir(), 'fresh-gap-bench-'));
const file = join(folder, 'bench.mjs');
try {
  await build({ absWorkingDir: ROOT, entryPoints: { bench: 'src/bench/bench.ts', 'hand.thread': 'src/node/hand.thread.ts' }, outdir: folder, outExtension: { '.js': '.mjs' }, bundle: true, platform: 'node', format: 'esm', target: 'node20', logLevel: 'warning' });
  await import(pathToFileURL(file).href);
} finally {
  rmSync(folder, { recursive: true, force: true });
}
