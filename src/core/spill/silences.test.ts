import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type Silence, silencesOf } from './silences';

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
});
