import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest';
import { createEncoder } from '../../src/formats/pcm';
import { wavHead } from '../../src/formats/wavWriter';
import { type Sql, connect } from '../../src/server/db';
import { type Session, giveFiles, kitFiles, openBrowser, press, sees } from '../support/browser';
import { wavFile } from '../support/wavs';

let s: Session;
let sql: Sql;
let folder: string;
beforeAll(async () => {
  s = await openBrowser();
  sql = connect(inject('databaseUrl'), 2);
  folder = mkdtempSync(join(tmpdir(), 'fresh-gap-import-'));
});
afterAll(async () => {
  await s.close();
  await sql.end();
  rmSync(folder, { recursive: true, force: true });
});

const put = (name: string, bytes: Uint8Array | string) => {
  const path = join(folder, name);
  writeFileSync(path, bytes);
  return path;
};

describe('taking files in', () => {
  it('takes the good ones, says for each bad one what is wrong, keeps nothing of those', async () => {
    const { page } = s;
    const whole = wavFile({ frames: 96_000, seed: 3 });
    const paths = [
      put('01_KIK.wav', whole),
      put('02 SN TOP.wav', wavFile({ encoding: 'pcm16', frames: 96_000, seed: 4 })),
      put('05-FT.wav', wavFile({ encoding: 'float32', frames: 50_000, seed: 5 })),
      put('OH.wav', wavFile({ channels: 2, frames: 96_000, seed: 6 })),
      put('06 cut.wav', whole.subarray(0, whole.length - 5000)),
      put('07 notes.wav', 'these are only words, not sound'),
      put('08 other rate.wav', wavFile({ rate: 44100, frames: 20_000 })),
      put('09 empty.wav', ''),
    ];
    await page.goto(s.url);
    await giveFiles(page, paths);
    await sees(page, '4 of 8 files in, 4 not taken');
    const errors = await page.$$eval('[data-upload][data-state="failed"]', (list) => list.map((e) => [e.getAttribute('data-upload'), e.querySelector('[role="alert"]')?.textContent ?? '']));
    expect(Object.fromEntries(errors)).toEqual({
      '06 cut.wav': expect.stringMatching(/ends|short|cut/i),
      '07 notes.wav': expect.stringMatching(/not a WAV/i),
      '08 other rate.wav': expect.stringMatching(/44.?100.*48.?000|44\.1.*48/),
      '09 empty.wav': expect.stringMatching(/no audio.*0 bytes/),
    });
    await press(page, 'Go on with the files that are in');
    await sees(page, 'Who is who');
    const id = new URL(page.url()).pathname.split('/')[2];
    const rows = await sql`select name from source_file where recording_id = ${id} order by name`;
    expect(rows.map((r) => r.name)).toEqual(['01_KIK.wav', '02 SN TOP.wav', '05-FT.wav', 'OH.wav']);
    const [{ lost }] = await sql`select count(*)::int as lost from audio_chunk where audio_id not in (select audio_id from source_file union select audio_id from debled_mic union select audio_id from drum_image)`;
    expect(lost).toBe(0);
    const roles = await page.evaluate(() => Object.values(window.freshGap.store.getState().plan?.mics ?? {}).map((m) => `${m.file} ${m.role}`).sort());
    expect(roles).toEqual(['01_KIK.wav kick-in', '02 SN TOP.wav snare-top', '05-FT.wav tom-1', 'OH.wav overhead-left', 'OH.wav overhead-right']);
    // the shorter one is filled up, and that is said: (96000 - 50000) / 48000 s
    expect(await page.evaluate(() => document.body.innerText)).toMatch(/05-FT\.wav is 0\.958 s shorter.*Silence follows/);
  });

  it('stores nothing of a file that is cancelled half way, and goes on with the others', async () => {
    const { page } = s;
    const big = put('03 Tom 1.wav', wavFile({ frames: 9_000_000, seed: 9 }));
    const small = put('04 Tom 2.wav', wavFile({ frames: 20_000, seed: 10 }));
    await page.goto(s.url);
    const cdp = await page.createCDPSession();
    await cdp.send('Network.enable');
    await cdp.send('Network.emulateNetworkConditions', { offline: false, latency: 0, downloadThroughput: -1, uploadThroughput: 400_000 });
    await giveFiles(page, [big, small]);
    await page.waitForSelector('[data-upload="03 Tom 1.wav"][data-state="sending"]');
    await page.waitForFunction(() => (document.querySelector<HTMLProgressElement>('[data-upload="03 Tom 1.wav"] progress')?.value ?? 0) > 0.02);
    await press(page, 'Cancel 03 Tom 1.wav');
    await cdp.send('Network.emulateNetworkConditions', { offline: false, latency: 0, downloadThroughput: -1, uploadThroughput: -1 });
    await page.waitForFunction(() => /\/intake$/.test(location.pathname) || document.body.innerText.includes('Go on with'), { timeout: 30_000 });
    const rows = await sql`select f.name from source_file f join recording r on r.id = f.recording_id where f.name like '%Tom%' order by f.name`;
    expect(rows.map((r) => r.name)).toContain('04 Tom 2.wav');
    expect(rows.map((r) => r.name)).not.toContain('03 Tom 1.wav');
    await cdp.detach();
  });

  it('keeps the very samples of every file', async () => {
    const { page } = s;
    await page.goto(s.url);
    await giveFiles(page, kitFiles());
    await page.waitForFunction(() => /\/intake$/.test(location.pathname), { timeout: 60_000 });
    const id = new URL(page.url()).pathname.split('/')[2];
    const job = await (await fetch(`${s.url}/api/recordings/${id}/exports`, { method: 'POST', headers: { 'content-type': 'application/json', origin: s.url }, body: JSON.stringify({ encoding: 'pcm24', suffix: '' }) })).json();
    await page.waitForFunction(async (j) => (await (await fetch(`/api/jobs/${j}`)).json()).state === 'done', { polling: 200 }, job.id);
    const { unzipSync } = await import('fflate');
    const zip = unzipSync(new Uint8Array(await (await fetch(`${s.url}/bulk/jobs/${job.id}/zip`)).arrayBuffer()));
    for (const path of kitFiles()) {
      const name = path.split('/').pop() as string;
      expect(Buffer.compare(Buffer.from(zip[name]), readFileSync(path)), name).toBe(0);
    }
  });

  it('hands out the samples of a file in blocks, one or several at a time', async () => {
    const [file] = await sql<{ content: string; frames: number }[]>`
      select a.content, a.frames from source_file f join audio a on a.id = f.audio_id where f.name = '01_KIK.wav' and a.frames = 96000 limit 1`;
    const get = async (rest: string) => {
      const res = await fetch(`${s.url}/bulk/pcm/${file.content}/0/${rest}`);
      return { status: res.status, bytes: Buffer.from(await res.arrayBuffer()) };
    };
    const [first, second, both, more] = [await get('0'), await get('1'), await get('0/2'), await get('0/32')];
    expect([first.bytes.length, second.bytes.length]).toEqual([4 * 65536, 4 * (96000 - 65536)]);
    for (const all of [both, more]) expect(Buffer.compare(all.bytes, Buffer.concat([first.bytes, second.bytes]))).toBe(0);
    // neither more at a time, nor beyond the end, nor further addresses
    expect([(await get('0/33')).status, (await get('2')).status, (await get('0/x')).status, (await get('0/1/1')).status]).toEqual([404, 404, 404, 404]);
  });

  it('says how loud each file is, and of one that hears nothing that it is silent', async () => {
    const { page } = s;
    const dir = mkdtempSync(join(tmpdir(), 'fresh-gap-levels-'));
    const tone = (amp: number) => Float32Array.from({ length: 48_000 }, (_, i) => amp * Math.sin(i / 7));
    const paths = ([['01 Kick.wav', 0.5], ['02 Snare.wav', 0.1], ['03 Tom 1.wav', 0], ['04 OH L.wav', 1]] as const).map(([name, amp]) => {
      const path = join(dir, name);
      const x = tone(amp);
      writeFileSync(path, Buffer.concat([wavHead({ encoding: 'float32', channels: 1, rate: 48_000, frames: x.length }), createEncoder('float32', 0).encode([x])]));
      return path;
    });
    await page.goto(s.url);
    await giveFiles(page, paths);
    await page.waitForFunction(() => /\/intake$/.test(location.pathname), { timeout: 60_000 });
    const cells = () => page.$$eval('main table tbody tr', (rows) => rows.map((r) => [r.children[0].textContent, r.children[3].textContent, getComputedStyle(r.children[3]).color]));
    await page.waitForFunction((count) => {
      const rows = [...document.querySelectorAll('main table tbody tr')];
      return rows.length === count && rows.every((r) => r.children[3].textContent !== '');
    }, {}, paths.length);
    const told = await cells();
    expect(told.map(([name, peak]) => [name, peak])).toEqual([['01 Kick.wav', '−6.0'], ['02 Snare.wav', '−20.0'], ['03 Tom 1.wav', 'silent'], ['04 OH L.wav', '0.0']]);
    // what should be looked at stands out: the silent one and the one at full scale
    expect(told.map(([, , color]) => color === told[0][2])).toEqual([true, true, false, false]);
    // and once they were listened to, what was heard of them
    await sees(page, 'What was heard of them', 60_000);
    await sees(page, 'Tom 1 is silent');
    rmSync(dir, { recursive: true, force: true });
  });

  it('may be given another name', async () => {
    const { page } = s;
    await page.goto(s.url);
    await giveFiles(page, kitFiles().slice(0, 1));
    await page.waitForFunction(() => /\/intake$/.test(location.pathname), { timeout: 60_000 });
    const field = await page.waitForSelector('::-p-aria([name="Recording"])');
    await field?.click({ count: 3 });
    await field?.type('Slow Lantern, take 4');
    await field?.press('Enter');
    await sees(page, 'Slow Lantern, take 4');
    await page.goto(s.url);
    await sees(page, 'Slow Lantern, take 4');
  });

  it('has its hits found anew when one goes on after a role was corrected, not otherwise', async () => {
    const { page } = s;
    const [{ id }] = await sql`select recording_id as id from source_file group by recording_id having count(*) > 1 limit 1`;
    const analyses = async () => (await sql`select count(*)::int as n from job where kind = 'analysis' and recording_id = ${id}`)[0].n as number;
    const intake = async () => {
      await page.goto(`${s.url}/recordings/${id}/intake`);
      await sees(page, 'Who is who');
    };
    const before = await analyses();
    await intake();
    await press(page, 'Go on to Clean');
    await page.waitForFunction(() => !document.body.innerText.includes('Who is who'));
    await intake();
    const mic = await page.$eval('[data-role-of]', (e) => e.getAttribute('data-role-of') ?? '');
    await page.click(`[data-role-of="${mic}"]`);
    await press(page, 'Kick sub');
    await page.waitForFunction((m) => window.freshGap.store.getState().base?.mics[m].role === 'kick-sub', {}, mic);
    expect(await analyses()).toBe(before);
    await press(page, 'Go on to Clean');
    await sees(page, 'Finding the hits anew');
    expect(await analyses()).toBe(before + 1);
    const [{ role }] = await sql`select doc #>> ${['mics', mic, 'role']} as role from plan where recording_id = ${id}`;
    expect(role).toBe('kick-sub');
  });

  it('loses a file only when that is meant', async () => {
    const { page } = s;
    const [{ id }] = await sql`select recording_id as id from source_file group by recording_id having count(*) > 1 limit 1`;
    const files = async () => (await sql`select name from source_file where recording_id = ${id} order by name`).map((r) => r.name as string);
    const before = await files();
    await page.goto(`${s.url}/recordings/${id}/intake`);
    await sees(page, 'Who is who');
    await press(page, `Take ${before[0]} out`);
    await press(page, 'Keep it');
    await page.waitForFunction(() => !document.querySelector('[role="alertdialog"]'));
    expect(await files()).toEqual(before);
    await press(page, `Take ${before[0]} out`);
    await press(page, 'Take out');
    await sees(page, `${before[0]} is out`);
    expect(await files()).toEqual(before.slice(1));
  });

  it('is gone for good when the recording is deleted', async () => {
    const { page } = s;
    await page.goto(s.url);
    await page.waitForSelector('a[href^="/recordings/"]');
    const before = (await page.$$('a[href^="/recordings/"]')).length;
    const [name] = await page.$$eval('button[aria-label^="Delete "]', (l) => l.map((b) => b.getAttribute('aria-label') ?? ''));
    await press(page, name);
    await press(page, 'Delete');
    await page.waitForFunction((n) => document.querySelectorAll('a[href^="/recordings/"]').length === n - 1, {}, before);
    const [{ n }] = await sql`select count(*)::int as n from recording`;
    expect(n).toBe(before - 1);
  });
});
