import { readFileSync } from 'node:fs';
import { basename } from 'node:path';
import type { HTTPRequest } from 'puppeteer-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { createMixLoudness } from '../../src/core/dsp/mixLoudness';
import { liveTreatment } from '../../src/core/plan/live';
import { createKitRenderer } from '../../src/core/render';
import type { Plan } from '../../src/core/plan/plan';
import { decodeChannel } from '../../src/formats/pcm';
import { createWavReader } from '../../src/formats/wavReader';
import { createKitLoudness } from '../../src/engine/kitLoudness';
import type { Bench } from '../../src/islands/workbench/store';
import { type Session, importKit, kitFiles, openBrowser, openClean, rendered, saved } from '../support/browser';

let s: Session;
let tom: string;
let plan: Plan;
const raw = new Map<string, Float32Array>();
const FROM = 20_000;
const LENGTH = 160_000;

const set = (patch: Partial<Bench>) => s.page.evaluate((p) => window.freshGap.store.setState(p), patch as object);

function readWav(path: string): Float32Array {
  const bytes = new Uint8Array(readFileSync(path));
  const reader = createWavReader(() => {}, () => {});
  reader.push(bytes);
  const info = reader.end();
  const out = new Float32Array(info.frames);
  decodeChannel(bytes.subarray(info.dataOffset, info.dataOffset + info.frames * info.bytesPerFrame), info.encoding, info.channels, 0, out);
  return out;
}

beforeAll(async () => {
  s = await openBrowser();
  const id = await importKit(s);
  tom = await openClean(s.page, s.url, id, 'tom-1');
  await s.page.keyboard.press('g');
  await saved(s.page);
  plan = (await s.page.evaluate(() => window.freshGap.store.getState().plan)) as Plan;
  for (const path of kitFiles()) {
    const mic = plan.order.find((m) => plan.mics[m].file === basename(path));
    if (mic) raw.set(mic, readWav(path));
  }
  await set({ monitorDb: 0 });
});
afterAll(async () => {
  expect(s.errors).toEqual([]);
  await s.close();
});

/** Every mic cleaned by the core in one go, in time with the originals. */
function cleaned(): Map<string, Float32Array> {
  const ids = plan.order;
  const n = (raw.get(tom) as Float32Array).length;
  const kit = createKitRenderer(48000, ids, ids.map((m) => liveTreatment(plan, m)));
  const inputs = ids.map((m) => {
    const x = new Float32Array(n + kit.latency);
    x.set(raw.get(m) as Float32Array);
    return x;
  });
  const outputs = ids.map(() => new Float32Array(n + kit.latency));
  kit.process(inputs, outputs, n + kit.latency);
  return new Map(ids.map((m, i) => [m, outputs[i].subarray(kit.latency)]));
}

/** Largest difference between what was played and what was expected, and the level of the latter. */
function compare(played: number[], expected: (i: number) => number) {
  let [worst, peak] = [0, 0];
  for (let i = 0; i < played.length; i++) {
    worst = Math.max(worst, Math.abs(played[i] - expected(i)));
    peak = Math.max(peak, Math.abs(expected(i)));
  }
  return { worst, peak };
}

const ONE = 2 ** -23; // one step of 24 bits

