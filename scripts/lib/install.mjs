/**
 * Makes sure that what the program needs is there: npm packages from the lock file, Debian packages where we are root. Node built-ins
 * only, since it runs before anything is installed. Says in one clear line what to run where it may not install.
 */
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, readdirSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const ROOT = fileURLToPath(new URL('../../', import.meta.url));
export const isRoot = () => process.getuid?.() === 0;

/** A failure to be told in one line, without a stack. */
export class Stop extends Error {}

export function checkNode() {
  const major = Number(process.versions.node.split('.')[0]);
  if (major < 20) throw new Stop(`Node.js 20 or newer is needed, this is ${process.versions.node}. Install it and run the command again.`);
}

/** Installs npm packages where node_modules does not match the lock file. */
export function ensureNpm(log = console.log) {
  const hash = createHash('sha256').update(readFileSync(join(ROOT, 'package-lock.json'))).digest('hex');
  const mark = join(ROOT, 'node_modules', '.fresh-gap-lock');
  if (!existsSync(mark) || readFileSync(mark, 'utf8') !== hash) {
    log('Installing npm packages from the lock file ...');
    const r = spawnSync('npm', ['ci', '--no-fund', '--no-audit', '--loglevel=error'], { cwd: ROOT, stdio: ['ignore', 'inherit', 'inherit'] });
    if (r.status !== 0) throw new Stop('npm packages could not be installed: check the connection to the npm registry and run "npm ci".');
    writeFileSync(mark, hash);
  }
  // `npx fresh-gap` in this folder
  const link = join(ROOT, 'node_modules', '.bin', 'fresh-gap');
  mkdirSync(join(ROOT, 'node_modules', '.bin'), { recursive: true });
  if (!existsSync(link)) symlinkSync('../../bin/fresh-gap.mjs', link);
}

/** Folder of PostgreSQL's server programs, newest version first, or null. */
export function postgresBin() {
  const base = '/usr/lib/postgresql';
  if (existsSync(base)) {
    const versions = readdirSync(base).filter((v) => existsSync(join(base, v, 'bin', 'initdb'))).sort((a, b) => Number(b) - Number(a));
    if (versions.length) return join(base, versions[0], 'bin');
  }
  const r = spawnSync('sh', ['-c', 'command -v initdb'], { encoding: 'utf8' });
  return r.status === 0 ? r.stdout.trim().replace(/\/initdb$/, '') : null;
}

export const chromiumPath = () => ['/usr/bin/chromium', '/usr/bin/chromium-browser', '/usr/bin/google-chrome'].find((p) => existsSync(p)) ?? null;

function aptInstall(packages, log) {
  log(`Installing Debian packages: ${packages.join(' ')} ...`);
  // Debian's package would start a cluster of its own on the standard port: we make ours
  mkdirSync('/etc/postgresql-common', { recursive: true });
  if (!existsSync('/etc/postgresql-common/createcluster.conf')) writeFileSync('/etc/postgresql-common/createcluster.conf', 'create_main_cluster = false\n');
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
  const apt = (args) => spawnSync('apt-get', args, { env, stdio: ['ignore', 'ignore', 'inherit'] }).status === 0;
  const install = ['install', '-y', '-qq', '--no-install-recommends', ...packages];
  if (!apt(install)) {
    apt(['update', '-qq']);
    if (!apt(install)) throw new Stop(`Debian packages could not be installed: run "apt-get update && apt-get install ${packages.join(' ')}" and start again.`);
  }
}

/** `needs` among 'postgresql' and 'chromium'. */
export function ensureDebian(needs, log = console.log) {
  const missing = [];
  if (needs.includes('postgresql') && !process.env.DATABASE_URL && !postgresBin()) missing.push('postgresql');
  if (needs.includes('chromium') && !chromiumPath()) missing.push('chromium');
  if (missing.length === 0) return;
  if (!isRoot() || !existsSync('/usr/bin/apt-get')) {
    const other = missing.includes('postgresql') ? ', or give a PostgreSQL server as DATABASE_URL' : '';
    throw new Stop(`Missing: ${missing.join(', ')}. Run "sudo apt-get install ${missing.join(' ')}"${other}, then start again.`);
  }
  aptInstall(missing, log);
}

/** Debian packages that are good to have: installed where we are root, told where they are missing, never a reason to stop. */
export function wishDebian(packages, log = console.log) {
  const missing = packages.filter((p) => !existsSync(p.file)).map((p) => p.name);
  if (missing.length === 0) return;
  if (!isRoot() || !existsSync('/usr/bin/apt-get')) {
    log(`Without ${missing.join(' and ')} some tests are left out. "sudo apt-get install ${missing.join(' ')}" brings them in.`);
    return;
  }
  try {
    aptInstall(missing, log);
  } catch (e) {
    log(`${e.message} Some tests are left out.`);
  }
}
