import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Session, importKit, openBrowser, press, saved, sees } from '../support/browser';

let s: Session;
let id: string;
beforeAll(async () => {
  s = await openBrowser();
  id = await importKit(s);
  await s.page.goto(`${s.url}/recordings/${id}/spill`);
  await s.page.waitForFunction(() => window.freshGap?.store.getState().analysis?.spill.length, { timeout: 60_000 });
});
afterAll(async () => {
  expect(s.errors).toEqual([]);
  await s.close();
});

const cells = () => s.page.$$eval('td button', (l) => l.map((b) => ({ name: b.getAttribute('aria-label') ?? '', text: b.textContent ?? '', on: b.getAttribute('aria-pressed') === 'true' })));

describe('the spill map', () => {
  it('shows every drum in every mic as the analysis has it, its own marked', async () => {
    const spill = await s.page.evaluate(() => window.freshGap.store.getState().analysis?.spill ?? []);
    const list = await cells();
    const mics = await s.page.evaluate(() => window.freshGap.store.getState().plan?.order.length ?? 0);
    expect(list).toHaveLength(spill.length * mics);
    expect(list.filter((c) => c.text === 'own').length).toBeGreaterThanOrEqual(3);
    const kickInTom = list.find((c) => c.name.startsWith('Kick heard in Tom 1:'));
    expect(kickInTom?.text).toMatch(/^−?\d+$/);
    // quieter there than the tom itself
    expect(Number(kickInTom?.text.replace('−', '-'))).toBeLessThan(5);
  });

  it('opens what a cell rests on, shows delays, and hears the drum in that mic', async () => {
    await press(s.page, (await cells()).find((c) => c.name.startsWith('Kick heard in Tom 1:'))?.name ?? '');
    await sees(s.page, 'Kick heard in Tom 1');
    await sees(s.page, 'strokes');
    expect((await cells()).filter((c) => c.on)).toHaveLength(1);
    await press(s.page, 'Delay');
    expect((await cells()).find((c) => c.name.startsWith('Kick heard in Tom 1:'))?.text).toMatch(/^(−?\d+\.\d|–)$/);
    await press(s.page, 'Hear it here');
    await s.page.waitForFunction(() => window.freshGap.store.getState().playing);
    const state = await s.page.evaluate(() => {
      const b = window.freshGap.store.getState();
      return { mic: b.plan?.mics[b.focus].role, alone: b.alone, listen: b.listen, loop: b.loop, hits: Object.values(b.plan?.hits.kick ?? {}).map((h) => h.frame) };
    });
    expect(state).toMatchObject({ mic: 'tom-1', alone: true, listen: 'before' });
    expect(state.hits.some((f) => f > (state.loop?.from ?? 0) && f < (state.loop?.to ?? 0))).toBe(true);
    // stroke by stroke, by keys and by the mouse
    const frames = [...state.hits].sort((a, b) => a - b);
    const strip = await s.page.waitForSelector('[role="slider"][aria-label="Strokes of Kick, heard in Tom 1"]');
    const now = () => s.page.evaluate(() => ({ loop: window.freshGap.store.getState().loop, at: Number(document.querySelector('[role="slider"][aria-label^="Strokes of"]')?.getAttribute('aria-valuenow')), of: Number(document.querySelector('[role="slider"][aria-label^="Strokes of"]')?.getAttribute('aria-valuemax')) }));
    await strip?.focus();
    await s.page.keyboard.press('Home');
    const first = await now();
    expect(first.at).toBe(1);
    await s.page.keyboard.press('ArrowRight');
    expect((await now()).at).toBe(2);
    expect((await now()).loop?.from).toBeGreaterThan(first.loop?.from ?? 0);
    const box = await strip?.boundingBox();
    if (!box) throw new Error('no strokes');
    await s.page.mouse.click(box.x + box.width - 1, box.y + 10);
    const last = await now();
    expect(last.at).toBe(last.of);
    expect(frames.some((f) => f > (last.loop?.from ?? 0) && f < (last.loop?.to ?? 0))).toBe(true);
    expect(last.loop?.from).toBeGreaterThan(first.loop?.to ?? 0);
    await s.page.keyboard.press('Space');
  });

  it('lets one drum be heard alone in a mic, told apart in a hurry before de-bleed is computed; no other site may ask for it', async () => {
    const cell = await s.page.waitForSelector('button[aria-label^="Kick heard in Tom 1:"]');
    await cell?.click();
    await press(s.page, 'Kick alone');
    await sees(s.page, 'Told apart in a hurry', 90_000);
    const address = `${s.url}/bulk/recordings/${new URL(s.page.url()).pathname.split('/')[2]}/listen?mic=x&source=kick&from=0&to=100`;
    expect((await fetch(address, { headers: { 'sec-fetch-site': 'cross-site' } })).status).toBe(403);
    expect((await fetch(address)).status).toBe(404);
  });

  it('says what each mic calls for, and proposes it in one step that undo takes back', async () => {
    await sees(s.page, 'What it calls for');
    await sees(s.page, 'Spill is wanted');
    await press(s.page, 'without de-bleed');
    await s.page.waitForFunction(() => Object.values(window.freshGap.store.getState().plan?.mics ?? {}).some((m) => m.treatment.slices.on));
    expect(await s.page.evaluate(() => Object.values(window.freshGap.store.getState().plan?.mics ?? {}).some((m) => m.treatment.debleed.on))).toBe(false);
    await s.page.keyboard.down('Control');
    await s.page.keyboard.press('z');
    await s.page.keyboard.up('Control');
    await s.page.waitForFunction(() => !Object.values(window.freshGap.store.getState().plan?.mics ?? {}).some((m) => m.treatment.slices.on || m.treatment.gate.on));
    await saved(s.page);
  });

  it('proposes once de-bleed is done where that is not computed yet, with it, as one step', async () => {
    await press(s.page, 'Propose treatments');
    await sees(s.page, 'Treatments are proposed when de-bleed is done');
    // to stop is to leave everything as it is
    await press(s.page, 'Cancel');
    await s.page.waitForFunction(() => window.freshGap.store.getState().debleed?.job?.state === 'cancelled', { timeout: 30_000, polling: 100 });
    const state = () => s.page.evaluate(() => window.freshGap.store.getState().proposing);
    await s.page.waitForFunction(() => !window.freshGap.store.getState().proposing);
    expect(await s.page.evaluate(() => Object.values(window.freshGap.store.getState().plan?.mics ?? {}).some((m) => m.treatment.debleed.on || m.treatment.gate.on))).toBe(false);
    await press(s.page, 'Propose treatments');
    await s.page.waitForFunction(() => window.freshGap.store.getState().proposing);
    // another page of the recording leaves that to the first
    const address = s.page.url();
    const other = await s.another();
    await other.goto(address);
    await other.waitForFunction(() => window.freshGap?.store.getState().debleed != null);
    // time enough to begin to wait, were it to
    await new Promise((done) => setTimeout(done, 500));
    expect(await other.evaluate(() => window.freshGap.store.getState().proposing)).toBe(false);
    await other.close();
    // the page is closed, and opened again once de-bleed is done
    await s.page.goto('about:blank');
    const job = async () => ((await (await fetch(`${s.url}/api/recordings/${id}/debleed`)).json()) as { job: { state: string } }).job.state;
    for (let n = 0; (await job()) !== 'done' && n < 600; n++) await new Promise((done) => setTimeout(done, 200));
    expect(await job()).toBe('done');
    await s.page.goto(address);
    await sees(s.page, 'Treatments are proposed');
    await s.page.waitForFunction(() => Object.values(window.freshGap.store.getState().plan?.mics ?? {}).some((m) => m.treatment.debleed.on), { timeout: 120_000, polling: 200 });
    expect(await state()).toBe(false);
    await saved(s.page);
    const mics = await s.page.evaluate(() => {
      const b = window.freshGap.store.getState();
      return b.plan?.order.map((m) => ({ debleed: b.plan?.mics[m].treatment.debleed.on, cut: b.plan?.mics[m].treatment.slices.on || b.plan?.mics[m].treatment.gate.on, share: b.data?.debled[m]?.share ?? 0 })) ?? [];
    });
    for (const m of mics) expect(m.debleed).toBe(m.share > 0);
    // what each mic calls for says by then what de-bleed takes, and how much of the song a gate would be shut
    const told = await s.page.$$eval('table[aria-label^="Spill of"]', (list) => list.map((t) => [...t.querySelectorAll('tbody td')].map((c) => c.textContent ?? '')));
    // of a drum that was never struck nothing is told
    expect(told.length).toBeGreaterThanOrEqual(mics.filter((m) => m.cut).length);
    expect(told.length).toBeGreaterThan(2);
    for (const [gaps, shut, , tails, leaves] of told) {
      expect(gaps).toMatch(/^−\d+ dB$/);
      expect(Number(/^shut (\d+) %$/.exec(shut)?.[1])).toBeLessThan(100);
      const [, struck, all] = /^(\d+) of (\d+)$/.exec(tails) ?? [];
      expect(Number(struck)).toBeLessThanOrEqual(Number(all));
      expect(leaves).toBe(Number(struck) > 0 ? 'leaves it' : '–');
    }
    expect(told.filter((t) => /^−\d+\.\d dB$/.test(t[5])).length).toBeGreaterThan(2);
    expect(mics.some((m) => m.debleed && m.cut)).toBe(true);
    // and one step takes it back: the hits that were found on the way stay
    await s.page.keyboard.down('Control');
    await s.page.keyboard.press('z');
    await s.page.keyboard.up('Control');
    await s.page.waitForFunction(() => !Object.values(window.freshGap.store.getState().plan?.mics ?? {}).some((m) => m.treatment.debleed.on || m.treatment.slices.on || m.treatment.gate.on));
  });
});
