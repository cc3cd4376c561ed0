/** Names, sizes and contrast. Source: WCAG 2.2 (1.4.3, 1.4.11, 2.5.8, 4.1.2). */
import type { SerializedAXNode } from 'puppeteer-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Session, importKit, openBrowser, openClean, sees, settled } from '../support/browser';

let s: Session;
let id: string;
beforeAll(async () => {
  s = await openBrowser();
  id = await importKit(s);
});
afterAll(() => s.close());

const CONTROLS = new Set(['button', 'link', 'slider', 'switch', 'checkbox', 'radio', 'combobox', 'textbox', 'menuitem']);
function nameless(node: SerializedAXNode | null, out: string[] = []): string[] {
  if (!node) return out;
  if (CONTROLS.has(node.role) && !node.name?.trim()) out.push(JSON.stringify(node).slice(0, 200));
  for (const c of node.children ?? []) nameless(c, out);
  return out;
}

const views = () => [`${s.url}/`, `${s.url}/recordings/${id}/intake`, `${s.url}/recordings/${id}/clean`, `${s.url}/recordings/${id}/compare`, `${s.url}/recordings/${id}/deliver`];

describe('every view', () => {
  it('names its controls', async () => {
    await openClean(s.page, s.url, id, 'tom-1');
    for (const url of views()) {
      await s.page.goto(url);
      await settled(s.page);
      const tree = await s.page.accessibility.snapshot();
      expect(nameless(tree), url).toEqual([]);
    }
  });

  it('has targets of 24 px, where they are not part of a line of text', async () => {
    for (const url of views()) {
      await s.page.goto(url);
      await settled(s.page);
      const small = await s.page.$$eval('button, [role="switch"], [role="checkbox"], input:not([type="file"]):not([hidden])', (list) =>
        list.flatMap((e) => {
          const r = e.getBoundingClientRect();
          // spacing counts (2.5.8, exception "spacing"): a circle of 24 px around it may meet no other target
          const near = list.some((o) => {
            if (o === e || o.contains(e) || e.contains(o)) return false;
            const q = o.getBoundingClientRect();
            const [dx, dy] = [Math.max(q.left - (r.left + r.width / 2), r.left + r.width / 2 - q.right, 0), Math.max(q.top - (r.top + r.height / 2), r.top + r.height / 2 - q.bottom, 0)];
            return q.width > 0 && Math.hypot(dx, dy) < 12;
          });
          return r.width > 0 && (r.width < 24 || r.height < 24) && near ? [`${e.getAttribute('aria-label') ?? e.textContent} ${r.width} x ${r.height}`] : [];
        }),
      );
      expect(small, url).toEqual([]);
    }
  });

  it('fits 1280 x 800 without scrolling the page', async () => {
    for (const url of views()) {
      await s.page.goto(url);
      await settled(s.page);
      const over = await s.page.evaluate(() => [document.documentElement.scrollWidth - innerWidth, document.documentElement.scrollHeight - innerHeight]);
      expect(over.map((v) => Math.max(0, v)), url).toEqual([0, 0]);
    }
  });

  it.each(['light', 'dark'])('has text of 4.5 to 1 and controls of 3 to 1 in the %s scheme', async (scheme) => {
    await s.page.emulateMediaFeatures([{ name: 'prefers-color-scheme', value: scheme }]);
    await s.page.goto(s.url);
    const colors = await s.page.evaluate(() => {
      const css = getComputedStyle(document.documentElement);
      return Object.fromEntries(['paper', 'sheet', 'ink', 'ink2', 'line2', 'hand', 'on-hand', 'doubt', 'hand-soft'].map((n) => [n, css.getPropertyValue(`--${n}`).trim()]));
    });
    const luminance = (hex: string) => {
      const parts = /^#(..)(..)(..)$/.exec(hex);
      if (!parts) throw new Error(`not a colour: "${hex}"`);
      const [r, g, b] = parts.slice(1).map((h) => {
        const v = Number.parseInt(h, 16) / 255;
        return v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4;
      });
      return 0.2126 * r + 0.7152 * g + 0.0722 * b;
    };
    const contrast = (a: string, b: string) => {
      const [hi, lo] = [luminance(colors[a]), luminance(colors[b])].sort((x, y) => y - x);
      return (hi + 0.05) / (lo + 0.05);
    };
    for (const text of ['ink', 'ink2', 'hand', 'doubt']) for (const ground of ['paper', 'sheet']) expect(contrast(text, ground), `${text} on ${ground}`).toBeGreaterThanOrEqual(4.5);
    expect(contrast('on-hand', 'hand')).toBeGreaterThanOrEqual(4.5);
    expect(contrast('ink', 'hand-soft')).toBeGreaterThanOrEqual(4.5);
    for (const ground of ['paper', 'sheet']) expect(contrast('line2', ground), `line2 on ${ground}`).toBeGreaterThanOrEqual(3);
    await s.page.emulateMediaFeatures([]);
  });
});

