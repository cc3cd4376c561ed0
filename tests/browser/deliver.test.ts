import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { unzipSync } from 'fflate';
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest';
import { type Session, importKit, kitFiles, openBrowser, openClean, press, saved, sees } from '../support/browser';

const CLI = fileURLToPath(new URL('../../bin/fresh-gap.mjs', import.meta.url));

let s: Session;
let id: string;
let folder: string;
beforeAll(async () => {
  s = await openBrowser();
  folder = mkdtempSync(join(tmpdir(), 'fresh-gap-deliver-'));
  const cdp = await s.browser.target().createCDPSession();
  await cdp.send('Browser.setDownloadBehavior', { behavior: 'allow', downloadPath: folder });
  id = await importKit(s);
  await openClean(s.page, s.url, id, 'tom-1');
  await s.page.keyboard.press('g');
  await saved(s.page);
  await openClean(s.page, s.url, id, 'tom-2');
  // this one is opened by its hits
  await s.page.click('[aria-label="Opened by"] button:nth-child(2)');
  await saved(s.page);
});
afterAll(async () => {
  await s.close();
  rmSync(folder, { recursive: true, force: true });
});

async function downloaded(match: RegExp): Promise<string> {
  for (let i = 0; i < 100; i++) {
    const name = readdirSync(folder).find((n) => match.test(n) && !n.endsWith('.crdownload'));
    if (name) return join(folder, name);
    await new Promise((done) => setTimeout(done, 100));
  }
  throw new Error(`no download: ${readdirSync(folder)}`);
}

describe('what was chosen', () => {
  it('is still chosen when one comes back from another step', async () => {
    await s.page.goto(`${s.url}/recordings/${id}/deliver`);
    await sees(s.page, 'Export 6 files');
    await press(s.page, '32-bit float');
    await s.page.click('input[maxlength="40"]', { count: 3 });
    await s.page.keyboard.type('_dry');
    await press(s.page, `Deliver ${basename(kitFiles()[0])}`);
    await press(s.page, 'MIDI file');
    await sees(s.page, 'Export 5 files');
    await press(s.page, 'Clean');
    await s.page.waitForFunction(() => !document.body.innerText.includes('What will be delivered'));
    await press(s.page, 'Deliver');
    await sees(s.page, 'Export 5 files');
    await sees(s.page, 'No dither, nothing limited.');
    await sees(s.page, '_dry.wav');
    expect(await s.page.$eval('[aria-label="MIDI file"]', (e) => e.getAttribute('aria-checked'))).toBe('true');
  });
});

