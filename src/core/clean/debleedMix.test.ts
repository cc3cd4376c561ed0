import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { debleedFigures, rungOutS } from '../measure/debleedFigures';
import { DEBLEED_DEFAULTS, type DebleedSettings } from '../params/debleedParams';
import { type MicReader, debledReader } from '../render';
import { createDebleedMix } from './debleedMix';

const RATE = 48000;
const gauss = createGaussian(createRng(9));
const raw = Float32Array.from({ length: 20000 }, gauss);
const kept = Float32Array.from(raw, (v) => 0.25 * v + 0.01 * gauss());
const live = (patch: Partial<DebleedSettings>, hits: readonly number[] = []) => ({ settings: { ...DEBLEED_DEFAULTS, on: true, ...patch }, hits, left: [] as { source: string; gain: number }[] });
const mixed = (t: ReturnType<typeof live>) => {
  const out = new Float32Array(raw.length);
  const mix = createDebleedMix(RATE);
  mix.set(t);
  mix.process(raw, kept, () => null, out, raw.length, 0);
  return out;
};

describe('mixing de-bleed in', () => {
  it('is the raw mic bit for bit at 0 dB, and what was computed at the end of the range', () => {
    expect(mixed(live({ depthDb: 0 }))).toEqual(raw);
    expect(mixed(live({ depthDb: 40 }))).toEqual(kept);
  });

  it('lowers what is taken by as many dB as set', () => {
    const out = mixed(live({ depthDb: 12 }));
    for (let i = 0; i < raw.length; i += 997) expect((out[i] - kept[i]) / (raw[i] - kept[i])).toBeCloseTo(10 ** (-12 / 20), 3);
  });

  it('keeps the raw mic for the attack, if asked, and goes over without a jump', () => {
    const hit = 8000;
    const out = mixed(live({ attackMs: 10 }, [hit]));
    const at = (ms: number) => hit + Math.round((ms * RATE) / 1000);
    for (let i = at(-2); i <= at(10); i++) expect(out[i]).toBeCloseTo(raw[i], 5);
    for (const i of [at(-8), at(16), 100, 19000]) expect(out[i]).toBeCloseTo(kept[i], 6);
    const share = (i: number) => (out[i] - kept[i]) / (raw[i] - kept[i]);
    expect(share(at(12.5))).toBeCloseTo(0.5, 1);
    expect(share(at(-4.5))).toBeCloseTo(0.5, 1);
  });

  it('leaves what is to stay of a drum, by its image, as much of it as asked for', () => {
    const kick = Float32Array.from(raw, () => 0.1 * gauss());
    const mix = createDebleedMix(RATE);
    mix.set({ ...live({}), left: [{ source: 'kick', gain: 0.4 }, { source: 'snare', gain: 1 }] });
    const out = new Float32Array(raw.length);
    mix.process(raw, kept, (s) => (s === 'kick' ? kick : null), out, raw.length, 0);
    for (let i = 0; i < raw.length; i += 97) expect(out[i]).toBeCloseTo(kept[i] + 0.4 * kick[i], 5);
  });

  it('takes out only within its range of frequencies', () => {
    const n = 48000;
    const sine = (hz: number) => Float32Array.from({ length: n }, (_, i) => Math.sin((2 * Math.PI * hz * i) / RATE));
    const left = (hz: number) => {
      const x = sine(hz);
      const mix = createDebleedMix(RATE);
      mix.set(live({ fromHz: 300, toHz: 3000 }));
      const out = new Float32Array(n);
      mix.process(x, new Float32Array(n), () => null, out, n, 0);
      return Math.sqrt(out.subarray(n / 2).reduce((s, v) => s + v * v, 0) / (n / 4));
    };
    // second-order Butterworth: what stays is 1 - H, small in the middle, all of it two octaves away
    expect(left(950)).toBeLessThan(0.65);
    expect(left(40)).toBeCloseTo(1, 1);
    expect(left(20000)).toBeCloseTo(1, 1);
  });

  it('gives the same whatever the blocks', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 4000 }), { minLength: 1, maxLength: 12 }), fc.integer({ min: 0, max: 40 }), fc.uniqueArray(fc.integer({ min: 0, max: 19999 }), { maxLength: 8 }), (sizes, attackMs, hits) => {
        const t = live({ attackMs, fromHz: 200, toHz: 6000 }, [...hits].sort((a, b) => a - b));
        const whole = mixed(t);
        const out = new Float32Array(raw.length);
        const mix = createDebleedMix(RATE);
        mix.set(t);
        for (let at = 0, k = 0; at < raw.length; k++) {
          const size = Math.min(sizes[k % sizes.length], raw.length - at);
          const part = new Float32Array(size);
          mix.process(raw.subarray(at, at + size), kept.subarray(at, at + size), () => null, part, size, at);
          out.set(part, at);
          at += size;
        }
        expect(out).toEqual(whole);
      }),
      { numRuns: 60 },
    );
  });
});

