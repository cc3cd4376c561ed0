import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Session, importKit, openBrowser, openClean, press, rendered, saved, sees } from '../support/browser';

let s: Session;
let tom: string;
beforeAll(async () => {
  s = await openBrowser();
  const id = await importKit(s);
  tom = await openClean(s.page, s.url, id, 'tom-1');
});
afterAll(async () => {
  expect(s.errors).toEqual([]);
  await s.close();
});

const treatment = () => s.page.evaluate((m) => window.freshGap.store.getState().plan?.mics[m].treatment, tom);
const energy = (x: readonly number[]) => x.reduce((a, v) => a + v * v, 0);
const minus = (a: readonly number[], b: readonly number[]) => a.map((v, i) => v - b[i]);
const FROM = 24000;
const N = 96000;

describe('the spectrogram in Clean', () => {
  /** Ink in the picture: mean darkness of its pixels. */
  const ink = () =>
    s.page.evaluate(() => {
      const c = document.querySelector<HTMLCanvasElement>('canvas[aria-label^="Spectrogram"]');
      const data = c?.getContext('2d')?.getImageData(0, 0, c.width, c.height).data;
      if (!data) return -1;
      let sum = 0;
      for (let i = 0; i < data.length; i += 4) sum += 255 - data[i];
      return sum / (data.length / 4);
    });
  const drawn = (label: string) => s.page.waitForSelector(`canvas[aria-label*=", ${label},"]`, { timeout: 10_000 });

  it('takes the place of the waveform, by key, with frequencies beside it and a scale of levels under it', async () => {
    await s.page.keyboard.press('f');
    await drawn('after');
    await sees(s.page, '10 kHz');
    await sees(s.page, '0 dBFS');
    await s.page.waitForFunction(() => (document.querySelector<HTMLCanvasElement>('canvas[aria-label^="Spectrogram"]')?.width ?? 0) > 600, { timeout: 15_000 });
    await s.page.waitForFunction(() => document.body.innerText.includes('After: what is kept'));
    expect(await ink()).toBeGreaterThan(3);
  });

  it('shows what is listened to: before, or nothing where nothing was removed', async () => {
    const after = await ink();
    await press(s.page, 'Removed');
    await drawn('removed');
    await s.page.waitForFunction((limit) => {
      const c = document.querySelector<HTMLCanvasElement>('canvas[aria-label^="Spectrogram"]');
      const data = c?.getContext('2d')?.getImageData(0, 0, c.width, c.height).data ?? [];
      let sum = 0;
      for (let i = 0; i < data.length; i += 4) sum += 255 - data[i];
      return sum / (data.length / 4) < limit;
    }, { timeout: 15_000, polling: 200 }, after * 0.6);
    await press(s.page, 'Before');
    await drawn('before');
    await press(s.page, 'After');
    await s.page.keyboard.press('f');
    await s.page.waitForFunction(() => !document.querySelector('canvas[aria-label^="Spectrogram"]'));
  });
});

describe('attack and note in Clean', () => {
  it('splits the mic into two that sum to it, each heard alone', async () => {
    await press(s.page, 'Parts');
    await press(s.page, 'Attack and note of Tom 1');
    await saved(s.page);
    expect((await treatment())?.parts.on).toBe(true);
    const both = await rendered(s.page, FROM, N);
    await press(s.page, 'Before');
    const raw = await rendered(s.page, FROM, N);
    await press(s.page, 'After');
    expect(10 * Math.log10(energy(minus(both[0], raw[0])) / energy(raw[0]))).toBeLessThan(-90);
  });

  it('sets the level of each part, as one edit that undo takes back', async () => {
    await s.page.focus('[role="slider"][aria-label="Note level"]');
    await s.page.keyboard.press('Home');
    await saved(s.page);
    expect((await treatment())?.parts.noteDb).toBe(-60);
    const attack = await rendered(s.page, FROM, N);
    await press(s.page, 'Before');
    const raw = await rendered(s.page, FROM, N);
    await press(s.page, 'After');
    expect(energy(attack[0])).toBeLessThan(0.9 * energy(raw[0]));
    await s.page.keyboard.down('Control');
    await s.page.keyboard.press('z');
    await s.page.keyboard.up('Control');
    await s.page.waitForFunction((m) => window.freshGap.store.getState().plan?.mics[m].treatment.parts.noteDb === 0, {}, tom);
    await saved(s.page);
  });

  it('has four bands for each part', async () => {
    await press(s.page, 'Note equaliser flat');
    await s.page.focus('[role="slider"][data-param="n2Db"]');
    await s.page.keyboard.press('End');
    await saved(s.page);
    expect((await treatment())?.parts.n2Db).toBe(18);
    await sees(s.page, '18.0 at 400');
  });
});

