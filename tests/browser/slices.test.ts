/** Slices in Clean, as a hand would use them: edges and fades dragged, many at once, tiles, keys, undo, reload, and what is heard. */
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest';
import type { Slice } from '../../src/core/clean/slices';
import { liveTreatment, slicesOf } from '../../src/core/plan/live';
import type { Plan } from '../../src/core/plan/plan';
import { createKitRenderer } from '../../src/core/render';
import { type Sql, connect } from '../../src/server/db';
import { type Session, importKit, openBrowser, openClean, press, rendered, saved } from '../support/browser';

let s: Session;
let sql: Sql;
let id: string;
let tom: string;

beforeAll(async () => {
  s = await openBrowser();
  sql = connect(inject('databaseUrl'), 2);
  id = await importKit(s);
  tom = await openClean(s.page, s.url, id, 'tom-1');
});
afterAll(async () => {
  expect(s.errors).toEqual([]);
  await s.close();
  await sql.end();
});

const plan = async () => (await s.page.evaluate(() => window.freshGap.store.getState().plan)) as Plan;
const slices = async (): Promise<readonly Slice[]> => slicesOf(await plan(), tom);
const storedEdits = async () => (await sql`select doc from plan where recording_id = ${id}`)[0].doc.mics[tom].treatment.sliceEdits;
const showAll = () => s.page.evaluate(() => window.freshGap.store.setState((b) => ({ view: { from: 0, to: b.data?.recording.frames ?? 1 } })));
const show = (from: number, to: number) => s.page.evaluate((a, b) => window.freshGap.store.setState({ view: { from: a, to: b } }), from, to);

async function drag(selector: string, dx: number) {
  const box = await (await s.page.waitForSelector(selector))?.boundingBox();
  if (!box) throw new Error(`${selector} is not shown`);
  const [x, y] = [box.x + box.width / 2, box.y + Math.min(box.height - 4, 40)];
  await s.page.mouse.move(x, y);
  await s.page.mouse.down();
  for (let i = 1; i <= 6; i++) await s.page.mouse.move(x + (dx * i) / 6, y);
  await s.page.mouse.up();
  await saved(s.page);
}

/** Takes back so many steps by keys. */
async function undo(steps: number) {
  await s.page.keyboard.down('Control');
  for (let i = 0; i < steps; i++) await s.page.keyboard.press('z');
  await s.page.keyboard.up('Control');
  await saved(s.page);
}
const nothingCut = () =>
  s.page.waitForFunction(() => {
    const now = window.freshGap.store.getState().plan;
    return now?.order.every((m) => !now.mics[m].treatment.slices.on);
  });
const noEdits = () => s.page.waitForFunction((m) => Object.keys(window.freshGap.store.getState().plan?.mics[m].treatment.sliceEdits ?? {}).length === 0, {}, tom);

describe('a mic that nothing was done to', () => {
  const told = () => s.page.$eval('[data-testid="figures"]', (e) => e.textContent ?? '');
  it('offers what the program proposes, in one step that undo takes back', async () => {
    expect(await told()).toContain('As it came');
    await press(s.page, 'without de-bleed');
    await saved(s.page);
    const p = await plan();
    expect(p.mics[tom].treatment.slices.on).toBe(true);
    expect(p.order.filter((m) => p.mics[m].treatment.gate.on).length).toBeGreaterThan(0);
    // what was proposed for this mic is what its settings show
    expect(await s.page.evaluate(() => window.freshGap.store.getState().panel)).toBe('slices');
    await s.page.waitForFunction(() => document.querySelector('[data-testid="figures"]')?.textContent?.includes('Strokes kept'));
    // for a hat, and only for that, something would come once de-bleed is computed; where nothing would, nothing is offered
    const far = p.order.find((m) => p.mics[m].role.startsWith('overhead')) as string;
    const hat = p.order.find((m) => p.mics[m].role === 'hat');
    await s.page.evaluate((m) => window.freshGap.store.setState({ focus: m }), far);
    await s.page.waitForFunction((offered) => document.querySelector('[data-testid="figures"]')?.textContent?.includes(offered ? 'Propose treatments' : 'nothing is proposed'), {}, hat !== undefined);
    await s.page.evaluate((m) => window.freshGap.store.setState({ focus: m }), tom);
    await undo(1);
    await nothingCut();
    expect(await told()).toContain('As it came');
  });
});

