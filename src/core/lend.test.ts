import { describe, expect, it } from 'vitest';
import { lendAll, lending, lendingFrom } from './lend';
import type { MicReader } from './render';

const FRAMES = 150000;
/** A mic in which every sample is its number, and which tells when it is read. */
const mic = (value: number, reads: number[] = []): MicReader => ({
  async read(_, out) {
    reads.push(value);
    await Promise.resolve();
    out.fill(value);
  },
});
const wait = () => new Promise((done) => setTimeout(done, 1));

describe('sound that is lent', () => {
  it('comes whole, one mic after the other in the same memory', async () => {
    const lend = lending([mic(1), mic(2)], FRAMES);
    const seen: unknown[] = [];
    for (const m of [0, 1, 0]) {
      await lend(m, (x) => {
        expect(x.length).toBe(FRAMES);
        expect(x.every((v) => v === m + 1)).toBe(true);
        seen.push(x.buffer);
      });
    }
    expect(new Set(seen).size).toBe(1);
  });

  it('stays what it is while another is lent, and is read by nobody at the same time', async () => {
    let reading = 0;
    const watched = (value: number): MicReader => ({
      async read(_, out) {
        expect(++reading).toBe(1);
        await wait();
        out.fill(value);
        reading--;
      },
    });
    const lend = lending([watched(1), watched(2)], FRAMES);
    const ends = await Promise.all([0, 1].map((m) => lend(m, async (x) => {
      await wait();
      await wait();
      return x.every((v) => v === m + 1);
    })));
    expect(ends).toEqual([true, true]);
  });

  it('is taken back where the work fails', async () => {
    const lend = lending([mic(1)], FRAMES);
    let first: unknown;
    await expect(lend(0, (x) => {
      first = x.buffer;
      throw new Error('no');
    })).rejects.toThrow('no');
    expect(await lend(0, (x) => x.buffer === first)).toBe(true);
  });

  it('comes several at once, in their order', async () => {
    const reads: number[] = [];
    const lend = lending([mic(1, reads), mic(2, reads), mic(3, reads)], 10);
    expect(await lendAll(lend, [2, 0], (list) => list.map((x) => x[9]))).toEqual([3, 1]);
    expect(reads).toEqual([3, 1]);
    expect(await lendAll(lend, [], (list) => list.length)).toBe(0);
  });

  it('is what lies in memory where it does', async () => {
    const audio = [Float32Array.of(1), Float32Array.of(2)];
    const lend = lendingFrom((m) => audio[m]);
    expect(await lend(1, (x) => x)).toBe(audio[1]);
  });
});