describe('export', () => {
  it('gives in one zip, by the browser, the very files that the command line gives from the saved plan', async () => {
    for (const encoding of ['24 bit', '32-bit float'] as const) {
      await s.page.goto(`${s.url}/recordings/${id}/deliver`);
      await sees(s.page, 'What will be delivered');
      if (encoding !== '24 bit') await press(s.page, encoding);
      const before = (await s.page.$$('[data-job="done"]')).length;
      await press(s.page, 'Export 6 files');
      await s.page.waitForFunction((n) => document.querySelectorAll('[data-job="done"]').length > n, {}, before);
      const link = await s.page.waitForSelector('[data-job="done"] a[download]');
      expect(await s.page.$eval('[data-job="done"]', (e) => e.textContent)).toContain('2 cleaned, 4 as they are');
      for (const n of readdirSync(folder)) rmSync(join(folder, n), { recursive: true });
      await link?.click();
      const zip = unzipSync(new Uint8Array(readFileSync(await downloaded(/\.zip$/))));
      await press(s.page, 'Save plan');
      const plan = await downloaded(/\.json$/);
      const out = join(folder, 'out');
      const run = spawnSync(process.execPath, [CLI, 'clean', inject('kitFolder'), '--plan', plan, '--out', out, ...(encoding === '24 bit' ? [] : ['--format', 'float'])], { encoding: 'utf8' });
      expect(run.status, run.stderr).toBe(0);
      expect(Object.keys(zip).sort()).toEqual([...kitFiles().map((p) => basename(p).replace('.wav', '_clean.wav')), 'plan.json'].sort());
      // the plan that made them lies beside them
      expect(JSON.parse(Buffer.from(zip['plan.json']).toString())).toEqual(JSON.parse(readFileSync(plan, 'utf8')));
      let changed = 0;
      for (const path of kitFiles()) {
        const name = basename(path);
        const ours = Buffer.from(zip[name.replace('.wav', '_clean.wav')]);
        const theirs = readFileSync(join(out, name));
        expect(ours.equals(theirs), name).toBe(true);
        if (!ours.equals(readFileSync(path))) changed++;
        else expect(name).not.toMatch(/Tom/);
      }
      expect(changed).toBe(2);
    }
  });

  it('leaves out what is not ticked and uses the ending that was typed', async () => {
    await s.page.goto(`${s.url}/recordings/${id}/deliver`);
    await sees(s.page, 'What will be delivered');
    const first = await s.page.$eval('[role="checkbox"]', (e) => e.getAttribute('aria-label') ?? '');
    await press(s.page, first);
    const input = await s.page.$('section[aria-label="Export"] input');
    await input?.click({ count: 3 });
    await input?.type('.dry');
    await press(s.page, 'Export 5 files');
    await s.page.waitForFunction(() => document.querySelector('[data-job="done"]')?.textContent?.includes('.dry.zip'));
    const href = await s.page.$eval('[data-job="done"] a[download]', (a) => (a as HTMLAnchorElement).href);
    const zip = unzipSync(new Uint8Array(await (await fetch(href)).arrayBuffer()));
    const audio = Object.keys(zip).filter((n) => n !== 'plan.json');
    expect(audio).toHaveLength(5);
    expect(audio.every((n) => n.endsWith('.dry.wav'))).toBe(true);
  });

  it('refuses an ending that no file system takes', async () => {
    await s.page.goto(`${s.url}/recordings/${id}/deliver`);
    await sees(s.page, 'What will be delivered');
    const input = await s.page.$('section[aria-label="Export"] input');
    await input?.click({ count: 3 });
    await input?.type('a/b');
    await sees(s.page, 'File names cannot hold');
    expect(await s.page.$eval('section[aria-label="Export"] button.btn-ink', (b) => (b as HTMLButtonElement).disabled)).toBe(true);
  });

  it('opens a saved plan in another recording, and undo takes it back', async () => {
    const plan = readdirSync(folder).find((n) => n.endsWith('.plan.json')) as string;
    const copy = await importKit(s);
    await s.page.goto(`${s.url}/recordings/${copy}/deliver`);
    await sees(s.page, 'What will be delivered');
    const input = await s.page.$('input[type="file"][accept*="json"]');
    await (input as unknown as { uploadFile(p: string): Promise<void> }).uploadFile(join(folder, plan));
    await sees(s.page, 'Plan opened');
    const on = () => s.page.evaluate(() => Object.values(window.freshGap.store.getState().plan?.mics ?? {}).filter((m) => m.treatment.gate.on).map((m) => m.role).sort());
    expect(await on()).toEqual(['tom-1', 'tom-2']);
    await s.page.click('[data-testid="undo-name"]');
    await s.page.waitForFunction(() => Object.values(window.freshGap.store.getState().plan?.mics ?? {}).every((m) => !m.treatment.gate.on));
    // what is no plan is refused in words
    const bad = join(folder, 'bad.json');
    writeFileSync(bad, '{"version":1}');
    const again = await s.page.$('input[type="file"][accept*="json"]');
    await (again as unknown as { uploadFile(p: string): Promise<void> }).uploadFile(bad);
    await sees(s.page, 'This is not a valid plan');
    expect(existsSync(bad)).toBe(true);
  });
});
