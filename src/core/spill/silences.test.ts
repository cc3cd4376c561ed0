import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type Silence, createSilenceFinder, silencesIn, silencesOf, silencesUpTo } from './silences';

describe('silences', () => {
  it('are the same as when every sample is looked at, however the recording lies in blocks', () => {
    const runs = fc.array(fc.tuple(fc.boolean(), fc.integer({ min: 1, max: 60 })), { minLength: 1, maxLength: 12 });
    fc.assert(fc.property(runs, fc.integer({ min: 1, max: 30 }), fc.integer({ min: 1, max: 50 }), (list, least, size) => {
      const x = Float32Array.from(list.flatMap(([sounds, length]) => Array.from({ length }, () => (sounds ? 0.1 : 1e-7))));
      const byEach: Silence[] = [];
      let begin = 0;
      x.forEach((v, i) => {
        if (v < 1e-6) return;
        if (i - begin >= least) byEach.push({ from: begin, to: i });
        begin = i + 1;
      });
      const found: Silence[] = [];
      let from = 0;
      for (let at = 0; at < x.length; at += size) {
        const block = new Float32Array(size);
        block.set(x.subarray(at, at + size));
        from = at + silencesOf(block, Math.min(size, x.length - at), at, from - at, least, found);
      }
      expect(found).toEqual(byEach);
      expect(from).toBe(begin);
    }));
  });

  it('of a file tell those of a recording that is longer, as when it is read to the end', async () => {
    const rate = 1000;
    for (const tail of [0, 4, 30]) {
      const x = new Float32Array(5000).fill(0.2);
      x.fill(0, 0, 12).fill(0, 700, 709).fill(0, 2000, 3000).fill(0, 5000 - tail);
      const finder = createSilenceFinder(rate);
      for (let at = 0; at < x.length; at += 300) finder.add(Float32Array.from({ length: 300 }, (_, i) => x[at + i] ?? 0), Math.min(300, x.length - at));
      for (const frames of [5000, 5007, 200_000]) {
        const read = await silencesIn({ read: (at, out) => out.forEach((_, i) => { out[i] = x[at + i] ?? 0; }) }, frames, rate);
        expect(silencesUpTo(finder.found(), frames, rate)).toEqual(read);
        const silent = tail + frames - 5000;
        expect(read.list).toEqual([{ from: 0, to: 12 }, { from: 2000, to: 3000 }, ...(silent >= 10 ? [{ from: 5000 - tail, to: frames }] : [])]);
        expect(read.total).toBe(1012 + (silent >= 10 ? silent : 0));
      }
    }
  });
});