describe('who strikes when', () => {
  it('stands over the waveform, drum by drum: a hit leads there, and its name is told', async () => {
    const names = await s.page.$$eval('[data-testid="lane-names"] > div', (l) => l.map((e) => e.textContent ?? ''));
    expect(names).toEqual(expect.arrayContaining(['Kick', 'Snare', 'Tom 1']));
    // the mic's own drum stands out
    expect(await s.page.$$eval('[data-testid="lane-names"] > .font-bold', (l) => l.map((e) => e.textContent))).toEqual(['Tom 1']);
    const snare = await s.page.evaluate(() => {
      const b = window.freshGap.store.getState();
      b.plan && window.freshGap.store.setState({ view: { from: 0, to: b.plan.frames } });
      const hits = Object.entries(b.plan?.hits.snare ?? {}).filter(([, h]) => h.certainty > 0.9).sort((x, y) => y[1].strength - x[1].strength);
      return { id: hits[0][0], frame: hits[0][1].frame, frames: b.plan?.frames ?? 1, rate: b.plan?.sampleRate ?? 1 };
    });
    const box = await (await s.page.waitForSelector('[data-testid="drum-lanes"]'))?.boundingBox();
    if (!box) throw new Error('no lanes');
    const [x, y] = [box.x + (snare.frame / snare.frames) * box.width, box.y + (names.indexOf('Snare') + 0.5) * (box.height / names.length)];
    // drawn there, in its own shape and place
    const inked = (px: number, py: number) =>
      s.page.$eval('[data-testid="drum-lanes"] canvas', (e, a, b) => (e as HTMLCanvasElement).getContext('2d')?.getImageData(Math.round(a), Math.round(b), 1, 1).data[3] ?? 0, px - box.x, py - box.y);
    await s.page.waitForFunction((a, b) => ((document.querySelector('[data-testid="drum-lanes"] canvas') as HTMLCanvasElement).getContext('2d')?.getImageData(Math.round(a), Math.round(b), 1, 1).data[3] ?? 0) > 200, {}, x - box.x, y - box.y);
    expect(await inked(x, y)).toBeGreaterThan(200);
    await s.page.mouse.move(x, y);
    expect(await s.page.$eval('[data-testid="drum-lanes"]', (e) => e.getAttribute('title'))).toMatch(/^Snare at 0:\d\d\.\d{3}, strength \d+ %/);
    await s.page.mouse.click(x, y);
    const hit = await s.page.evaluate(() => window.freshGap.store.getState().hit);
    expect(hit?.drum).toBe('snare');
    // out of the way by a key, still so after a reload, and back
    await s.page.keyboard.press('h');
    await s.page.waitForFunction(() => !document.querySelector('[data-testid="drum-lanes"]'));
    await s.page.reload();
    await s.page.waitForFunction(() => window.freshGap?.store.getState().plan != null);
    await s.page.waitForSelector('[data-testid="waveform"]');
    expect(await s.page.$('[data-testid="drum-lanes"]')).toBeNull();
    await s.page.click('[aria-label="Who strikes when"]');
    await s.page.waitForSelector('[data-testid="drum-lanes"]');
  });
});

