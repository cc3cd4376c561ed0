import { afterEach, describe, expect, it, vi } from 'vitest';
import { fetchBlock, fetchBlocks, layOver, overlaid } from './blocks';
import { BLOCK_FRAMES } from './protocol';

/** A server whose audio counts frames. */
const frames = 2 * BLOCK_FRAMES + 1000;
const asked: string[] = [];
vi.stubGlobal('fetch', async (url: string) => {
  asked.push(url);
  const [seq, count = 1] = url.split('/').slice(5).map(Number);
  const n = Math.min(count * BLOCK_FRAMES, frames - seq * BLOCK_FRAMES);
  return new Response(Float32Array.from({ length: n }, (_, i) => seq * BLOCK_FRAMES + i).buffer);
});
afterEach(() => {
  asked.length = 0;
});

describe('blocks of audio', () => {
  it('come from their address', async () => {
    const block = await fetchBlock({ content: 'abc', channel: 1, frames }, 2);
    expect(asked).toEqual(['/bulk/pcm/abc/1/2']);
    expect(block).toHaveLength(1000);
    expect(block[7]).toBe(2 * BLOCK_FRAMES + 7);
  });

  it('come several at once, up to the end', async () => {
    const blocks = await fetchBlocks({ content: 'abc', channel: 1, frames }, 1, 2);
    expect(asked).toEqual(['/bulk/pcm/abc/1/1/2']);
    expect(blocks).toHaveLength(BLOCK_FRAMES + 1000);
    expect([blocks[0], blocks[BLOCK_FRAMES + 999]]).toEqual([BLOCK_FRAMES, 2 * BLOCK_FRAMES + 999]);
  });

  it('with a stretch laid over them have its samples there and their own everywhere else, over the edge of a block too', async () => {
    const samples = new Float32Array(3000).fill(-1);
    layOver({ content: 'over', base: { content: 'abc', channel: 0, frames }, from: BLOCK_FRAMES - 1000, samples });
    expect(overlaid().map((o) => o.content)).toContain('over');
    const audio = { content: 'over', channel: 0, frames };
    const [a, b, c] = [await fetchBlock(audio, 0), await fetchBlock(audio, 1), await fetchBlock(audio, 2)];
    expect(asked.every((u) => u.startsWith('/bulk/pcm/abc/0/'))).toBe(true);
    expect(a[BLOCK_FRAMES - 1001]).toBe(BLOCK_FRAMES - 1001);
    expect(a.subarray(BLOCK_FRAMES - 1000).every((v) => v === -1)).toBe(true);
    expect(b.subarray(0, 2000).every((v) => v === -1)).toBe(true);
    expect(b[2000]).toBe(BLOCK_FRAMES + 2000);
    expect(c[0]).toBe(2 * BLOCK_FRAMES);
    const all = await fetchBlocks(audio, 0, 3);
    expect([a, b, c].every((block, k) => Buffer.compare(Buffer.from(block.buffer), Buffer.from(all.buffer, 4 * k * BLOCK_FRAMES, 4 * block.length)) === 0)).toBe(true);
  });
});
