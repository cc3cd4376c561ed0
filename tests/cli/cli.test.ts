import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { clean } from '../../src/cli/clean';
import { applyEdit, editGate } from '../../src/core/plan/edits';
import { createPlan } from '../../src/core/plan/plan';
import { createWavReader } from '../../src/formats/wavReader';
import { wavFile } from '../support/wavs';

const BIN = fileURLToPath(new URL('../../bin/fresh-gap.mjs', import.meta.url));
const run = (...args: string[]) => spawnSync(process.execPath, [BIN, ...args], { encoding: 'utf8' });

let folder: string;
let mics: string;
let plan: string;
const bytes = (path: string) => readFileSync(path);
const info = (path: string) => {
  const r = createWavReader(() => {}, () => {});
  r.push(new Uint8Array(bytes(path)));
  return r.end();
};

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'fresh-gap-cli-'));
  mics = join(folder, 'mics');
  mkdirSync(mics);
  writeFileSync(join(mics, '01 Kick.wav'), wavFile({ seed: 1 }));
  writeFileSync(join(mics, '06 Tom 1.wav'), wavFile({ seed: 2, encoding: 'pcm16', frames: 70_001 }));
  writeFileSync(join(mics, '08 OH.wav'), wavFile({ seed: 3, channels: 2, encoding: 'float32' }));
  const fresh = createPlan(48000, [{ file: '06 Tom 1.wav', channel: 0, channels: 1, frames: 70_001 }]);
  const doc = applyEdit(fresh, editGate(fresh, fresh.order[0], { on: true, thresholdDb: -20, rangeDb: 40 }));
  plan = join(folder, 'plan.json');
  writeFileSync(plan, JSON.stringify(doc));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