describe('carrying over', () => {
  it('shows what it comes to, and is one step', async () => {
    await s.page.keyboard.press('c');
    await saved(s.page);
    await s.page.keyboard.press('o');
    await s.page.waitForSelector('[role="dialog"]');
    const rows = await s.page.$$eval('[role="dialog"] tbody tr', (list) => list.map((r) => r.textContent ?? ''));
    expect(rows.length).toBeGreaterThan(1);
    // close mics of other drums are offered, the siblings are chosen
    await s.page.$$eval('[role="dialog"] tbody input[type="checkbox"]', (list) => {
      const first = list[0] as HTMLInputElement;
      if (!first.checked) first.click();
    });
    const chosen = await s.page.$$eval('[role="dialog"] tbody input[type="checkbox"]', (list) => list.filter((i) => (i as HTMLInputElement).checked).length);
    // heard before anything is carried over: the chosen mics as they would be, in a loop
    const now = () =>
      s.page.evaluate(() => {
        const b = window.freshGap.store.getState();
        const cut = (p: typeof b.plan) => p?.order.filter((m) => p.mics[m].treatment.slices.on).length ?? 0;
        return { tried: cut(b.plan), there: cut(b.base), solo: b.solo.size, playing: b.playing, alone: b.alone, loop: b.loop, loopOn: b.loopOn };
      });
    const before = await now();
    // what the sound's own thread said before it heard of it may still come
    const stopped = () => s.page.waitForFunction(() => !window.freshGap.store.getState().playing);
    await press(s.page, 'Try on the loop');
    await s.page.waitForFunction(() => window.freshGap.store.getState().playing);
    expect(await now()).toMatchObject({ tried: 1 + chosen, there: 1, solo: chosen, alone: false, loopOn: true });
    await press(s.page, 'Stop trying');
    await stopped();
    expect(await now()).toEqual({ ...before, tried: 1, there: 1 });
    const undone = await s.page.evaluate(() => window.freshGap.store.getState().undo);
    // and when the dialog is closed while it is tried, nothing stays
    await press(s.page, 'Try on the loop');
    await s.page.waitForFunction(() => window.freshGap.store.getState().playing);
    await press(s.page, 'Leave');
    await s.page.waitForFunction(() => !document.querySelector('[role="dialog"]'));
    await stopped();
    expect(await now()).toEqual({ ...before, tried: 1, there: 1 });
    expect(await s.page.evaluate(() => window.freshGap.store.getState().undo)).toBe(undone);
    await s.page.keyboard.press('o');
    await s.page.waitForSelector('[role="dialog"]');
    await s.page.$$eval('[role="dialog"] tbody input[type="checkbox"]', (list) => {
      const first = list[0] as HTMLInputElement;
      if (!first.checked) first.click();
    });
    await press(s.page, 'Try on the loop');
    await s.page.waitForFunction(() => window.freshGap.store.getState().playing);
    await s.page.evaluate(() => [...document.querySelectorAll<HTMLButtonElement>('[role="dialog"] button')].find((b) => b.textContent?.startsWith('Carry over to'))?.click());
    await saved(s.page);
    await stopped();
    expect(await now()).toMatchObject({ playing: false, solo: 0 });
    const p = await plan();
    expect(p.order.filter((m) => p.mics[m].treatment.slices.on)).toHaveLength(1 + chosen);
    await undo(2);
    await nothingCut();
  });
});