describe('a mic that is to be de-bled', () => {
  const reader = (x: Float32Array): MicReader => ({
    read(at, out) {
      out.fill(0);
      out.set(x.subarray(at, at + out.length));
    },
  });
  it('is read towards what was computed, refused where that is missing, and read as it is where de-bleed is off', async () => {
    const out = new Float32Array(5000);
    await debledReader(RATE, live({}), reader(raw), { own: reader(kept), images: {} }).read(3000, out);
    expect(out).toEqual(kept.slice(3000, 8000));
    expect(() => debledReader(RATE, live({}), reader(raw), null)).toThrow(expect.objectContaining({ code: 'DEBLEED_MISSING' }));
    expect(() => debledReader(RATE, { ...live({}), left: [{ source: 'kick', gain: 0.5 }] }, reader(raw), { own: reader(kept), images: {} })).toThrow(expect.objectContaining({ code: 'DEBLEED_MISSING' }));
    await debledReader(RATE, null, reader(raw), null).read(0, out);
    expect(out).toEqual(raw.slice(0, 5000));
  });
});

describe('figures of de-bleed', () => {
  it('tell gaps, tails and attacks apart', () => {
    const n = 4 * RATE;
    const x = new Float32Array(n).fill(0.1);
    const hits = [RATE, 2.5 * RATE];
    const y = x.map((v, i) => {
      const since = Math.min(...hits.map((h) => (i >= h ? (i - h) / RATE : 99)));
      return since < 0.01 ? v : since < 0.5 ? v * 0.5 : v * 0.1;
    });
    const f = debleedFigures(RATE, x, y, hits);
    expect(f.attackDb).toBeCloseTo(0, 5);
    expect(f.tailsDb).toBeCloseTo(-6.02, 1);
    expect(f.gapsDb).toBeCloseTo(-20, 1);
    expect(debleedFigures(RATE, x, y, []).attackDb).toBeNull();
  });

  it('begin gaps where the drum has rung out', () => {
    const x = new Float32Array(2 * RATE).fill(0.1);
    const hits = [0, RATE];
    const y = x.map((v, i) => ((i % RATE) / RATE < 0.3 ? v : v * 0.1));
    // nowhere a second without a stroke
    expect(debleedFigures(RATE, x, y, hits).gapsDb).toBeNull();
    const f = debleedFigures(RATE, x, y, hits, 0.3);
    expect(f.gapsDb).toBeCloseTo(-20, 5);
    expect(f.tailsDb).toBeCloseTo(0, 5);
    // 1 dB down every 10 ms is 50 dB down after half a second; a click is not believed to be over at once
    const ring = (slope: number) => ({ decayDb: Array.from({ length: 400 }, (_, s) => -slope * s), spillDb: -20, topDb: -6 });
    expect([ring(1), ring(50), ring(0.1), null].map(rungOutS)).toEqual([0.5, 0.15, 1, 1]);
  });
});
