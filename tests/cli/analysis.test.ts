import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { writeRecording } from '../../src/demo/writeRecording';
import { readMidi } from '../../src/formats/midi';
import { shortRecording } from '../support/madeKit';

const BIN = fileURLToPath(new URL('../../bin/fresh-gap.mjs', import.meta.url));
const run = (...args: string[]) => spawnSync(process.execPath, [BIN, ...args], { encoding: 'utf8' });
let folder: string;
let mics: string;
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'fresh-gap-analysis-'));
  mics = join(folder, 'mics');
  await writeRecording(mics, shortRecording({ from: 0, seconds: 13, roles: ['kick-in', 'snare-top', 'hat', 'tom-1', 'tom-2', 'overhead-left', 'overhead-right'] }));
}, 120_000);
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const json = (path: string) => JSON.parse(readFileSync(path, 'utf8'));

describe('fresh-gap hits, spill and measure', () => {
  it('finds hits as documented, with the files that go with them, and scores them', () => {
    const out = join(folder, 'hits.json');
    const r = run('hits', mics, '--out', out, '--files', join(folder, 'files'));
    expect(r.status, r.stderr).toBe(0);
    expect(r.stdout.trim()).toBe(out);
    const { sampleRate, drums } = json(out);
    expect(sampleRate).toBe(48000);
    for (const list of Object.values(drums) as { time: number; strength: number; certainty: number }[][]) {
      for (const h of list) {
        expect(Object.keys(h)).toEqual(['time', 'strength', 'certainty']);
        expect(h.strength).toBeGreaterThanOrEqual(0);
        expect(h.strength).toBeLessThanOrEqual(1);
        expect(h.certainty).toBeGreaterThanOrEqual(0.4);
      }
      expect(list.map((h) => h.time)).toEqual([...list.map((h) => h.time)].sort((a, b) => a - b));
    }
    const scores = JSON.parse(run('measure', '--hits', join(mics, 'truth', 'hits.json'), out, '--json').stdout);
    // a few bars are little to learn from
    for (const drum of ['kick', 'snare', 'hat']) expect(scores.drums[drum].f, drum).toBeGreaterThan(0.75);
    const notes = readMidi(readFileSync(join(folder, 'files', 'hits.mid')));
    expect(notes.filter((n) => n.key === 38)).toHaveLength(drums.snare.length);
    for (const name of ['hits.csv', 'labels/snare.txt', 'ticks/snare.wav']) expect(existsSync(join(folder, 'files', name)), name).toBe(true);
  }, 120_000);

  it('maps the spill: every drum in every mic, its own first', () => {
    const out = join(folder, 'spill.json');
    expect(run('spill', mics, '--out', out).status).toBe(0);
    const { drums, bandsHz } = json(out);
    expect(bandsHz).toHaveLength(12);
    expect(drums.snare.against).toBe('03 Snare Top.wav');
    const own = drums.snare.mics.find((m: { role: string }) => m.role === 'snare-top');
    expect(own).toMatchObject({ levelDb: 0, delayMs: 0, polarity: 1 });
    // derived from where the kit stands: the overhead is 1.3 m from the snare, its own mic 0.15 m: some 3.4 ms
    const overhead = drums.snare.mics.find((m: { role: string }) => m.role === 'overhead-left');
    expect(overhead.delayMs).toBeGreaterThan(2.4);
    expect(overhead.delayMs).toBeLessThan(4.6);
    expect(drums.snare.strokes).toBeGreaterThan(3);
  }, 120_000);

  it('takes roles from a file and refuses wrong ones in words', () => {
    const roles = join(folder, 'roles.json');
    writeFileSync(roles, JSON.stringify({ '03 Snare Top.wav': 'snare-middle' }));
    const r = run('hits', mics, '--roles', roles, '--json');
    expect(r.status).toBe(1);
    expect(JSON.parse(r.stdout).error).toMatchObject({ code: 'CLI_ROLES', message: expect.stringContaining('snare-middle') });
  });

  it('measures cleaned mics against the truth', () => {
    const r = run('measure', mics, mics, '--truth', join(mics, 'truth'), '--json');
    expect(r.status, r.stderr).toBe(0);
    const { mics: scores, mean } = JSON.parse(r.stdout);
    expect(Object.keys(scores)).toEqual(['01 Kick In.wav', '03 Snare Top.wav', '05 Hat.wav', '06 Tom 1.wav', '07 Tom 2 Floor.wav']);
    expect(mean.softRecall).toBe(1);
    for (const nothing of [mean.gapSuppressionDb, mean.tailSpillDb]) expect(Math.abs(nothing)).toBeLessThan(0.1);
    const perfect = JSON.parse(run('measure', mics, join(mics, 'truth'), '--truth', join(mics, 'truth'), '--json').stdout);
    expect(perfect.mean.gapSuppressionDb).toBeGreaterThan(60);
    expect(perfect.mean.attackErrorDb).toBeLessThan(0.01);
  }, 120_000);
});
