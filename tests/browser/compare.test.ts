/** Step Compare: what became of every mic, the places worth a listen, and the loop looked at before, after and removed. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Session, importKit, openBrowser, press, saved, sees } from '../support/browser';

let s: Session;
let id: string;
beforeAll(async () => {
  s = await openBrowser();
  id = await importKit(s);
});
afterAll(async () => {
  expect(s.errors).toEqual([]);
  await s.close();
});

const open = async () => {
  await s.page.goto(`${s.url}/recordings/${id}/compare`);
  await s.page.waitForFunction(() => window.freshGap?.store.getState().plan != null);
};
const ready = () => s.page.waitForFunction(() => document.querySelectorAll('[data-compared]').length > 0 && !document.querySelector('[data-compared][aria-busy="true"]'), { timeout: 60_000, polling: 100 });
const rows = () => s.page.$$eval('[data-compared]', (l) => l.map((r) => ({ mic: r.getAttribute('data-compared') ?? '', cells: [...r.querySelectorAll('td')].slice(2).map((c) => c.textContent ?? '') })));
const number = (t: string) => Number(t.replace('−', '-'));

describe('comparing', () => {
  it('says that there is nothing to compare before anything is done, and leads to where it is done', async () => {
    await open();
    await sees(s.page, 'Nothing to compare yet');
    await press(s.page, 'Go to Clean');
    await s.page.waitForFunction(() => location.pathname.endsWith('/clean'));
  });

  it('tells of every treated mic what went from gaps and tails, whether attacks and strokes stayed, and how much softer it is', async () => {
    await press(s.page, 'without de-bleed');
    await saved(s.page);
    // the focused mic is worked out first
    const last = await s.page.evaluate(() => {
      const p = window.freshGap.store.getState().plan;
      const mic = [...(p?.order ?? [])].reverse().find((m) => p?.mics[m].treatment.gate.on || p?.mics[m].treatment.slices.on) ?? '';
      window.freshGap.store.setState({ focus: mic });
      const done: string[] = [];
      Object.assign(window, { workedOut: done });
      new MutationObserver(() => {
        for (const row of document.querySelectorAll('[data-compared][aria-busy="false"]')) {
          const m = row.getAttribute('data-compared') ?? '';
          if (!done.includes(m)) done.push(m);
        }
      }).observe(document.body, { subtree: true, childList: true, attributes: true });
      return mic;
    });
    await press(s.page, 'Compare');
    await ready();
    const workedOut = await s.page.evaluate(() => (window as unknown as { workedOut: string[] }).workedOut);
    expect(workedOut[0]).toBe(last);
    expect(workedOut.length).toBeGreaterThan(2);
    const plan = await s.page.evaluate(() => window.freshGap.store.getState().plan);
    const told = await rows();
    expect(told.map((r) => r.mic)).toEqual(plan?.order.filter((m) => plan.mics[m].treatment.gate.on || plan.mics[m].treatment.slices.on));
    expect(told.length).toBeGreaterThan(2);
    for (const { mic, cells } of told) {
      const [gaps, tails, attacks, strokes, bySpill, loudness] = cells;
      expect(number(gaps), mic).toBeLessThan(-20);
      expect(number(tails), mic).toBeLessThanOrEqual(0.1);
      expect(Math.abs(number(attacks)), mic).toBeLessThan(0.5);
      const [kept, of] = strokes.split('/').map(Number);
      expect(kept, mic).toBe(of);
      expect(of, mic).toBeGreaterThan(0);
      expect(bySpill).toBe('0');
      expect(number(loudness), mic).toBeLessThanOrEqual(0.1);
    }
    await sees(s.page, 'As they came:');
  });

  it('leads to the places worth a listen, each in a loop, which is shown before, after and removed', async () => {
    const tom = await s.page.evaluate(() => {
      const p = window.freshGap.store.getState().plan;
      return p?.order.find((m) => p.mics[m].role === 'tom-1') ?? '';
    });
    await s.page.click(`[data-compared="${tom}"] button`);
    await s.page.waitForFunction((m) => window.freshGap.store.getState().preview?.micId === m, { timeout: 30_000 }, tom);
    await s.page.waitForFunction(() => document.querySelectorAll('aside li button').length > 0);
    const places = await s.page.$$eval('aside li button', (l) => l.map((b) => b.textContent ?? ''));
    expect(places.some((p) => p.startsWith('Softest stroke left'))).toBe(true);
    expect(places.some((p) => p.startsWith('Loudest taken between strokes'))).toBe(true);
    const taken = places.findIndex((p) => p.startsWith('Loudest taken between strokes'));
    await (await s.page.$$('aside li button'))[taken].click();
    await s.page.waitForFunction(() => window.freshGap.store.getState().playing);
    const heard = await s.page.evaluate(() => {
      const { loop, loopOn, alone, focus, plan } = window.freshGap.store.getState();
      return { loop, loopOn, alone, focus, rate: plan?.sampleRate ?? 1 };
    });
    expect(heard).toMatchObject({ loopOn: true, alone: true, focus: tom });
    const [, minutes, seconds] = /(\d+):(\d+\.\d+)/.exec(places[taken]) ?? [];
    const at = (60 * Number(minutes) + Number(seconds)) * heard.rate;
    expect(heard.loop?.from).toBeLessThan(at);
    expect(heard.loop?.to).toBeGreaterThan(at);
    // there the mic was loud, is silent, and all of it was removed: ink in the first lane and the last, a mere line in the middle
    const inked = () =>
      s.page.$eval('[data-testid="closer"] canvas', (e) => {
        const c = e as HTMLCanvasElement;
        const d = c.getContext('2d')?.getImageData(0, 0, c.width, c.height).data ?? [];
        const x = Math.round((c.width * 0.3) / 1.2);
        return [0, 1, 2].map((lane) => {
          let n = 0;
          for (let y = Math.floor((lane * c.height) / 3); y < Math.floor(((lane + 1) * c.height) / 3); y++) for (let dx = -2; dx <= 2; dx++) if (d[4 * (y * c.width + x + dx) + 3] > 0) n++;
          return n;
        });
      });
    await s.page.waitForFunction(() => {
      const c = document.querySelector<HTMLCanvasElement>('[data-testid="closer"] canvas');
      const d = c?.getContext('2d')?.getImageData(0, 0, c.width, c.height).data;
      return d ? d.some((v) => v > 0) : false;
    });
    const [before, after, removed] = await inked();
    expect(before).toBeGreaterThan(4 * after);
    expect(removed).toBeGreaterThan(4 * after);
    await s.page.keyboard.press('Space');
  });

  it('follows what is changed, undo too', async () => {
    const before = await rows();
    // one mic goes back to how it came, by its key
    await s.page.keyboard.press('c');
    await saved(s.page);
    await s.page.waitForFunction((n) => document.querySelectorAll('[data-compared]').length === n - 1, {}, before.length);
    await s.page.keyboard.down('Control');
    await s.page.keyboard.press('z');
    await s.page.keyboard.up('Control');
    await s.page.waitForFunction((n) => document.querySelectorAll('[data-compared]').length === n, {}, before.length);
    await ready();
    expect(await rows()).toEqual(before);
  });
});