describe('what the worklet plays', () => {
  it('is what the core renders: the tom alone, before, after and removed', async () => {
    const clean = cleaned().get(tom) as Float32Array;
    const before = raw.get(tom) as Float32Array;
    const want: Record<string, (i: number) => number> = {
      before: (i) => before[FROM + i] * Math.SQRT1_2,
      after: (i) => clean[FROM + i] * Math.SQRT1_2,
      removed: (i) => (before[FROM + i] - clean[FROM + i]) * Math.SQRT1_2,
    };
    await set({ alone: true });
    for (const [listen, expected] of Object.entries(want)) {
      await set({ listen: listen as Bench['listen'] });
      const [left, right] = await rendered(s.page, FROM, LENGTH);
      // the first few ms are a fade against a click
      const { worst, peak } = compare(left.slice(4800), (i) => expected(i + 4800));
      expect(peak, listen).toBeGreaterThan(0.001);
      expect(worst, listen).toBeLessThan(ONE);
      expect(right).toEqual(left);
    }
    await set({ listen: 'after' });
  });

  it('is as loud after as before where that is asked for, one mic alone, and says by how much it was made louder', async () => {
    await set({ alone: true, listen: 'after' });
    const [plain] = await rendered(s.page, FROM, LENGTH);
    await s.page.keyboard.down('Shift');
    await s.page.keyboard.press('w');
    await s.page.keyboard.up('Shift');
    await s.page.waitForFunction(() => /^\+?−?\d+\.\d dB$/.test(document.querySelector('[data-testid="evened"]')?.textContent ?? ''));
    const louder = await s.page.evaluate(() => window.freshGap.store.getState().louder?.db);
    // spill is gone, so that it has to be louder; before stays as it is
    expect(louder?.after).toBeGreaterThan(0);
    expect(louder?.before).toBe(0);
    const [evened] = await rendered(s.page, FROM, LENGTH);
    const gain = 10 ** ((louder?.after ?? 0) / 20);
    const { worst, peak } = compare(evened.slice(4800), (i) => plain[i + 4800] * gain);
    expect(peak).toBeGreaterThan(0.001);
    expect(worst).toBeLessThan(4 * ONE);
    await set({ alone: true, equal: false });
    const [again] = await rendered(s.page, FROM, LENGTH);
    expect(compare(again, (i) => plain[i]).worst).toBeLessThan(ONE);
  });

  it('is as loud after as before in the kit, by what was heard of the loop', async () => {
    const loop = { from: 24_000, to: 144_000 };
    const shown = () => s.page.$eval('[data-testid="evened"]', (e) => e.textContent);
    const kit = async (listen: 'before' | 'after') => {
      await set({ alone: false, equal: false, listen });
      return (await rendered(s.page, FROM, LENGTH)).map((x) => Float32Array.from(x)) as [Float32Array, Float32Array];
    };
    // soloed, the gated mic is all that is heard
    await s.page.evaluate((x) => window.freshGap.store.setState({ solo: new Set([x]) }), tom);
    // what it should come to, from what is rendered
    const [before, after] = [await kit('before'), await kit('after')];
    const [mix, expected] = [createMixLoudness(48000), createKitLoudness()];
    const part = (x: [Float32Array, Float32Array], at: number) => [x[0].subarray(at, at + 4800), x[1].subarray(at, at + 4800)] as const;
    for (let at = 4800; at + 4800 <= LENGTH; at += 4800) expected.hear(mix.push({ before: part(before, at), after: part(after, at) }, 4800, FROM + at));
    const by = expected.even(48000, loop);
    expect(by?.after).toBeGreaterThan(0.1);
    expect(by?.removed).toBeGreaterThan(5);

    await set({ equal: true, loop, loopOn: true });
    expect(await shown()).toBe('once it plays');
    await s.page.keyboard.press(' ');
    await s.page.waitForFunction(() => /^\+?−?\d+\.\d dB$/.test(document.querySelector('[data-testid="evened"]')?.textContent ?? ''), { timeout: 20_000 });
    // by what it was rendered to be, but for the hop at the loop's beginning
    await s.page.waitForFunction(
      (db) => {
        const told = window.freshGap.store.getState().kitLouder;
        return told && Math.abs(told.after - db.after) < 0.05 && Math.abs(told.removed - db.removed) < 1;
      },
      { timeout: 20_000 },
      by as Record<string, number>,
    );
    await s.page.keyboard.press(' ');
    await set({ loopOn: false });
    const louder = await s.page.evaluate(() => window.freshGap.store.getState().kitLouder);
    const gain = 10 ** ((louder?.after ?? 0) / 20);
    const [evened] = await rendered(s.page, FROM, LENGTH);
    const { worst, peak } = compare(evened.slice(4800), (i) => after[0][i + 4800] * gain);
    expect(peak).toBeGreaterThan(0.001);
    expect(worst).toBeLessThan(8 * ONE);
    await s.page.evaluate(() => window.freshGap.store.setState({ solo: new Set(), alone: true, equal: false, loop: null }));
  });

  it('is the sum of the mics in the kit, with level, solo and mute', async () => {
    const clean = cleaned();
    await set({ alone: false, listen: 'after' });
    const sum = (ids: readonly string[]) => (i: number) =>
      ids.reduce((t, m) => t + (clean.get(m) as Float32Array)[FROM + 4800 + i] * Math.cos(((plan.mics[m].mix.pan + 1) * Math.PI) / 4) * 10 ** (plan.mics[m].mix.levelDb / 20), 0);
    const all = await rendered(s.page, FROM, LENGTH);
    expect(compare(all[0].slice(4800), sum(plan.order)).worst).toBeLessThan(8 * ONE);
    const [a, b] = plan.order;
    await s.page.evaluate((x) => window.freshGap.store.setState({ muted: new Set([x]) }), a);
    const less = await rendered(s.page, FROM, LENGTH);
    expect(compare(less[0].slice(4800), sum(plan.order.filter((m) => m !== a))).worst).toBeLessThan(8 * ONE);
    await s.page.evaluate((x) => window.freshGap.store.setState({ muted: new Set(), solo: new Set([x]) }), b);
    const only = await rendered(s.page, FROM, LENGTH);
    expect(compare(only[0].slice(4800), sum([b])).worst).toBeLessThan(8 * ONE);
    await s.page.evaluate(() => window.freshGap.store.setState({ solo: new Set(), alone: true }));
  });

  it('is the key, filtered, while one listens to it', async () => {
    await set({ keyListen: true });
    const [left] = await rendered(s.page, FROM, LENGTH);
    await set({ keyListen: false });
    const before = raw.get(tom) as Float32Array;
    // no key filter is set: the key is the mic itself
    expect(compare(left.slice(4800), (i) => before[FROM + 4800 + i] * Math.SQRT1_2).worst).toBeLessThan(ONE);
  });

  it('comes round in a loop', async () => {
    const [from, to] = [FROM, FROM + 12_000];
    await set({ loop: { from, to }, loopOn: true, listen: 'before' });
    const [left] = await rendered(s.page, from, 36_000);
    await set({ loopOn: false, listen: 'after' });
    const before = raw.get(tom) as Float32Array;
    for (const turn of [1, 2]) {
      const { worst, peak } = compare(left.slice(turn * 12_000 + 2000, turn * 12_000 + 11_000), (i) => before[from + 2000 + i] * Math.SQRT1_2);
      expect(peak).toBeGreaterThan(0.001);
      expect(worst).toBeLessThan(ONE);
    }
  });
});

