/** A song of ten minutes with 5,000 hits and 2,000 slices: everything is there and moves. How quickly is told in the report, not checked, since machines differ. */
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest';
import { type Sql, connect } from '../../src/server/db';
import { type Session, giveFiles, openBrowser, openClean } from '../support/browser';
import { wavFile } from '../support/wavs';

const RATE = 8000;
const SECONDS = 600;
const COUNTS = { kick: 3000, 'tom-1': 2000 } as const;

let s: Session;
let sql: Sql;
let id: string;
let folder: string;
beforeAll(async () => {
  s = await openBrowser();
  sql = connect(inject('databaseUrl'), 2);
  folder = mkdtempSync(join(tmpdir(), 'fresh-gap-many-'));
  const paths = ['01 Kick In.wav', '02 Tom 1.wav'].map((name, seed) => {
    writeFileSync(join(folder, name), wavFile({ encoding: 'pcm16', rate: RATE, frames: SECONDS * RATE, seed }));
    return join(folder, name);
  });
  await s.page.goto(s.url);
  await giveFiles(s.page, paths);
  await s.page.waitForFunction(() => /\/recordings\/[^/]+\/intake/.test(location.pathname), { timeout: 60_000 });
  id = new URL(s.page.url()).pathname.split('/')[2];
  for (let n = 0; n < 900; n++) {
    const { job } = (await (await fetch(`${s.url}/api/recordings/${id}/analysis`)).json()) as { job: { state: string } | null };
    if (job && job.state !== 'queued' && job.state !== 'running') break;
    await new Promise((done) => setTimeout(done, 100));
  }
  const hits = Object.fromEntries(
    Object.entries(COUNTS).map(([drum, n]) => [
      drum, Object.fromEntries(Array.from({ length: n }, (_, i) => [`m${i}`, { frame: Math.round(((i + 0.3) * SECONDS * RATE) / n), strength: 0.2 + 0.8 * ((i % 9) / 9), certainty: 0.95, state: 'found' }])),
    ]),
  );
  const [{ doc }] = await sql`select doc from plan where recording_id = ${id}`;
  const tom = Object.keys(doc.mics).find((m) => doc.mics[m].role === 'tom-1') as string;
  doc.mics[tom].treatment.slices = { ...doc.mics[tom].treatment.slices, on: true, bridgeMs: 0, tailBy: 'fixed', tailMs: 120 };
  await sql`update plan set doc = ${sql.json({ ...doc, hits })} where recording_id = ${id}`;
});
afterAll(async () => {
  expect(s.errors).toEqual([]);
  await s.close();
  await sql.end();
  rmSync(folder, { recursive: true, force: true });
});

/** Runs `move` once a frame of the screen, `times` times; how many frames a second there were. */
async function framesPerSecond(times: number, move: string): Promise<number> {
  return s.page.evaluate(
    async (n, code) => {
      const step = new Function('i', code) as (i: number) => void;
      const next = () => new Promise((done) => requestAnimationFrame(done));
      await next();
      const from = performance.now();
      for (let i = 0; i < n; i++) {
        step(i);
        await next();
      }
      return (1000 * n) / (performance.now() - from);
    },
    times, move,
  );
}

/** A sum over the pixels of a canvas. */
const pictureOf = (selector: string) =>
  s.page.$eval(selector, (e) => {
    const c = e as HTMLCanvasElement;
    const d = c.getContext('2d')?.getImageData(0, 0, c.width, c.height).data ?? [];
    let sum = 0;
    for (let i = 0; i < d.length; i += 97) sum = (sum * 31 + d[i]) % 1_000_003;
    return sum;
  });

describe('a song of ten minutes', () => {
  it('shows all 5,000 hits and moves over them', async () => {
    await s.page.goto(`${s.url}/recordings/${id}/hits`);
    await s.page.waitForFunction(() => Object.keys(window.freshGap?.store.getState().plan?.hits?.kick ?? {}).length === 3000);
    await s.page.waitForSelector('[data-testid="hit-map"] canvas');
    const whole = await pictureOf('[data-testid="hit-map"] canvas');
    const frames = SECONDS * RATE;
    const pan = await framesPerSecond(90, `const w = ${frames} / 2; window.freshGap.store.setState({ view: { from: i * ${frames} / 200, to: i * ${frames} / 200 + w } })`);
    const zoom = await framesPerSecond(90, `window.freshGap.store.setState({ view: { from: 0, to: ${frames} * (1 - i / 100) } })`);
    console.log(`5,000 hits: ${pan.toFixed(0)} frames a second while moving, ${zoom.toFixed(0)} while zooming`);
    expect(await pictureOf('[data-testid="hit-map"] canvas')).not.toBe(whole);
    // the last stroke is at its place: a click there chooses it
    await s.page.evaluate((f) => window.freshGap.store.setState({ view: { from: f - 4000, to: f } }), frames);
    await new Promise((done) => setTimeout(done, 200));
    const box = await (await s.page.$('[data-testid="hit-map"] canvas'))?.boundingBox();
    const frame = Math.round((2999.3 * frames) / 3000);
    const lanes = await s.page.evaluate(() => Object.keys(window.freshGap.store.getState().plan?.hits ?? {}).length);
    await s.page.mouse.click((box?.x ?? 0) + ((frame - (frames - 4000)) / 4000) * (box?.width ?? 0), (box?.y ?? 0) + (box?.height ?? 0) / (2 * lanes));
    expect(await s.page.evaluate(() => window.freshGap.store.getState().hit)).toEqual({ drum: 'kick', id: 'm2999' });
  });

  it('shows 2,000 slices as tiles that scroll', async () => {
    await openClean(s.page, s.url, id, 'tom-1');
    await s.page.keyboard.press('y');
    const header = await s.page.waitForSelector('section[aria-label="Tiles"] header');
    await s.page.waitForFunction((e) => e?.textContent?.includes('2000 hits') || e?.textContent?.includes('2,000 hits'), {}, header);
    const box = '[data-testid="tiles"]';
    await s.page.waitForSelector(`${box} button`);
    await new Promise((done) => setTimeout(done, 500));
    const first = await pictureOf(`${box} canvas`);
    const rate = await framesPerSecond(120, `document.querySelector('${box}').scrollLeft = i * 200`);
    console.log(`2,000 tiles: ${rate.toFixed(0)} frames a second while scrolling`);
    await s.page.waitForFunction((b) => document.querySelector(b)?.scrollLeft === 119 * 200, {}, box);
    await new Promise((done) => setTimeout(done, 300));
    expect(await pictureOf(`${box} canvas`)).not.toBe(first);
    // a tile far along is its own stroke
    const tile = await s.page.waitForSelector(`${box} button:nth-of-type(3)`);
    await tile?.click();
    expect(await s.page.evaluate(() => window.freshGap.store.getState().slices.size)).toBe(1);
  });
});
