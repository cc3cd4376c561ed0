/** Headless Chromium on the built application. */
import { mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import puppeteer, { type Browser, type Page } from 'puppeteer-core';
import { inject } from 'vitest';
import type { Bench } from '../../src/islands/workbench/store';
import type { StoreApi } from 'zustand';

declare global {
  interface Window {
    freshGap: { store: StoreApi<Bench>; render(from: number, frames: number): Promise<[Float32Array, Float32Array]>; heardAt(): number };
  }
}

export const VIEW = { width: 1280, height: 800 };

export interface Session {
  browser: Browser;
  page: Page;
  url: string;
  /** A second page on the same server. */
  another(): Promise<Page>;
  /** What went wrong in pages without being caught. */
  errors: string[];
  close(): Promise<void>;
}

export async function openBrowser(): Promise<Session> {
  const profile = mkdtempSync(join(tmpdir(), 'fresh-gap-chromium-'));
  const browser = await puppeteer.launch({
    executablePath: process.env.CHROMIUM || '/usr/bin/chromium',
    userDataDir: profile,
    defaultViewport: VIEW,
    args: ['--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run', '--autoplay-policy=no-user-gesture-required', '--disable-background-networking', '--disable-component-update', '--disable-sync'],
  });
  const errors: string[] = [];
  const another = async () => {
    const page = await browser.newPage();
    page.on('pageerror', (e) => errors.push(e instanceof Error ? e.message : String(e)));
    return page;
  };
  return {
    browser, another, errors,
    page: await another(),
    url: inject('url'),
    async close() {
      await browser.close();
      rmSync(profile, { recursive: true, force: true });
    },
  };
}

/** WAV files of the kit folder, full paths. */
export const kitFiles = (): string[] => readdirSync(inject('kitFolder')).filter((n) => n.endsWith('.wav')).sort().map((n) => join(inject('kitFolder'), n));

/** Hands files to the drop area's own input, as the file chooser does. */
export async function giveFiles(page: Page, paths: readonly string[]): Promise<void> {
  const input = await page.waitForSelector('[data-testid="files-input"]');
  if (!input) throw new Error('no file input');
  await (input as unknown as { uploadFile(...p: string[]): Promise<void> }).uploadFile(...paths);
}

/** Imports the kit through the page; returns the recording's id. */
export async function importKit(s: Session, page = s.page): Promise<string> {
  await page.goto(s.url);
  await page.waitForFunction(() => !document.body.innerText.includes('Loading ...'));
  await giveFiles(page, kitFiles());
  await page.waitForFunction(() => /\/recordings\/[^/]+\/intake/.test(location.pathname), { timeout: 60_000 });
  const id = new URL(page.url()).pathname.split('/')[2];
  // the analysis is an edit of the plan: what tests count begins after it
  for (let n = 0; n < 600; n++) {
    const { job } = (await (await fetch(`${s.url}/api/recordings/${id}/analysis`)).json()) as { job: { state: string } | null };
    if (job && job.state !== 'queued' && job.state !== 'running') return id;
    await new Promise((done) => setTimeout(done, 100));
  }
  throw new Error('the analysis does not end');
}

/** Opens the recording at Clean with a mic in focus and waits until its waveform is computed. */
export async function openClean(page: Page, url: string, id: string, role: string): Promise<string> {
  await page.goto(`${url}/recordings/${id}/clean`);
  await page.waitForFunction(() => window.freshGap?.store.getState().plan != null);
  const mic = await page.evaluate((r) => Object.entries(window.freshGap.store.getState().plan?.mics ?? {}).find(([, m]) => m.role === r)?.[0] ?? '', role);
  await page.click(`[data-mic="${mic}"] button`);
  await page.waitForFunction((m) => window.freshGap.store.getState().preview?.micId === m, { timeout: 30_000 }, mic);
  return mic;
}

/** Waits until everything decided is on the server. */
export const saved = (page: Page) => page.waitForFunction(() => window.freshGap.store.getState().saving === 'saved', { polling: 50 });

/** What the worklet plays from `from` on, as plain arrays. */
export async function rendered(page: Page, from: number, frames: number): Promise<[number[], number[]]> {
  const { l, r } = await page.evaluate(async (f, n) => {
    const [left, right] = await window.freshGap.render(f, n);
    return { l: Array.from(left), r: Array.from(right) };
  }, from, frames);
  return [l, r];
}

/** Waits, in the page, until an element is where it was 100 ms before: what appears or goes beside it moves it away from under the pointer. */
async function stands(el: Element): Promise<void> {
  const at = () => {
    const { left, top, width } = el.getBoundingClientRect();
    return `${left} ${top} ${width}`;
  };
  for (let before = '', now = at(), n = 0; now !== before && n < 50; n++) {
    before = now;
    await new Promise((done) => setTimeout(done, 100));
    now = at();
  }
}

/** A button, link or radio by what it is called, once it stands still; found again where the page put another in its place before it could be clicked. */
export async function press(page: Page, name: string): Promise<void> {
  for (let tries = 3; ; tries--) {
    const el = await page.waitForSelector(`::-p-aria([name="${name}"])`, { visible: true });
    try {
      await el?.evaluate(stands);
      return await el?.click();
    } catch (error) {
      if (tries === 1 || !(error instanceof Error && error.message.includes('detached'))) throw error;
    }
  }
}

/** Waits until a text stands on the page. */
export const sees = (page: Page, text: string, timeout = 15_000) => page.waitForFunction((t) => document.body.innerText.includes(t), { timeout }, text);

/** Waits until a view has what it shows: its recording and its fonts. */
export async function settled(page: Page): Promise<void> {
  await page.waitForFunction(() => document.fonts.status === 'loaded' && !/Loading \.\.\.|Opening the recording/.test(document.body.innerText) && (location.pathname === '/' || window.freshGap?.store.getState().plan != null));
  await new Promise((done) => setTimeout(done, 400));
}
