/**
 * npm run pictures [-- NAME ...]: takes the pictures of docs/screenshots (all, or those named) of the built application with the demo recording as it comes, in a data folder of its own.
 * Needs Chromium, as the tests do. Takes some minutes: the demo is de-bled on the way.
 */
import { fork, spawnSync } from 'node:child_process';
import { chmodSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ensureBuilt } from './lib/build.mjs';
import { freePort } from './lib/cluster.mjs';
import { ROOT, Stop, checkNode, ensureDebian, ensureNpm } from './lib/install.mjs';

const TO = join(ROOT, 'docs', 'screenshots');
const VIEW = { width: 1280, height: 800 };
const wanted = process.argv.slice(2);

const pause = (ms) => new Promise((done) => setTimeout(done, ms));

async function served(folder) {
  const port = await freePort();
  const server = fork(join(ROOT, 'scripts', 'start.mjs'), { env: { ...process.env, FRESH_GAP_DATA: folder, PORT: String(port), HOST: '127.0.0.1' }, stdio: ['ignore', 'ignore', 'inherit', 'ipc'] });
  const url = `http://127.0.0.1:${port}`;
  for (let n = 0; n < 600; n++) {
    if (server.exitCode !== null) throw new Stop('The server did not start.');
    const there = await fetch(`${url}/api/recordings`).then((r) => r.json(), () => null);
    if (there && JSON.stringify(there).includes('Ferry')) return { url, stop: () => server.kill('SIGTERM') };
    await pause(500);
  }
  throw new Stop('The demo recording did not come.');
}

/** Some of the demo's files, one cut short and one that is no WAV file. */
function filesToDrop(folder) {
  const kit = join(folder, 'kit');
  const made = spawnSync(process.execPath, [join(ROOT, 'bin', 'fresh-gap.mjs'), 'demo', kit], { encoding: 'utf8', stdio: ['ignore', 'ignore', 'pipe'] });
  if (made.status !== 0) throw new Stop(`The demo could not be written. ${made.stderr}`);
  const short = join(folder, '05 Hat.wav');
  writeFileSync(short, readFileSync(join(kit, '05 Hat.wav')).subarray(0, 3_000_000));
  const none = join(folder, 'notes.wav');
  writeFileSync(none, 'Take 2 is the one. The floor tom rings, mind it');
  return [join(kit, '01 Kick In.wav'), join(kit, '03 Snare Top.wav'), short, join(kit, '06 Tom 1.wav'), none];
}