describe('the keyboard', () => {
  it('opens the keys with ? and the commands with /, which run what they say', async () => {
    await openClean(s.page, s.url, id, 'tom-1');
    await s.page.keyboard.press('?');
    await sees(s.page, 'Play or stop');
    await s.page.keyboard.press('Escape');
    await s.page.waitForFunction(() => !document.querySelector('[role="dialog"]'));
    await s.page.keyboard.press('/');
    await s.page.waitForSelector('[role="dialog"]');
    // many have this word: the one that Enter would run is in sight
    await s.page.keyboard.type('slice');
    await s.page.waitForFunction(() => {
      const [item, list] = ['[cmdk-item][data-selected="true"]', '[cmdk-list]'].map((q) => document.querySelector(q)?.getBoundingClientRect());
      return item && list && item.height > 0 && item.top >= list.top && item.bottom <= list.bottom;
    });
    for (const _ of 'slice') await s.page.keyboard.press('Backspace');
    await s.page.keyboard.type('mute this');
    await s.page.keyboard.press('Enter');
    await s.page.waitForFunction(() => window.freshGap.store.getState().muted.size === 1);
    await s.page.keyboard.press('m');
    expect(await s.page.evaluate(() => window.freshGap.store.getState().muted.size)).toBe(0);
  });

  it('never works on what another step shows: such a command leads there, and its key does nothing', async () => {
    await openClean(s.page, s.url, id, 'tom-1');
    const state = () => s.page.evaluate(() => JSON.stringify(window.freshGap.store.getState().plan));
    const before = await state();
    const choose = async (words: string, path: RegExp) => {
      await s.page.keyboard.press('/');
      await s.page.waitForSelector('[role="dialog"]');
      await s.page.keyboard.type(words);
      await s.page.keyboard.press('Enter');
      await s.page.waitForFunction((p) => new RegExp(p).test(location.pathname) && !document.querySelector('[role="dialog"]'), {}, path.source);
    };
    await choose('not a hit', /\/hits$/);
    expect(await state()).toBe(before);
    for (const key of ['g', 'v', 'c', 'd'] as const) await s.page.keyboard.press(key);
    expect(await state()).toBe(before);
    await choose('gate of this mic', /\/clean$/);
    expect(await state()).toBe(before);
    // the mic of the hit that was looked at
    const gated = (on: boolean) => s.page.waitForFunction((v) => {
      const { plan, focus } = window.freshGap.store.getState();
      return plan?.mics[focus].treatment.gate.on === v;
    }, {}, on);
    await s.page.keyboard.press('g');
    await gated(true);
    await s.page.keyboard.press('g');
    await gated(false);
  });

  it('moves the threshold from the focused line, and gives it back on undo', async () => {
    const mic = await openClean(s.page, s.url, id, 'tom-1');
    const threshold = () => s.page.evaluate((m) => window.freshGap.store.getState().plan?.mics[m].treatment.gate.thresholdDb, mic);
    const before = await threshold();
    await s.page.focus('[role="slider"][aria-label="Opens"]');
    await s.page.keyboard.press('ArrowUp');
    expect(await threshold()).toBeGreaterThan(before as number);
    await s.page.click('[data-testid="undo-name"]');
    await s.page.waitForFunction((m, t) => window.freshGap.store.getState().plan?.mics[m].treatment.gate.thresholdDb === t, {}, mic, before);
  });
});