describe('slices by level', () => {
  const steps = async () => (await sql`select count(*)::int as n from plan_edit where recording_id = ${id}`)[0].n as number;
  const marks = async () => (await plan()).mics[tom].treatment.marks;

  it('are marked in the audio, each move of the level one step, and carried over with marks of the other mic', async () => {
    await s.page.keyboard.press('c');
    await saved(s.page);
    const before = await steps();
    await s.page.evaluate(() => [...document.querySelectorAll<HTMLButtonElement>('[aria-label="Cut at"] button')].find((b) => b.textContent === 'Level')?.click());
    await s.page.waitForFunction((m) => (window.freshGap.store.getState().base?.mics[m].treatment.marks.length ?? 0) > 0, {}, tom);
    await saved(s.page);
    expect(await steps()).toBe(before + 1);
    const many = await marks();
    // a slider dragged over many values
    const thumb = await (await s.page.waitForSelector('[data-param="openDb"]'))?.boundingBox();
    if (!thumb) throw new Error('no slider');
    await s.page.mouse.move(thumb.x + 4, thumb.y + 7);
    await s.page.mouse.down();
    for (let i = 1; i <= 8; i++) await s.page.mouse.move(thumb.x + 4 + 2 * i, thumb.y + 7);
    await s.page.mouse.up();
    await s.page.waitForFunction((n) => window.freshGap.store.getState().undo?.includes('opens at') && window.freshGap.store.getState().gesture === null && n > 0, {}, many.length);
    await saved(s.page);
    expect(await steps()).toBe(before + 2);
    expect((await marks()).length).toBeLessThan(many.length);
    expect((await slices()).length).toBeGreaterThan(0);

    await s.page.keyboard.press('o');
    await s.page.waitForSelector('[role="dialog"] tbody input');
    const other = await s.page.evaluate(() => {
      const first = document.querySelector<HTMLInputElement>('[role="dialog"] tbody input[type="checkbox"]');
      if (first && !first.checked) first.click();
      const name = first?.closest('tr')?.querySelector('label')?.textContent?.trim() ?? '';
      const p = window.freshGap.store.getState().plan;
      return p?.order.find((m) => p.mics[m].name === name) ?? '';
    });
    await s.page.evaluate(() => [...document.querySelectorAll<HTMLButtonElement>('[role="dialog"] button')].find((b) => b.textContent?.startsWith('Carry over to'))?.click());
    await s.page.waitForFunction((m) => window.freshGap.store.getState().base?.mics[m].treatment.slices.on === true, {}, other);
    await saved(s.page);
    const carried = (await plan()).mics[other].treatment;
    expect(carried.marks.length).toBeGreaterThan(0);
    expect(carried.marks).not.toEqual(await marks());
    await undo(4);
    await nothingCut();
  });
});

describe('settings by name', () => {
  it('begin with a starting point, are saved, and are given to another mic', async () => {
    const menu = async () => {
      await s.page.click('[aria-label="Begin with settings"]');
      await s.page.waitForSelector('[role="menu"]');
    };
    const choose = (text: string) => s.page.evaluate((t) => [...document.querySelectorAll<HTMLElement>('[role="menuitem"]')].find((e) => e.textContent?.startsWith(t))?.click(), text);
    await menu();
    await choose('Cut, tails darkened');
    await saved(s.page);
    expect((await plan()).mics[tom].treatment).toMatchObject({ slices: { on: true }, tail: { on: true } });
    await menu();
    await s.page.type('[aria-label="Name for these settings"]', 'My toms');
    await s.page.keyboard.press('Enter');
    await s.page.waitForFunction(() => [...document.querySelectorAll('[role="menuitem"]')].some((e) => e.textContent === 'My toms'));
    await s.page.keyboard.press('Escape');
    const [{ n }] = await sql`select count(*)::int as n from named_settings where name = 'My toms'`;
    expect(n).toBe(1);
    const other = (await plan()).order.find((m) => m !== tom) as string;
    await s.page.evaluate((m) => window.freshGap.store.setState({ focus: m }), other);
    await menu();
    await s.page.waitForFunction(() => [...document.querySelectorAll('[role="menuitem"]')].some((e) => e.textContent === 'My toms'));
    await choose('My toms');
    await saved(s.page);
    expect((await plan()).mics[other].treatment.tail.on).toBe(true);
    await s.page.evaluate((m) => window.freshGap.store.setState({ focus: m }), tom);
    await undo(2);
    await nothingCut();
    await sql`delete from named_settings`;
  });
});

