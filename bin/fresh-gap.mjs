#!/usr/bin/env node
// The command line: needs no database. Installs packages and builds on the first call.
import { existsSync } from 'node:fs';
import { ensureBuilt } from '../scripts/lib/build.mjs';
import { Stop, checkNode, ensureNpm } from '../scripts/lib/install.mjs';

try {
  checkNode();
  const say = (line) => process.stderr.write(`${line}\n`);
  const built = new URL('../dist/node/cli.mjs', import.meta.url);
  ensureNpm(say);
  if (!existsSync(built) || !process.env.FRESH_GAP_SKIP_BUILD) await ensureBuilt(say);
  const { main } = await import(built.href);
  process.exitCode = await main(process.argv.slice(2));
} catch (e) {
  process.stderr.write(`${e instanceof Stop ? e.message : e?.stack || e}\n`);
  process.exitCode = 1;
}