describe('fresh-gap clean', () => {
  it('cleans what the plan treats, copies the rest bit for bit, keeps names and lengths', () => {
    const out = join(folder, 'out');
    const r = run('clean', mics, '--plan', plan, '--out', out);
    expect(r.status, r.stderr).toBe(0);
    expect(readdirSync(out).sort()).toEqual(['01 Kick.wav', '06 Tom 1.wav', '08 OH.wav']);
    for (const n of ['01 Kick.wav', '08 OH.wav']) expect(bytes(join(out, n)).equals(bytes(join(mics, n)))).toBe(true);
    expect(info(join(out, '06 Tom 1.wav'))).toMatchObject({ frames: 70_001, encoding: 'pcm24', rate: 48000 });
    expect(r.stdout.trim().split('\n')).toHaveLength(3);
    expect(r.stderr).toContain('06 Tom 1.wav: cleaned');
  });

  it('gives the same bytes each time, and 32-bit float when asked', () => {
    const [a, b] = ['a', 'b'].map((n) => join(folder, n));
    for (const out of [a, b]) expect(run('clean', mics, '--plan', plan, '--out', out).status).toBe(0);
    expect(bytes(join(a, '06 Tom 1.wav')).equals(bytes(join(b, '06 Tom 1.wav')))).toBe(true);
    expect(run('clean', mics, '--plan', plan, '--out', a, '--format', 'float').status).toBe(0);
    expect(info(join(a, '06 Tom 1.wav')).encoding).toBe('float32');
  });

  it('reports as JSON on stdout alone', () => {
    const r = run('clean', mics, '--plan', plan, '--out', join(folder, 'json'), '--json');
    expect(JSON.parse(r.stdout)).toEqual({
      files: [
        { file: '01 Kick.wav', out: join(folder, 'json', '01 Kick.wav'), cleaned: false, clipped: 0 },
        { file: '06 Tom 1.wav', out: join(folder, 'json', '06 Tom 1.wav'), cleaned: true, clipped: 0 },
        { file: '08 OH.wav', out: join(folder, 'json', '08 OH.wav'), cleaned: false, clipped: 0 },
      ],
      missing: [],
    });
  });

  it('never writes over originals', () => {
    const r = run('clean', mics, '--plan', plan, '--out', mics, '--json');
    expect(r.status).toBe(1);
    expect(JSON.parse(r.stdout).error).toMatchObject({ code: 'CLI_OUT_IS_IN', hint: expect.any(String) });
  });

  it('says which file is damaged before anything is written', () => {
    const bad = join(folder, 'bad');
    mkdirSync(bad);
    writeFileSync(join(bad, '06 Tom 1.wav'), wavFile().subarray(0, 10_000));
    const out = join(folder, 'from bad');
    const r = run('clean', bad, '--plan', plan, '--out', out, '--json');
    expect(r.status).toBe(1);
    expect(JSON.parse(r.stdout).error).toMatchObject({ code: 'WAV_TRUNCATED', message: expect.stringContaining('06 Tom 1.wav') });
    expect(() => readdirSync(out)).toThrow();
  });

  it('writes the same in threads, one a core, as one after the other', async () => {
    const [alone, beside] = ['one by one', 'in threads'].map((n) => join(folder, n));
    const said: string[] = [];
    const report = await clean({ folder: mics, plan, out: alone, encoding: 'pcm24', progress: (t) => said.push(t) });
    expect(report.files.map((f) => f.cleaned)).toEqual([false, true, false]);
    expect(said.join('')).toMatch(/Writing: 100 %/);
    expect(run('clean', mics, '--plan', plan, '--out', beside).status).toBe(0);
    for (const f of report.files) expect(bytes(join(beside, f.file)).equals(bytes(f.out))).toBe(true);
  });

  it('leaves nothing half written where one file cannot be, and the others whole', () => {
    const out = join(folder, 'taken');
    mkdirSync(join(out, '06 Tom 1.wav', 'something'), { recursive: true });
    const r = run('clean', mics, '--plan', plan, '--out', out, '--json');
    expect(r.status).toBe(1);
    expect(JSON.parse(r.stdout).error.message).toContain('06 Tom 1.wav');
    expect(readdirSync(out).sort()).toEqual(['01 Kick.wav', '06 Tom 1.wav', '08 OH.wav']);
    expect(bytes(join(out, '01 Kick.wav')).equals(bytes(join(mics, '01 Kick.wav')))).toBe(true);
  });

  it.each([
    ['no place to write to', ['clean', 'x'], 2, /--out/],
    ['an unknown word', ['wash', 'x'], 2, /wash/],
    ['an unknown option', ['clean', 'x', '--deep'], 2, /deep/],
    ['a plan that is none', ['clean', 'MICS', '--plan', BIN, '--out', '/tmp/never'], 1, /no JSON/],
  ])('is clear about %s', (_, args, code, words) => {
    const r = run(...args.map((a) => ({ PLAN: plan, MICS: mics })[a] ?? a));
    expect(r.status).toBe(code);
    expect(r.stderr).toMatch(words);
    expect(r.stdout).toBe('');
  });

  it('tells a folder that is not there from one without WAV files', () => {
    const empty = join(folder, 'empty');
    mkdirSync(empty);
    const [absent, file, none] = [join(folder, 'absent'), plan, empty].map((f) => run('clean', f, '--plan', plan, '--out', join(folder, 'never')));
    expect(absent.stderr).toContain(`There is no folder ${join(folder, 'absent')}.`);
    expect(file.stderr).toContain('is a file, not a folder');
    expect(none.stderr).toContain('holds no WAV files');
    for (const r of [absent, file, none]) expect(r.status).toBe(1);
    expect(readdirSync(folder)).not.toContain('never');
  });

  it('explains itself', () => {
    const r = run('--help');
    expect(r.status).toBe(0);
    for (const word of ['clean FOLDER', 'demo FOLDER', '--plan', '--out', '--json', 'Exit codes']) expect(r.stdout).toContain(word);
  });
});
