import type { HTTPRequest, HTTPResponse } from 'puppeteer-core';
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest';
import { GATE_DEFAULTS } from '../../src/core/params/gateParams';
import { type Sql, connect } from '../../src/server/db';
import { type Session, importKit, openBrowser, openClean, press, saved, sees } from '../support/browser';

let s: Session;
let sql: Sql;
let id: string;
let tom: string;
let analysed = 0;
beforeAll(async () => {
  s = await openBrowser();
  sql = connect(inject('databaseUrl'), 2);
  id = await importKit(s);
  tom = await openClean(s.page, s.url, id, 'tom-1');
  analysed = await edits();
});
afterAll(async () => {
  expect(s.errors).toEqual([]);
  await s.close();
  await sql.end();
});

const gate = () => s.page.evaluate((m) => window.freshGap.store.getState().plan?.mics[m].treatment.gate, tom);
const storedGate = async () => (await sql`select doc from plan where recording_id = ${id}`)[0].doc.mics[tom].treatment.gate;
const edits = async () => (await sql`select count(*)::int as n from plan_edit where recording_id = ${id}`)[0].n as number;

/** Edits since the analysis. */
const editCount = async () => (await edits()) - analysed;

/** Drags something by its middle, in many moves. */
async function drag(selector: string, dx: number, dy: number) {
  const box = await (await s.page.waitForSelector(selector))?.boundingBox();
  if (!box) throw new Error(`${selector} is not shown`);
  const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
  await s.page.mouse.move(x, y);
  await s.page.mouse.down();
  for (let i = 1; i <= 8; i++) await s.page.mouse.move(x + (dx * i) / 8, y + (dy * i) / 8);
  await s.page.mouse.up();
}

describe('the gate of a tom', () => {
  it('gets its threshold by dragging the line on the waveform: one named, saved step', async () => {
    const before = await gate();
    await drag('[role="slider"][aria-label="Opens"]', 0, -40);
    await saved(s.page);
    const after = await gate();
    expect(after?.on).toBe(true);
    expect(after?.thresholdDb).toBeGreaterThan((before?.thresholdDb ?? 0) + 1);
    expect(await editCount()).toBe(1);
    expect(await storedGate()).toEqual(after);
    const name = await s.page.evaluate(() => window.freshGap.store.getState().undo);
    expect(name).toMatch(/^Tom 1 (gate on, )?threshold [−-]30(\.0)? to [−-]\d/);
    await sees(s.page, name as string);
  });

  it('gets any setting by a typed value, refuses what is out of range, and goes back by double click', async () => {
    const type = async (text: string) => {
      const input = await s.page.waitForSelector('#p-releaseMs');
      await input?.click();
      await s.page.waitForFunction(() => {
        const e = document.querySelector<HTMLInputElement>('#p-releaseMs');
        return e !== null && e.value !== '' && e.selectionStart === 0 && e.selectionEnd === e.value.length;
      });
      await input?.type(text);
      await input?.press('Enter');
    };
    await type('420');
    await saved(s.page);
    expect((await storedGate()).releaseMs).toBe(420);
    const n = await editCount();
    await type('99999');
    expect(await s.page.$eval('#p-releaseMs', (e) => e.getAttribute('aria-invalid'))).toBe('true');
    expect((await gate())?.releaseMs).toBe(420);
    expect(await editCount()).toBe(n);
    await s.page.keyboard.press('Escape');
    // back to the default by a double click on the name, and forward again
    await s.page.click('[data-name="releaseMs"]', { count: 2 });
    await saved(s.page);
    expect((await storedGate()).releaseMs).toBe(GATE_DEFAULTS.releaseMs);
    await type('420 ms');
    await saved(s.page);
    expect((await storedGate()).releaseMs).toBe(420);
  });

  it('is undone and redone by name, also after a reload', async () => {
    const was = await gate();
    await s.page.reload();
    await s.page.waitForFunction((m) => window.freshGap?.store.getState().preview?.micId === m, {}, tom);
    expect(await gate()).toEqual(was);
    await s.page.keyboard.down('Control');
    await s.page.keyboard.press('z');
    await s.page.keyboard.up('Control');
    await s.page.waitForFunction((m) => window.freshGap.store.getState().plan?.mics[m].treatment.gate.releaseMs !== 420, {}, tom);
    await saved(s.page);
    expect((await storedGate()).releaseMs).not.toBe(420);
    expect(await s.page.evaluate(() => window.freshGap.store.getState().redo)).toMatch(/release .* to 420/);
    await s.page.keyboard.down('Control');
    await s.page.keyboard.down('Shift');
    await s.page.keyboard.press('Z');
    await s.page.keyboard.up('Shift');
    await s.page.keyboard.up('Control');
    await s.page.waitForFunction((m) => window.freshGap.store.getState().plan?.mics[m].treatment.gate.releaseMs === 420, {}, tom);
    await saved(s.page);
    expect(await storedGate()).toEqual(was);
  });

  it('takes no harm from undo or redo pressed beyond the last step: it ends where the steps end', async () => {
    const was = await gate();
    const strike = async (key: 'z' | 'Z', times: number) => {
      await s.page.keyboard.down('Control');
      if (key === 'Z') await s.page.keyboard.down('Shift');
      for (let k = 0; k < times; k++) await s.page.keyboard.press(key);
      if (key === 'Z') await s.page.keyboard.up('Shift');
      await s.page.keyboard.up('Control');
    };
    const refused: string[] = [];
    const listen = async (r: HTTPResponse) => {
      if (r.status() === 409) refused.push((await r.json()).error.code);
    };
    s.page.on('response', listen);
    await strike('z', 3);
    await s.page.waitForFunction((m) => window.freshGap.store.getState().plan?.mics[m].treatment.gate.releaseMs !== 420, {}, tom);
    await saved(s.page);
    await strike('Z', 6);
    await s.page.waitForFunction(() => window.freshGap.store.getState().redo === null && window.freshGap.store.getState().saving === 'saved');
    s.page.off('response', listen);
    expect(new Set(refused)).toEqual(new Set(['NOTHING_TO_REDO']));
    expect(await storedGate()).toEqual(was);
    expect(await gate()).toEqual(was);
    expect(await s.page.evaluate(() => document.body.textContent)).not.toMatch(/nothing to redo/i);
  });

  it('shows at once how far it closes, and follows every change', async () => {
    const figures = () => s.page.evaluate(() => window.freshGap.store.getState().preview?.figures);
    const before = await figures();
    const turn = await s.page.evaluate(() => window.freshGap.store.getState().preview?.turn ?? 0);
    await drag('[role="slider"][aria-label="Opens"]', 0, 60);
    await s.page.waitForFunction((t) => (window.freshGap.store.getState().preview?.turn ?? 0) > t, {}, turn);
    await saved(s.page);
    expect(await figures()).not.toEqual(before);
    await s.page.keyboard.down('Control');
    await s.page.keyboard.press('z');
    await s.page.keyboard.up('Control');
    await saved(s.page);
  });
});