describe('slices of a tom', () => {
  it('come by a key, made from its own hits, and show how many there are', async () => {
    await s.page.keyboard.press('c');
    await saved(s.page);
    expect((await slices()).length).toBeGreaterThan(0);
    const text = await s.page.$eval('[data-testid="slice-count"]', (e) => e.textContent);
    expect(text).toMatch(new RegExp(`^${(await slices()).length}, \\d+ %$`));
  });

  it('have their end dragged: one saved step that a moved setting leaves alone and undo takes back', async () => {
    const [first] = await slices();
    await show(first.from - 20_000, first.to + 60_000);
    const view = await s.page.evaluate(() => window.freshGap.store.getState().view);
    await drag(`[data-slice="${first.id}"][data-slice-edge="to"]`, 40);
    const [moved] = await slices();
    expect(moved.to).toBeGreaterThan(first.to + 1000);
    expect(moved.edited).toBe(true);
    // the waveform under it stays where it is
    expect(await s.page.evaluate(() => window.freshGap.store.getState().view)).toEqual(view);
    expect(Object.keys(await storedEdits())).toHaveLength(1);
    const field = await s.page.waitForSelector('#p-ringDb');
    await field?.click();
    // its text is selected in the next frame
    await s.page.waitForFunction(() => { const i = document.querySelector<HTMLInputElement>('#p-ringDb'); return i !== null && i.selectionStart === 0 && i.selectionEnd === i.value.length; });
    await s.page.keyboard.type('30');
    await s.page.keyboard.press('Enter');
    await saved(s.page);
    expect((await slices())[0].to).toBe(moved.to);
    await undo(2);
    await saved(s.page);
    await noEdits();
    expect((await slices())[0]).toEqual(first);
  });

  it('are selected on the waveform and their fades pulled together', async () => {
    const list = await slices();
    await show(list[0].from - 5000, list[1].to + 20_000);
    await s.page.click(`[data-slice-bar="${list[0].id}"]`);
    await s.page.keyboard.down('Shift');
    await s.page.click(`[data-slice-bar="${list[1].id}"]`);
    await s.page.keyboard.up('Shift');
    expect(await s.page.$eval('[data-testid="slices-selected"]', (e) => e.textContent)).toBe('2 selected');
    await drag(`[data-slice="${list[0].id}"][data-slice-edge="fadeOut"]`, -12);
    const after = await slices();
    expect(after[0].fadeOut).toBeGreaterThan(list[0].fadeOut);
    expect(after[1].fadeOut).toBe(after[0].fadeOut);
    expect(after[2].fadeOut).toBe(list[2].fadeOut);
  });

  it('are selected by what they are like, from the list of commands', async () => {
    const chosen = () => s.page.evaluate(() => [...window.freshGap.store.getState().slices]);
    const was = await chosen();
    const [first] = await slices();
    const like = async (words: string) => {
      await s.page.evaluate((one) => window.freshGap.store.setState({ slices: new Set([one]) }), first.id);
      await s.page.keyboard.press('/');
      await s.page.waitForSelector('[cmdk-input]', { visible: true });
      await s.page.keyboard.type(words);
      await s.page.keyboard.press('Enter');
      await s.page.waitForFunction(() => !document.querySelector('[cmdk-input]'));
      return chosen();
    };
    const all = (await slices()).map((x) => x.id);
    for (const words of ['as strong as this', 'same other drums', 'as soft as this and softer']) {
      const list = await like(words);
      expect(list, words).toContain(first.id);
      expect(all, words).toEqual(expect.arrayContaining(list));
    }
    await s.page.evaluate((list) => window.freshGap.store.setState({ slices: new Set(list) }), was);
  });

  it('are reset, dropped and brought back by keys', async () => {
    await s.page.keyboard.press('r');
    await saved(s.page);
    expect(await storedEdits()).toEqual({});
    const before = (await slices()).length;
    await s.page.keyboard.press('x');
    await saved(s.page);
    expect((await slices()).length).toBe(before - 2);
    await undo(1);
    await noEdits();
    expect((await slices()).length).toBe(before);
  });

  it('have a picture each: choosing one chooses the slice and goes there', async () => {
    await showAll();
    await s.page.keyboard.press('y');
    const tiles = await s.page.waitForSelector('[data-testid="tiles"] button');
    const hits = (await slices()).reduce((n, x) => n + x.hits.length, 0);
    expect(await s.page.$eval('section[aria-label="Tiles"] header', (e) => e.textContent)).toContain(`${hits} hits`);
    await tiles?.click();
    expect(await s.page.evaluate(() => window.freshGap.store.getState().slices.size)).toBe(1);
    // what is drawn is not empty
    await s.page.waitForFunction(() => {
      const c = document.querySelector<HTMLCanvasElement>('[data-testid="tiles"] canvas');
      const d = c?.getContext('2d')?.getImageData(0, 0, c.width, 100).data;
      return d ? new Set(Array.from({ length: 4000 }, (_, i) => d[4 * i * 9])).size > 3 : false;
    });
    // and each says how loud its attack is before and after: slices leave attacks alone
    await s.page.waitForFunction(() => document.querySelector('[data-testid="tiles"] button')?.getAttribute('aria-label')?.includes('dBFS after'));
    const attacks = await s.page.$$eval('[data-testid="tiles"] button', (l) => l.map((e) => /attack (−\d+\.\d) before, (−\d+\.\d) dBFS after/.exec(e.getAttribute('aria-label') ?? '')?.slice(1) ?? []));
    expect(attacks.length).toBeGreaterThan(1);
    for (const [a, b] of attacks) {
      expect(a).toBeDefined();
      expect(b).toBe(a);
    }
    await s.page.keyboard.press('y');
  });

  it('sound as they are rendered, with tail damping too, and are there after a reload', async () => {
    // the whole song's picture shows damped tails as well: all peaks together are lower
    const peaks = await s.page.evaluate(() => window.freshGap.store.getState().preview?.clean[0]?.reduce((sum, v) => sum + Math.abs(v), 0) ?? 0);
    expect(peaks).toBeGreaterThan(0);
    await s.page.keyboard.press('d');
    await saved(s.page);
    await s.page.waitForFunction((was) => (window.freshGap.store.getState().preview?.clean[0]?.reduce((sum, v) => sum + Math.abs(v), 0) ?? was) < 0.98 * was, {}, peaks);
    await s.page.reload();
    await s.page.waitForFunction((m) => window.freshGap?.store.getState().plan?.mics[m]?.treatment.tail.on === true, {}, tom);
    // the settings last seen; who looks for the first time sees what cuts the mic
    const panel = () => s.page.evaluate(() => window.freshGap.store.getState().panel);
    expect(await panel()).toBe('tail');
    await s.page.evaluate(() => sessionStorage.clear());
    await s.page.reload();
    await s.page.waitForFunction((m) => window.freshGap?.store.getState().plan?.mics[m]?.treatment.tail.on === true, {}, tom);
    expect(await s.page.evaluate(() => window.freshGap.store.getState().focus)).toBe(tom);
    expect(await panel()).toBe('slices');
    const p = await plan();
    const at = slicesOf(p, tom)[0].from - 3000;
    await s.page.evaluate((m) => window.freshGap.store.setState({ focus: m, alone: true, listen: 'after', monitorDb: 0 }), tom);
    const n = 40_000;
    const [heard] = await rendered(s.page, at, n);
    await s.page.evaluate(() => window.freshGap.store.setState({ listen: 'before' }));
    // what went in, from the start of the song on as far as needed
    const [raw] = await rendered(s.page, 0, at + n + 4000);
    const kit = createKitRenderer(48000, [tom], [liveTreatment(p, tom)]);
    const input = Float32Array.from({ length: at + n + kit.latency }, (_, i) => (raw[i] ?? 0) / Math.SQRT1_2 / Math.SQRT1_2);
    const output = new Float32Array(input.length);
    kit.process([input], [output], input.length, undefined, undefined, 0);
    let [worst, top] = [0, 0];
    for (let i = 0; i < n; i++) {
      worst = Math.max(worst, Math.abs(heard[i] - output[at + kit.latency + i] * 0.5));
      top = Math.max(top, Math.abs(heard[i]));
    }
    expect(top).toBeGreaterThan(0.01);
    expect(worst).toBeLessThan(1e-4);
  });
});