async function take(page, url, folder) {
  const shot = async (name) => {
    if (wanted.length && !wanted.includes(name)) return;
    await page.mouse.move(640, 790);
    await pause(700);
    await page.screenshot({ path: join(TO, `${name}.png`) });
    console.log(name);
  };
  const has = (what, timeout = 60_000) => page.waitForFunction(what, { timeout, polling: 200 });
  const press = async (name, role = 'button') => {
    const el = await page.waitForSelector(`::-p-aria([name="${name}"][role="${role}"])`, { visible: true });
    await pause(300);
    await el.click();
  };
  const show = (state) => page.evaluate((s) => window.freshGap.store.setState({ ...s, slices: new Set(), picked: new Set() }), state);
  const drawn = () => has(() => {
    const s = window.freshGap.store.getState();
    return s.saving === 'saved' && s.preview?.micId === s.focus && s.previewLoading === null;
  });
  /** A mic between two times, seconds; with a loop or none. */
  const mic = async (role, from, to, state, loop = null) => {
    const { id, rate } = await page.evaluate((r) => {
      const { plan } = window.freshGap.store.getState();
      return { id: Object.entries(plan.mics).find(([, m]) => m.role === r)[0], rate: plan.sampleRate };
    }, role);
    const frames = ([a, b]) => ({ from: Math.round(a * rate), to: Math.round(b * rate) });
    await show({ focus: id, view: frames([from, to]), loop: loop && frames(loop), loopOn: loop !== null, spectrum: false, tiles: false, carrying: false, ...state });
    await pause(500);
    await drawn();
  };
  const step = async (name) => {
    await page.goto(`${base}/${name}`);
    await has(() => window.freshGap?.store.getState().plan != null);
    await has(() => document.fonts.status === 'loaded');
  };
  const propose = async () => {
    await step('spill');
    await press('Propose treatments');
    // the demo is de-bled for it first
    await has(() => window.freshGap.store.getState().undo?.startsWith('Proposed') && window.freshGap.store.getState().saving === 'saved', 300_000);
  };

  await page.goto(url);
  const link = await page.waitForSelector('a[href*="/recordings/"]');
  await shot('recordings');
  const base = `${url}/recordings/${/recordings\/([^/]+)/.exec(await link.evaluate((a) => a.getAttribute('href')))[1]}`;

  const id = base.split('/').pop();
  for (let n = 0; n < 400 && (await fetch(`${url}/api/recordings/${id}/analysis`).then((r) => r.json())).job?.state !== 'done'; n++) await pause(500);
  await step('intake');
  await shot('intake');

  await propose();
  await step('clean');
  await mic('tom-2', 33, 36.5, { panel: 'slices' }, [33.2, 36.18]);
  await shot('clean');
  await mic('tom-2', 33, 36.5, { panel: 'tail', spectrum: true });
  await shot('spectrum');
  await mic('snare-top', 12, 14.5, { panel: 'gate' });
  await shot('gate');
  await mic('tom-1', 23.5, 30, { panel: 'slices' });
  await show({ carrying: true });
  await page.waitForSelector('[role="dialog"] tbody input');
  await shot('carry');
  await page.keyboard.press('Escape');
  await page.keyboard.down('Control');
  await page.keyboard.press('z');
  await page.keyboard.up('Control');
  await has(() => window.freshGap.store.getState().redo !== null && window.freshGap.store.getState().saving === 'saved');

  await step('hits');
  // the proposal has started a job already, which may be done by now
  const before = await page.evaluate(() => {
    const job = window.freshGap.store.getState().debleed?.job;
    return job?.state === 'done' ? job.id : null;
  });
  await press('Listen closely');
  await page.waitForFunction((old) => {
    const job = window.freshGap.store.getState().debleed?.job;
    return job && job.id !== old && job.state === 'done';
  }, { timeout: 600_000, polling: 200 }, before);
  await pause(1500);
  // the doubtful one that is heard first of those with a mic of their own
  await page.evaluate(() => {
    const { plan } = window.freshGap.store.getState();
    const doubtful = Object.entries(plan.hits).flatMap(([drum, hits]) => (drum === 'ride' || drum === 'crash' ? [] : Object.entries(hits).filter(([, h]) => h.certainty >= 0.2 && h.certainty < 0.8).map(([id, h]) => ({ drum, id, frame: h.frame }))));
    window.freshGap.store.setState({ view: { from: 0, to: plan.frames }, hit: doubtful.sort((a, b) => a.frame - b.frame)[0] ?? null });
  });
  await shot('hits');

  await propose();
  await step('clean');
  await mic('tom-1', 23.5, 30, { panel: 'debleed' }, [24, 28.85]);
  await has(() => window.freshGap.store.getState().preview?.debleed != null);
  await shot('debleed');
  await mic('tom-1', 20, 36, { panel: 'slices', tiles: true });
  await shot('slices');
  await show({ tiles: false });
  await page.keyboard.press('?');
  await page.waitForSelector('[role="dialog"]');
  await shot('keys');
  await page.keyboard.press('Escape');
  await mic('tom-1', 22.6, 28.6, { panel: 'parts' });
  await press('Attack and note of Tom 1', 'switch');
  await has(() => window.freshGap.store.getState().undo?.includes('attack and note'));
  await drawn();
  await shot('parts');

  await step('spill');
  await (await page.waitForSelector('button[aria-label^="Kick heard in Tom 1:"]')).click();
  await shot('spill');
  await step('compare');
  await has(() => document.querySelectorAll('[data-compared]').length > 0 && !document.querySelector('[data-compared][aria-busy="true"]'), 120_000);
  await show({ focus: await page.evaluate(() => window.freshGap.store.getState().plan.order.find((m) => window.freshGap.store.getState().plan.mics[m].role === 'tom-1')) });
  await has(() => [...document.querySelectorAll('aside li button')].some((b) => b.textContent.startsWith('Softest stroke left')));
  await page.evaluate(() => [...document.querySelectorAll('aside li button')].find((b) => b.textContent.startsWith('Softest stroke left')).click());
  await has(() => window.freshGap.store.getState().playing);
  await page.keyboard.press('Space');
  await has(() => document.querySelector('[data-testid="closer"] canvas')?.getContext('2d').getImageData(0, 0, 50, 200).data.some((v) => v > 0));
  await pause(800);
  await shot('compare');
  await step('deliver');
  await shot('deliver');

  if (wanted.length && !wanted.includes('import')) return;
  await page.goto(url);
  await has(() => !document.body.textContent.includes('Loading ...'));
  await (await page.waitForSelector('[data-testid="files-input"]')).uploadFile(...filesToDrop(folder));
  await has(() => document.body.textContent.includes('2 not taken'));
  await shot('import');
}

async function main() {
  checkNode();
  ensureDebian(['postgresql', 'chromium']);
  ensureNpm();
  await ensureBuilt();
  const { default: puppeteer } = await import('puppeteer-core');
  const folder = mkdtempSync(join(tmpdir(), 'fresh-gap-pictures-'));
  // the database's user must reach it
  chmodSync(folder, 0o755);
  mkdirSync(TO, { recursive: true });
  const server = await served(join(folder, 'data'));
  const browser = await puppeteer.launch({ executablePath: process.env.CHROMIUM || '/usr/bin/chromium', userDataDir: join(folder, 'browser'), defaultViewport: VIEW, args: ['--no-sandbox', '--disable-gpu', '--autoplay-policy=no-user-gesture-required', '--disable-background-networking'] });
  try {
    await take(await browser.newPage(), server.url, folder);
  } finally {
    await browser.close();
    server.stop();
    await pause(3000);
    rmSync(folder, { recursive: true, force: true });
  }
}

main().then(
  () => process.exit(0),
  (e) => {
    console.error(e instanceof Stop ? e.message : e);
    process.exit(1);
  },
);
