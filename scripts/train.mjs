/** npm run train -- FOLDER OUT [--far], npm run train -- --again FOLDER OUT, npm run train -- --cymbals FOLDER OUT, npm run train -- --lone FOLDER OUT, npm run train -- --mix A B OUT [STAGE ...], npm run evaluate -- FOLDER [WEIGHTS], npm run make -- FOLDER NUMBER ..., npm run figures -- [--stages] OUT FOLDER ...: see src/train/train.ts, again.ts, cymbals.ts, mix.ts, evaluate.ts, make.ts and figures.ts. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { ROOT, ensureNpm } from './lib/install.mjs';
import { ensureKernels } from './lib/kernels.mjs';

const what = { '--evaluate': 'evaluate', '--again': 'again', '--cymbals': 'cymbals', '--lone': 'cymbals', '--mix': 'mix', '--make': 'make', '--figures': 'figures' }[process.argv[2]] ?? 'train';
if (what !== 'train' && process.argv[2] !== '--lone') process.argv.splice(2, 1);
ensureNpm();
await ensureKernels();
const { build } = await import('esbuild');
const folder = mkdtempSync(join(tmpdir(), 'fresh-gap-train-'));
const file = join(folder, 'train.mjs');
try {
  await build({ absWorkingDir: ROOT, entryPoints: { train: `src/train/${what}.ts`, 'hand.thread': 'src/node/hand.thread.ts' }, outdir: folder, outExtension: { '.js': '.mjs' }, bundle: true, platform: 'node', format: 'esm', target: 'node20', logLevel: 'warning', banner: { js: "import { createRequire as makeRequire } from 'node:module'; const require = makeRequire(import.meta.url); const __dirname = import.meta.dirname ?? '.';" } });
  await import(pathToFileURL(file).href);
} finally {
  rmSync(folder, { recursive: true, force: true });
}
