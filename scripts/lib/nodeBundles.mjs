/**
 * The parts that run in Node without the page server: our HTTP server, worker threads, the command line. One esbuild step at the end
 * of the build; packages stay outside.
 */
import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';

const root = fileURLToPath(new URL('../../', import.meta.url));

export const ENTRIES = {
  main: 'src/server/main.ts',
  worker: 'src/server/worker.ts',
  'job.thread': 'src/server/jobs/job.thread.ts',
  'render.thread': 'src/server/jobs/render.thread.ts',
  'demo.thread': 'src/demo/demo.thread.ts',
  'hand.thread': 'src/node/hand.thread.ts',
  'write.thread': 'src/cli/write.thread.ts',
  cli: 'src/cli/cli.ts',
};

export const bundleForNode = () =>
  build({
    absWorkingDir: root,
    entryPoints: Object.entries(ENTRIES).map(([out, path]) => ({ in: path, out })),
    outdir: 'dist/node',
    outExtension: { '.js': '.mjs' },
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    packages: 'external',
    splitting: true,
    sourcemap: true,
    logLevel: 'warning',
    tsconfig: 'tsconfig.json',
  });

export function nodeBundles() {
  return {
    name: 'fresh-gap:node-bundles',
    hooks: {
      'astro:build:done': async () => {
        await bundleForNode();
      },
    },
  };
}