describe('two treatments of a mic', () => {
  it('puts a copy aside, changes over and back, and forgets it', async () => {
    await s.page.keyboard.down('Shift');
    await s.page.keyboard.press('V');
    await s.page.keyboard.up('Shift');
    await saved(s.page);
    const aside = await treatment();
    await s.page.keyboard.press('g');
    await saved(s.page);
    expect((await treatment())?.gate.on).toBe(true);
    await press(s.page, 'Other');
    await saved(s.page);
    expect(await treatment()).toEqual(aside);
    await press(s.page, 'Other');
    await saved(s.page);
    expect((await treatment())?.gate.on).toBe(true);
    await press(s.page, 'Forget the other treatment');
    await saved(s.page);
    expect(await s.page.evaluate((m) => window.freshGap.store.getState().plan?.mics[m].second, tom)).toBeNull();
    await s.page.keyboard.press('g');
    await saved(s.page);
  });
});

describe('a closing low-pass', () => {
  it('is added over the loop, moved, heard, and removed', async () => {
    await s.page.evaluate(() => window.freshGap.store.setState({ loop: { from: 48000, to: 144000 }, loopOn: false }));
    await press(s.page, 'Tail');
    await press(s.page, 'Add over the loop');
    await saved(s.page);
    expect(Object.values((await treatment())?.closings ?? {})).toEqual([{ from: 48000, to: 144000, hz: 1000 }]);
    const damped = await rendered(s.page, 120000, 24000);
    await s.page.focus('[data-param^="closing-"]');
    await s.page.keyboard.press('End');
    await saved(s.page);
    expect(Object.values((await treatment())?.closings ?? {})[0]?.hz).toBe(20000);
    const open = await rendered(s.page, 120000, 24000);
    expect(energy(minus(damped[0], open[0]))).toBeGreaterThan(0);
    await press(s.page, 'Remove the closing low-pass at 0:01.000');
    await saved(s.page);
    expect((await treatment())?.closings).toEqual({});
  });
});

describe('what de-bleed takes out', () => {
  it('computes the image of a drum that is to stay in part, then mixes it live', async () => {
    await press(s.page, 'De-bleed');
    await press(s.page, 'Compute de-bleed');
    await s.page.waitForFunction(() => Object.values(window.freshGap.store.getState().data?.debled ?? {}).filter((d) => !d.stretch).length === 5, { timeout: 120_000, polling: 200 });
    await press(s.page, 'De-bleed of Tom 1');
    await saved(s.page);
    const all = await rendered(s.page, FROM, N);
    await press(s.page, 'Taken out everything');
    await s.page.focus('[role="slider"][data-param="amount-kick"]');
    await s.page.keyboard.press('Home');
    await saved(s.page);
    expect((await treatment())?.debleed.amounts).toEqual({ kick: 0 });
    await s.page.waitForFunction((m) => window.freshGap.store.getState().data?.images[m]?.kick != null, { timeout: 60_000 }, tom);
    await s.page.waitForFunction(() => !document.body.innerText.includes('computing its image'), { timeout: 20_000 });
    const some = await rendered(s.page, FROM, N);
    expect(energy(minus(some[0], all[0]))).toBeGreaterThan(1e-6 * energy(all[0]));
    await press(s.page, 'Take out everything again');
    await saved(s.page);
    expect((await treatment())?.debleed.amounts).toEqual({});
  });
});

describe('the kit with and without a mic\'s spill', () => {
  it('lets the chosen mic be heard as it came, or only de-bled, whatever is planned for it', async () => {
    await s.page.goto(`${s.url}/recordings/${new URL(s.page.url()).pathname.split('/')[2]}/spill`);
    await s.page.waitForFunction(() => window.freshGap?.store.getState().plan != null);
    const cell = await s.page.waitForSelector('button[aria-label^="Kick heard in Tom 1:"]');
    await cell?.click();
    const heard = async () => {
      await s.page.evaluate((m) => window.freshGap.store.setState({ focus: m, alone: true, listen: 'after' }), tom);
      return (await rendered(s.page, FROM, N))[0];
    };
    await press(s.page, 'With its spill');
    expect(await s.page.evaluate(() => { const b = window.freshGap.store.getState(); return [b.alone, b.spillOf]; })).toEqual([false, 'with']);
    const raw = await heard();
    await press(s.page, 'Without');
    const clean = await heard();
    expect(energy(minus(raw, clean))).toBeGreaterThan(1e-3 * energy(raw));
    await s.page.evaluate(() => window.freshGap.store.setState({ alone: true, listen: 'before' }));
    expect(10 * Math.log10(energy(minus((await rendered(s.page, FROM, N))[0], raw)) / energy(raw) + 1e-20)).toBeLessThan(-90);
    // elsewhere it is heard as planned
    await s.page.keyboard.press('Space');
    await press(s.page, 'Clean');
    await s.page.waitForFunction(() => window.freshGap.store.getState().spillOf === 'planned');
  });
});
