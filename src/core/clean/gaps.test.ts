import { describe, expect, it } from 'vitest';
import { createKitRenderer, renderMics } from '../render';
import { GATE_DEFAULTS } from '../params/gateParams';
import { createGaps, mergeGaps } from './gaps';

const RATE = 48000;

describe('gaps by hand', () => {
  it('are silent inside, untouched outside, faded between', () => {
    const out = new Float32Array(2000).fill(1);
    createGaps(RATE, [{ from: 500, to: 1500 }]).apply(out, 0, 2000, 0);
    for (let i = 0; i < 500; i++) expect(out[i]).toBe(1);
    for (let i = 1500; i < 2000; i++) expect(out[i]).toBe(1);
    for (let i = 500 + 144; i < 1500 - 144; i++) expect(out[i]).toBe(0);
    // 3 ms of fade, even and falling
    for (let i = 501; i < 644; i++) expect(out[i]).toBeLessThan(out[i - 1]);
  });

  it('are the same however the sound is cut', () => {
    const gaps = [{ from: 100, to: 130 }, { from: 400, to: 900 }, { from: 850, to: 1000 }];
    const whole = new Float32Array(1200).fill(1);
    createGaps(RATE, gaps).apply(whole, 0, 1200, 0);
    const parts = new Float32Array(1200).fill(1);
    const g = createGaps(RATE, gaps);
    for (let at = 0; at < 1200; at += 77) g.apply(parts, at, Math.min(77, 1200 - at), at);
    expect(parts).toEqual(whole);
  });

  it('join where they meet', () => expect(mergeGaps([{ from: 5, to: 9 }, { from: 1, to: 5 }, { from: 20, to: 20 }])).toEqual([{ from: 1, to: 9 }]));

  it('come out of the render in their place, with the gate off, and do not change what others hear as key', async () => {
    const n = 5000;
    const x = Float32Array.from({ length: n }, (_, i) => Math.sin(i / 9));
    const out = new Float32Array(n);
    let at = 0;
    await renderMics({
      rate: RATE, frames: n, ids: ['a'], treatments: [{ gate: GATE_DEFAULTS, gapList: [{ from: 1000, to: 3000 }] }], wanted: [0], blockFrames: 512,
      readers: [{ read: (from, block) => { block.fill(0); block.set(x.subarray(from, from + block.length)); } }],
      write: (_, s) => { out.set(s, at); at += s.length; },
    });
    for (let i = 0; i < n; i++) if (i < 1000 || i >= 3000) expect(out[i]).toBe(x[i]);
    expect(out.subarray(1200, 2800).every((v) => v === 0)).toBe(true);
    const keyed = { ...GATE_DEFAULTS, on: true, keyFrom: 'a', thresholdDb: -20, hysteresisDb: 0, holdMs: 0, attackMs: 0.05, releaseMs: 5 };
    const run = (gapList: { from: number; to: number }[]) => {
      const kit = createKitRenderer(RATE, ['a', 'b'], [{ gate: GATE_DEFAULTS, gapList }, { gate: keyed }]);
      const [a, b] = [new Float32Array(n), new Float32Array(n)];
      kit.process([x, x], [a, b], n, undefined, undefined, 0);
      return b;
    };
    expect(run([{ from: 0, to: n }])).toEqual(run([]));
  });
});
