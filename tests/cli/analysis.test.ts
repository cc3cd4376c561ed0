import { spawnSync } from 'node:child_process';
import { copyFileSync, existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { THRESHOLD } from '../../src/core/hits/detectHits';
import { type TimedHit, matchHits } from '../../src/core/measure/scoreHits';
import { writeRecording } from '../../src/demo/writeRecording';
import { readMidi } from '../../src/formats/midi';
import { shortRecording } from '../support/madeKit';

const BIN = fileURLToPath(new URL('../../bin/fresh-gap.mjs', import.meta.url));
const run = (...args: string[]) => spawnSync(process.execPath, [BIN, ...args], { encoding: 'utf8' });
let folder: string;
let mics: string;
const ROLES = ['kick-in', 'snare-top', 'hat', 'tom-1', 'tom-2', 'overhead-left', 'overhead-right'];
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'fresh-gap-analysis-'));
  mics = join(folder, 'mics');
  await writeRecording(mics, shortRecording({ from: 0, seconds: 13, roles: ROLES }));
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
    const against = (truth: string) => JSON.parse(run('measure', '--hits', truth, out, '--json').stdout);
    const scores = against(join(mics, 'truth', 'hits.json'));
    expect(scores.arrival).toBe(true);
    for (const where of [mics, join(mics, 'truth')]) expect(against(where)).toEqual(scores);
    // a truth elsewhere is taken as it is: here contacts, before anything arrives
    const contacts = join(folder, 'contacts.json');
    copyFileSync(join(mics, 'truth', 'hits.json'), contacts);
    const { drums: early, arrival } = against(contacts);
    expect(arrival).toBe(false);
    const { arrival_s } = json(join(mics, 'kit.json'));
    for (const drum of ['kick', 'snare', 'hat']) expect(early[drum].biasMs - scores.drums[drum].biasMs, drum).toBeCloseTo(1000 * arrival_s[drum], 1);
    // a few bars are little to learn from
    for (const drum of ['kick', 'snare', 'hat']) expect(scores.drums[drum].f, drum).toBeGreaterThan(0.75);
    const notes = readMidi(readFileSync(join(folder, 'files', 'hits.mid')));
    expect(notes.filter((n) => n.key === 38)).toHaveLength(drums.snare.length);
    for (const name of ['hits.csv', 'labels/snare.txt', 'ticks/snare.wav']) expect(existsSync(join(folder, 'files', name)), name).toBe(true);
  }, 120_000);

  it('finds in de-bled mics what is lost in the raw ones, which are quickly heard, and less that is none', async () => {
    const middle = join(folder, 'middle');
    await writeRecording(middle, shortRecording({ from: 26, seconds: 13, roles: ROLES }));
    const [quick, closely] = [['--quick'], []].map((more, i) => {
      const out = join(folder, `heard-${i}.json`);
      const r = run('hits', middle, '--out', out, ...more);
      expect(r.status, r.stderr).toBe(0);
      expect(/Finding the hits again/.test(r.stderr)).toBe(i === 1);
      return json(out).drums as Record<string, TimedHit[]>;
    });
    const made = json(join(middle, 'truth', 'hits.json')) as Record<string, { time_s: number }[]>;
    const truth = Object.fromEntries(Object.entries(made).map(([d, l]): [string, TimedHit[]] => [d, l.map((h) => ({ time: h.time_s }))]));
    const of = (found: Record<string, TimedHit[]>) => Object.keys(truth).reduce((sum, d) => {
      const list = ((found[d] ?? []) as { time: number; certainty: number }[]).filter((h) => h.certainty >= THRESHOLD);
      const right = matchHits(truth[d], list).length;
      return { lost: sum.lost + truth[d].length - right, none: sum.none + list.length - right };
    }, { lost: 0, none: 0 });
    expect(of(quick).lost).toBeGreaterThan(0);
    expect(of(closely).lost).toBeLessThan(of(quick).lost);
    expect(of(closely).none).toBeLessThan(of(quick).none);
    // of 90 strokes
    expect(of(closely).none).toBeLessThanOrEqual(3);
    expect(run('spill', mics, '--quick').status).toBe(2);
  }, 240_000);

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