describe('the view', () => {
  const view = () => s.page.evaluate(() => window.freshGap.store.getState().view);
  it('zooms by the wheel with what is under the pointer held in its place', async () => {
    const box = await (await s.page.$('[data-testid="wave-area"]'))?.boundingBox();
    if (!box) throw new Error('no waveform');
    await s.page.keyboard.down('Shift');
    await s.page.keyboard.press('Z');
    await s.page.keyboard.up('Shift');
    const before = await view();
    const share = 0.75;
    await s.page.mouse.move(box.x + share * box.width, box.y + 60);
    await s.page.mouse.wheel({ deltaY: -400 });
    await s.page.waitForFunction((t) => window.freshGap.store.getState().view.to - window.freshGap.store.getState().view.from < t * 0.7, {}, before.to - before.from);
    const after = await view();
    const at = (v: { from: number; to: number }) => v.from + share * (v.to - v.from);
    expect(Math.abs(at(after) - at(before))).toBeLessThan((0.005 * (after.to - after.from)) + 1);
    // drag scrolls
    await s.page.mouse.down();
    await s.page.mouse.move(box.x + (share - 0.2) * box.width, box.y + 60, { steps: 5 });
    await s.page.mouse.up();
    const moved = await view();
    expect((moved.from - after.from) / (after.to - after.from)).toBeCloseTo(0.2, 1);
  });

  it('goes down to single samples', async () => {
    for (let i = 0; i < 24; i++) await s.page.keyboard.press('+');
    const v = await view();
    expect(v.to - v.from).toBeLessThan(100);
    await s.page.keyboard.down('Shift');
    await s.page.keyboard.press('Z');
    await s.page.keyboard.up('Shift');
  });

  it('takes a loop by dragging on the ruler', async () => {
    const box = await (await s.page.$('[data-testid="ruler"]'))?.boundingBox();
    if (!box) throw new Error('no ruler');
    await s.page.mouse.move(box.x + 100, box.y + box.height / 2);
    await s.page.mouse.down();
    await s.page.mouse.move(box.x + 300, box.y + box.height / 2, { steps: 5 });
    await s.page.mouse.up();
    const { loop, view: v, on } = await s.page.evaluate(() => {
      const b = window.freshGap.store.getState();
      return { loop: b.loop, view: b.view, on: b.loopOn };
    });
    expect(on).toBe(true);
    expect((loop?.from ?? 0) / v.to).toBeCloseTo(100 / box.width, 1);
    expect((loop?.to ?? 0) / v.to).toBeCloseTo(300 / box.width, 1);
    await s.page.keyboard.press('l');
  });
});