describe('the transport', () => {
  const heard = () => s.page.evaluate(() => window.freshGap.heardAt());
  it('plays by the space key, moves on, shows levels, stops', async () => {
    await s.page.keyboard.press('Home');
    await s.page.keyboard.press('Space');
    await s.page.waitForFunction(() => window.freshGap.store.getState().playing && !window.freshGap.store.getState().buffering && window.freshGap.heardAt() > 24_000);
    // the meter beside the clock, read as a user would
    await s.page.waitForFunction(() => /−\d+(\.\d)? dBFS/.test(document.querySelector('footer')?.textContent ?? ''));
    // switching while it plays does not stop it
    for (const key of ['q', 'w', 'e', 'w', 'a', 'a', 'k', 'k'] as const) await s.page.keyboard.press(key);
    const a = await heard();
    await s.page.waitForFunction((f) => window.freshGap.heardAt() > f + 9600, {}, a);
    expect(await s.page.evaluate(() => window.freshGap.store.getState().playing)).toBe(true);
    await s.page.keyboard.press('Space');
    await s.page.waitForFunction(() => !window.freshGap.store.getState().playing);
    await new Promise((done) => setTimeout(done, 300));
    const stopped = await heard();
    await new Promise((done) => setTimeout(done, 300));
    expect(await heard()).toBe(stopped);
  });

  it('stays silent where it is stopped before the sound is there', async () => {
    const other = await s.page.browser().newPage();
    await other.goto(s.page.url());
    await other.waitForFunction(() => window.freshGap?.store.getState().plan != null && document.querySelector('[data-testid="waveform"]'));
    // both in one turn: what plays is still being opened
    await other.evaluate(() => {
      const button = () => document.querySelector<HTMLButtonElement>('[aria-label="Play"], [aria-label="Stop"]');
      button()?.click();
      return new Promise((done) => setTimeout(() => done(button()?.click()), 0));
    });
    await new Promise((done) => setTimeout(done, 1500));
    expect(await other.evaluate(() => [window.freshGap.store.getState().playing, window.freshGap.heardAt()])).toEqual([false, 0]);
    await other.close();
    await s.page.bringToFront();
  });

  it('stays inside the loop', async () => {
    await set({ loop: { from: 30_000, to: 54_000 }, loopOn: true });
    await s.page.keyboard.press('Space');
    const places: number[] = [];
    for (let i = 0; i < 20; i++) {
      await new Promise((done) => setTimeout(done, 100));
      places.push(await heard());
    }
    await s.page.keyboard.press('Space');
    await set({ loopOn: false });
    const inside = places.filter((p) => p > 30_000);
    expect(inside.length).toBeGreaterThan(10);
    expect(Math.max(...places)).toBeLessThan(54_000 + 2400);
    // it came round at least once
    expect(inside.some((p, i) => i > 0 && p < inside[i - 1] - 4800)).toBe(true);
  });

  it('says so when blocks do not come, and goes on when they do', async () => {
    await s.page.reload();
    await s.page.waitForFunction(() => window.freshGap?.store.getState().preview != null);
    await s.page.setRequestInterception(true);
    const waiting: (() => void)[] = [];
    let held = true;
    const hold = (r: HTTPRequest) => {
      if (held && r.url().includes('/bulk/')) waiting.push(() => void r.continue());
      else void r.continue();
    };
    s.page.on('request', hold);
    await s.page.keyboard.press('Space');
    await s.page.waitForFunction(() => window.freshGap.store.getState().buffering && document.body.innerText.includes('buffering ...'));
    const before = await heard();
    held = false;
    for (const go of waiting) go();
    await s.page.waitForFunction((f) => !window.freshGap.store.getState().buffering && window.freshGap.heardAt() > f + 9600, { timeout: 20_000 }, before);
    await s.page.keyboard.press('Space');
    // the page ends here: requests go on being passed through
  });
});