describe('fresh-gap clean without a plan', () => {
  const out = (name: string) => join(folder, name);
  const scores = (cleaned: string) => JSON.parse(run('measure', mics, cleaned, '--truth', join(mics, 'truth'), '--json').stdout);
  /** Mics of drums that are struck often enough in these few seconds; one of tom 1's three strokes hides under tom 2. */
  const OFTEN = ['01 Kick In.wav', '03 Snare Top.wav', '05 Hat.wav'];

  it('de-bleeds, gates and cuts as it proposes; what is made is better than the raw mics in every figure of spill', () => {
    const r = run('clean', mics, '--out', out('proposed'));
    expect(r.status, r.stderr).toBe(0);
    const [raw, done] = [scores(mics), scores(out('proposed'))];
    expect(done.mean.gapSuppressionDb).toBeGreaterThan(20);
    expect(done.mean.tailSpillDb).toBeLessThan(-4);
    expect(done.mean.siSdrImprovementDb).toBeGreaterThan(4);
    for (const m of OFTEN) expect(done.mics[m].attackErrorDb, m).toBeLessThan(raw.mics[m].attackErrorDb + 0.1);
    // what has no close drum is left bit for bit
    expect(readFileSync(join(out('proposed'), '08 Overhead L.wav')).equals(readFileSync(join(mics, '08 Overhead L.wav')))).toBe(true);
  }, 240_000);

  it('proposes a plan that can be looked at first, and cleans by it', () => {
    expect(run('plan', mics, '--out', out('plan.json')).status).toBe(0);
    const plan = json(out('plan.json'));
    const of = (role: string) => (Object.values(plan.mics) as { role: string; treatment: { debleed: { on: boolean }; slices: { on: boolean }; gate: { on: boolean; keyBy: string } } }[]).find((m) => m.role === role)?.treatment;
    expect(of('tom-1')?.slices.on).toBe(true);
    expect(of('kick-in')?.gate).toMatchObject({ on: true, keyBy: 'hits' });
    expect(of('overhead-left')).toMatchObject({ debleed: { on: false }, slices: { on: false }, gate: { on: false } });
    expect([of('kick-in'), of('snare-top'), of('hat'), of('tom-1')].filter((t) => t?.debleed.on).length).toBeGreaterThan(1);
    // by hand: de-bleed alone
    for (const m of Object.values(plan.mics) as { treatment: Record<string, { on: boolean }> }[]) for (const part of ['gate', 'slices', 'tail']) m.treatment[part].on = false;
    writeFileSync(out('plan.json'), JSON.stringify(plan));
    const r = run('clean', mics, '--plan', out('plan.json'), '--out', out('planned'));
    expect(r.status, r.stderr).toBe(0);
    const [raw, done] = [scores(mics), scores(out('planned'))];
    expect(done.mean.tailSpillDb).toBeLessThan(-4);
    for (const m of OFTEN) {
      expect(done.mics[m].attackErrorDb, m).toBeLessThan(raw.mics[m].attackErrorDb + 0.1);
      expect(done.mics[m].missedStrokes, m).toBe(0);
    }
    expect(done.mean.sustainErrorDb).toBeLessThan(raw.mean.sustainErrorDb + 0.3);
  }, 240_000);

  it('says what --only can be', () => {
    expect(run('clean', mics, '--out', out('x'), '--only', 'gates')).toMatchObject({ status: 2, stderr: expect.stringContaining('debleed or cut') });
    expect(run('clean', mics, '--out', out('x'), '--only', 'cut', '--plan', out('plan.json')).status).toBe(2);
  });

  it('writes what one drum adds to a mic, and says which can be told apart', () => {
    const out = join(folder, 'kick in snare.wav');
    const r = run('image', mics, '--mic', '03 Snare Top.wav', '--drum', 'kick', '--out', out);
    expect(r.status, r.stderr).toBe(0);
    const bytes = readFileSync(out);
    expect(bytes.toString('latin1', 0, 4)).toBe('RIFF');
    expect(bytes.length).toBeGreaterThan(13 * 48000 * 4);
    const wrong = run('image', mics, '--mic', '03 Snare Top.wav', '--drum', 'cowbell', '--out', out);
    expect(wrong.status).toBe(2);
    expect(wrong.stderr).toContain('rest can');
  }, 120_000);
});
