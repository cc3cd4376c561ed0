/** Compiles kernels/*.ts (AssemblyScript) to src/core/kernels/generated/NAME.wasm.ts, each a base64 string, where they changed. */
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ROOT, Stop } from './install.mjs';

export async function ensureKernels(log = console.log) {
  const folder = join(ROOT, 'src', 'core', 'kernels', 'generated');
  mkdirSync(folder, { recursive: true });
  for (const file of readdirSync(join(ROOT, 'kernels')).filter((f) => f.endsWith('.ts'))) {
    const name = file.replace(/\.ts$/, '');
    const source = readFileSync(join(ROOT, 'kernels', file));
    const shared = readdirSync(join(ROOT, 'kernels', 'lib')).map((f) => readFileSync(join(ROOT, 'kernels', 'lib', f), 'utf8')).join('');
    const lock = readFileSync(join(ROOT, 'package-lock.json'));
    const mark = `// ${createHash('sha256').update(source).update(shared).update(lock).digest('hex')}`;
    const out = join(folder, `${name}.wasm.ts`);
    if (existsSync(out) && readFileSync(out, 'utf8').startsWith(mark)) continue;
    log(`Compiling the kernels of ${name} ...`);
    const { default: asc } = await import('assemblyscript/asc');
    const made = new Map();
    const { error, stderr } = await asc.main([`kernels/${file}`, '--outFile', `${name}.wasm`, '--optimizeLevel', '3', '--shrinkLevel', '0', '--runtime', 'stub', '--noAssert', '--enable', 'simd', '--initialMemory', '1', '--maximumMemory', '65536'], {
      readFile: (path, base) => (existsSync(join(base ?? ROOT, path)) ? readFileSync(join(base ?? ROOT, path), 'utf8') : null),
      writeFile: (path, data) => made.set(path, data),
      listFiles: () => null,
      baseDir: ROOT,
    });
    const wasm = made.get(`${name}.wasm`);
    if (error || !wasm) throw new Stop(`The kernels could not be compiled: ${error?.message ?? 'no output'}\n${stderr.toString()}`);
    writeFileSync(out, `${mark}\n/** Made from kernels/${file}: do not edit. */\nexport const WASM = '${Buffer.from(wasm).toString('base64')}';\n`);
  }
}
