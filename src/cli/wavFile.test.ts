import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Encoding, createEncoder } from '../formats/pcm';
import { wavHead } from '../formats/wavWriter';
import { openWav } from './wavFile';

const FRAMES = 300001;
/** Exact at 24 bits; channel `c` at frame `i`. */
const value = (c: number, i: number) => (c === 0 ? i : -i) / 8388608;
let folder = '';
beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'fresh-gap-wav-'));
});
afterAll(() => rm(folder, { recursive: true, force: true }));

async function written(encoding: 'pcm24' | 'float32', channels: number): Promise<string> {
  const name = `${encoding}-${channels}.wav`;
  const audio = createEncoder(encoding, 1).encode(Array.from({ length: channels }, (_, c) => Float32Array.from({ length: FRAMES }, (_v, i) => value(c, i))));
  await writeFile(join(folder, name), Buffer.concat([wavHead({ encoding: encoding as Encoding, channels, rate: 48000, frames: FRAMES }), audio]));
  return name;
}

describe('reading a WAV file', () => {
  it.each([['pcm24', 1], ['pcm24', 2], ['float32', 1], ['float32', 2]] as const)('gives any stretch of it, on and back, and silence beyond its end: %s, %i channels', async (encoding, channels) => {
    const file = await openWav(folder, await written(encoding, channels));
    try {
      for (let c = 0; c < channels; c++) {
        const reader = file.reader(c);
        for (const [at, length] of [[0, 65536], [65536, 65536], [131000, 200], [130000, 150000], [7, 3], [FRAMES - 5, 12], [FRAMES + 9, 4], [0, FRAMES + 3], [131072, 1]]) {
          const out = new Float32Array(length).fill(9);
          await reader.read(at, out);
          expect(out.every((v, i) => v === (at + i < FRAMES ? value(c, at + i) : 0)), `${length} frames from ${at}`).toBe(true);
        }
      }
    } finally {
      await file.close();
    }
  });

  it('answers several who ask at once, each what it asked for', async () => {
    const file = await openWav(folder, await written('pcm24', 1));
    try {
      const reader = file.reader(0);
      const asked = [200000, 0, 140000, 65536, 290000].map((at) => ({ at, out: new Float32Array(20000) }));
      await Promise.all(asked.map(({ at, out }) => reader.read(at, out)));
      for (const { at, out } of asked) expect(out.every((v, i) => v === (at + i < FRAMES ? value(0, at + i) : 0)), `from ${at}`).toBe(true);
    } finally {
      await file.close();
    }
  });
});