describe('two tabs on one recording', () => {
  it('follow each other; the one that missed a change is told, loads it and can apply its own again', async () => {
    const other = await s.another();
    // this tab hears of nothing
    const cdp = await other.createCDPSession();
    await cdp.send('Network.enable');
    await cdp.send('Network.setBlockedURLs', { urls: ['*/events'] });
    await openClean(other, s.url, id, 'tom-1');
    const release = await gate();
    await s.page.bringToFront();
    await press(s.page, 'Gate of Tom 1');
    await saved(s.page);
    const here = await gate();
    expect(here?.on).toBe(!release?.on);
    // a change on the old plan, of something else: both stand
    await other.bringToFront();
    await other.focus('[role="slider"][aria-label="Hold"]');
    await other.keyboard.press('ArrowRight');
    await sees(other, 'Changed in another tab');
    await saved(other);
    const first = await storedGate();
    expect(first.on).toBe(here?.on);
    expect(first.holdMs).not.toBe(here?.holdMs);
    // a change on the old plan, of the same: the newer plan stands
    await s.page.bringToFront();
    await s.page.waitForFunction((m, h) => window.freshGap.store.getState().plan?.mics[m].treatment.gate.holdMs === h, {}, tom, first.holdMs);
    await s.page.focus('[role="slider"][aria-label="Hold"]');
    for (let n = 0; n < 2; n++) await s.page.keyboard.press('ArrowRight');
    await saved(s.page);
    const newer = await storedGate();
    await other.bringToFront();
    await other.focus('[role="slider"][aria-label="Hold"]');
    await other.keyboard.press('ArrowLeft');
    const again = await other.waitForSelector('::-p-aria([name="Apply it again"])', { visible: true });
    const loaded = await other.evaluate((m) => window.freshGap.store.getState().plan?.mics[m].treatment.gate, tom);
    expect(loaded).toEqual(newer);
    expect(await storedGate()).toEqual(newer);
    await again?.click();
    await saved(other);
    const both = await storedGate();
    expect(both.holdMs).not.toBe(newer.holdMs);
    // the first tab, which listens, has followed
    await s.page.bringToFront();
    await s.page.waitForFunction((m, h) => window.freshGap.store.getState().plan?.mics[m].treatment.gate.holdMs === h, {}, tom, both.holdMs);
    await other.close();
  });

  it('loses nothing while the server cannot be reached', async () => {
    await s.page.setOfflineMode(true);
    await s.page.keyboard.press('g');
    await s.page.waitForFunction(() => window.freshGap.store.getState().saving === 'offline');
    const mine = await gate();
    expect(await storedGate()).not.toEqual(mine);
    await s.page.setOfflineMode(false);
    await saved(s.page);
    expect(await storedGate()).toEqual(mine);
  });
});

describe('a mic that takes long to come', () => {
  it('is not waited for by the next one', async () => {
    const { page } = s;
    const [slow, next] = await page.evaluate(() => {
      const { mics, order } = window.freshGap.store.getState().plan as NonNullable<ReturnType<typeof window.freshGap.store.getState>['plan']>;
      return ['kick-in', 'snare-top'].map((role) => order.find((id) => mics[id].role === role) as string);
    });
    const contentOf = async (mic: string) => (await sql<{ content: string }[]>`
      select a.content from mic m join source_file f on f.id = m.file_id join audio a on a.id = f.audio_id where m.recording_id = ${id} and m.id = ${mic}`)[0].content;
    const held = await contentOf(slow);
    await openClean(page, s.url, id, 'tom-1');
    await page.setRequestInterception(true);
    let asked = 0;
    const hold = (r: HTTPRequest) => {
      if (r.url().includes(`/bulk/pcm/${held}/`)) asked++;
      else void r.continue();
    };
    page.on('request', hold);
    await page.click(`[data-mic="${slow}"] button`);
    for (let n = 0; asked === 0 && n < 100; n++) await new Promise((done) => setTimeout(done, 50));
    expect(asked).toBeGreaterThan(0);
    await page.click(`[data-mic="${next}"] button`);
    await page.waitForFunction((m) => window.freshGap.store.getState().preview?.micId === m, { timeout: 20_000 }, next);
    page.off('request', hold);
    await page.setRequestInterception(false);
  });
});
