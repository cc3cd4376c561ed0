import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest';
import { type Sql, connect } from '../../src/server/db';
import { type Session, importKit, openBrowser, openClean, press, rendered, saved, sees } from '../support/browser';

let s: Session;
let sql: Sql;
let id: string;
let tom: string;
beforeAll(async () => {
  s = await openBrowser();
  sql = connect(inject('databaseUrl'), 2);
  id = await importKit(s);
  tom = await openClean(s.page, s.url, id, 'tom-1');
  await press(s.page, 'De-bleed');
});
afterAll(async () => {
  expect(s.errors).toEqual([]);
  await s.close();
  await sql.end();
});

const energy = (x: readonly number[]) => x.reduce((a, v) => a + v * v, 0);
const kept = () => s.page.evaluate(() => Object.keys(window.freshGap.store.getState().data?.debled ?? {}));
const settings = () => s.page.evaluate((m) => window.freshGap.store.getState().plan?.mics[m].treatment.debleed, tom);
const listen = (what: 'before' | 'after' | 'removed') => s.page.evaluate((w) => window.freshGap.store.setState({ listen: w, alone: true }), what);

describe('de-bleed in Clean', () => {
  it('says that it is not computed, and can be cancelled while it is', async () => {
    await sees(s.page, 'not computed yet');
    await press(s.page, 'Compute de-bleed');
    // the stretch in view is there before the song is begun
    await s.page.waitForFunction((m) => window.freshGap.store.getState().data?.debled[m]?.stretch != null, { timeout: 60_000 }, tom);
    await s.page.waitForFunction(() => window.freshGap.store.getState().debleed?.job?.state === 'running', { timeout: 30_000, polling: 50 });
    await press(s.page, 'Cancel');
    await s.page.waitForFunction(() => window.freshGap.store.getState().debleed?.job?.state === 'cancelled', { timeout: 30_000, polling: 100 });
    expect(await kept()).toEqual([tom]);
    await sees(s.page, 'only 0:00.000 to');
  });

  it('lets the stretch that came first be heard: elsewhere the mic is as it came', async () => {
    await listen('before');
    const raw = await rendered(s.page, 0, 96000);
    await listen('after');
    await press(s.page, 'De-bleed of Tom 1');
    await saved(s.page);
    const first = await rendered(s.page, 0, 96000);
    expect(energy(first[0].map((v, i) => v - raw[0][i]))).toBeGreaterThan(1e-3 * energy(raw[0]));
    await press(s.page, 'De-bleed of Tom 1');
    await saved(s.page);
  });

  it('computes all close mics at once; on, it is seen in figures and heard', async () => {
    await press(s.page, 'Compute de-bleed');
    await s.page.waitForFunction(() => Object.keys(window.freshGap.store.getState().data?.debled ?? {}).length === 5, { timeout: 120_000, polling: 200 });
    await listen('after');
    const raw = await rendered(s.page, 0, 96000);
    await press(s.page, 'De-bleed of Tom 1');
    await saved(s.page);
    expect((await settings())?.on).toBe(true);
    await s.page.waitForFunction(() => window.freshGap.store.getState().preview?.debleed != null, { timeout: 30_000 });
    await s.page.waitForSelector('[data-testid="debleed-figures"]');
    // nothing closes, so the figures beside are of de-bleed: a level in each of three, and how many strokes
    const told = await s.page.$$eval('[data-testid="figures"] > div', (l) => l.map((e) => e.textContent?.trim() ?? ''));
    expect(told.map((t) => t.replace(/[−\d.].*$/, ''))).toEqual(['Taken in gaps', 'Taken in tails', 'Attacks', 'Own strokes']);
    for (const t of told.slice(0, 3)) expect(t).toMatch(/[−\d]\d*\.\d dB$/);
    expect(told[3]).toMatch(/\d$/);
    const own = await rendered(s.page, 0, 96000);
    expect(energy(own[0].map((v, i) => v - raw[0][i]))).toBeGreaterThan(1e-3 * energy(raw[0]));
    // what was removed is the difference
    await listen('removed');
    const removed = await rendered(s.page, 0, 96000);
    expect(energy(removed[0].map((v, i) => v - (raw[0][i] - own[0][i])))).toBeLessThan(1e-6 * energy(raw[0]));
    await listen('after');
  });

  it('is the raw mic again at 0 dB, by one slider', async () => {
    await listen('before');
    const raw = await rendered(s.page, 20000, 40000);
    await listen('after');
    await s.page.focus('[role="slider"][aria-label="Spill lower by"]');
    await s.page.keyboard.press('Home');
    await saved(s.page);
    expect((await settings())?.depthDb).toBe(0);
    expect(await rendered(s.page, 20000, 40000)).toEqual(raw);
    await s.page.keyboard.down('Control');
    await s.page.keyboard.down('Control');
    await s.page.keyboard.press('z');
    await s.page.keyboard.up('Control');
    await s.page.waitForFunction((m) => window.freshGap.store.getState().plan?.mics[m].treatment.debleed.depthDb === 40, {}, tom);
    await saved(s.page);
  });

  it('is there after a reload, and in a proposed plan', async () => {
    await s.page.reload();
    await s.page.waitForFunction(() => window.freshGap?.store.getState().plan != null);
    expect((await settings())?.on).toBe(true);
    expect(await kept()).toHaveLength(5);
    await s.page.keyboard.press('/');
    await s.page.waitForSelector('[cmdk-input]', { visible: true });
    await s.page.keyboard.type('Propose a treatment');
    await s.page.keyboard.press('Enter');
    await saved(s.page);
    const [{ doc }] = await sql`select doc from plan where recording_id = ${id}`;
    const on = Object.values(doc.mics as Record<string, { role: string; treatment: { debleed: { on: boolean }; gate: { on: boolean } } }>).filter((m) => m.treatment.debleed.on);
    // where de-bleed would cost the drum itself, it is not proposed
    const used = await s.page.evaluate(() => Object.values(window.freshGap.store.getState().data?.debled ?? {}).filter((d) => d.share > 0).length);
    expect(used).toBeGreaterThan(2);
    expect(on.length).toBe(used);
    expect(Object.values(doc.mics as Record<string, { role: string; treatment: { gate: { on: boolean } } }>).find((m) => m.role === 'kick-in')?.treatment.gate.on).toBe(true);
  });
});
