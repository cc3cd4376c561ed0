import { describe, expect, it } from 'vitest';
import { createGate } from './clean/gate';
import { deriveSlices } from './clean/slices';
import { createGaussian, createRng } from './dsp/rng';
import { GATE_DEFAULTS, type GateSettings } from './params/gateParams';
import { SLICE_DEFAULTS, TAIL_DEFAULTS } from './params/sliceParams';
import type { LiveTreatment } from './plan/live';
import { type MicReader, createKitRenderer, renderMics } from './render';

const RATE = 48000;
const N = 30000;
const signal = (seed: number) => {
  const g = createGaussian(createRng(seed));
  return Float32Array.from({ length: N }, (_, i) => 0.3 * g() * Math.exp(-(i % 9000) / 1500));
};
const mics = [signal(1), signal(2), signal(3)];
const treat = (s: Partial<GateSettings>): LiveTreatment => ({ gate: { ...GATE_DEFAULTS, ...s } });
const ids = ['a', 'b', 'c'];
const treatments = [treat({ on: true, thresholdDb: -20 }), treat({}), treat({ on: true, keyFrom: 'a', thresholdDb: -18, rangeDb: 30 })];
const reader = (x: Float32Array): MicReader => ({
  read(at, out) {
    const part = x.subarray(at, at + out.length);
    out.set(part);
    out.fill(0, part.length);
  },
});

async function render(blockFrames: number, wanted = [0, 1, 2]) {
  const out = wanted.map(() => [] as number[]);
  await renderMics({ rate: RATE, frames: N, ids, treatments, readers: mics.map(reader), wanted, blockFrames, write: (m, s) => void out[wanted.indexOf(m)].push(...s) });
  return out.map((x) => Float32Array.from(x));
}

describe('render', () => {
  it('gives every mic its own length, in time, the same for any block size', async () => {
    const a = await render(65536);
    const b = await render(1000);
    a.forEach((x, i) => {
      expect(x.length).toBe(N);
      expect(b[i]).toEqual(x);
    });
  });

  it('leaves an untreated mic bit-identical', async () => {
    expect((await render(4096))[1]).toEqual(mics[1]);
  });

  it('is what the gate alone makes', async () => {
    const gate = createGate(RATE, treatments[2].gate);
    const pad = (x: Float32Array) => Float32Array.from([...x, ...new Float32Array(gate.latency)]);
    const out = new Float32Array(N + gate.latency);
    gate.process(pad(mics[0]), pad(mics[2]), out, out.length);
    expect((await render(5000, [2]))[0]).toEqual(out.subarray(gate.latency));
  });

  it('reads only the mics it needs: those wanted and their keys', async () => {
    const touched = new Set<number>();
    await renderMics({
      rate: RATE, frames: N, ids, treatments, wanted: [2], write() {},
      readers: mics.map((x, i) => ({ read: (at, out) => { touched.add(i); return reader(x).read(at, out); } })),
    });
    expect([...touched].sort()).toEqual([0, 2]);
  });

  it('stops where it is told to', async () => {
    let blocks = 0;
    const run = renderMics({
      rate: RATE, frames: N, ids, treatments, readers: mics.map(reader), wanted: [0], blockFrames: 1000, write() {},
      onBlock() {
        if (++blocks === 3) throw new Error('enough');
      },
    });
    await expect(run).rejects.toThrow('enough');
    expect(blocks).toBe(3);
  });

  it('takes a key mic that is gone as the mic itself', () => {
    const kit = createKitRenderer(RATE, ['x'], [treat({ on: true, keyFrom: 'gone', thresholdDb: -80, attackMs: 0.05 })]);
    const out = [new Float32Array(N)];
    kit.process([mics[0]], out, N);
    expect(out[0].some((v) => v !== 0)).toBe(true);
  });

  describe('with slices and tail damping', () => {
    const own = [{ id: 'a', frame: 9000, strength: 1 }, { id: 'b', frame: 18000, strength: 0.6 }];
    const list = deriveSlices({ rate: RATE, frames: N, settings: { ...SLICE_DEFAULTS, on: true, tailBy: 'fixed', tailMs: 90, leadMs: 12, bridgeMs: 0, zeroMs: 2 }, ring: null, own, foreign: [], strong: [], edits: {} });
    const cut: LiveTreatment = { ...treat({}), slices: { list, gapGain: 0 }, tail: { settings: { ...TAIL_DEFAULTS, on: true }, hits: own, foreign: [] } };
    const run = async (blockFrames: number) => {
      const out: number[] = [];
      await renderMics({ rate: RATE, frames: N, ids: ['a'], treatments: [cut], readers: [reader(mics[0])], wanted: [0], blockFrames, write: (_, s) => void out.push(...s) });
      return Float32Array.from(out);
    };

    it('gives the same samples for any block size, silence in gaps, the mic itself at an attack', async () => {
      const whole = await run(65536);
      for (const block of [128, 1000, 4097]) expect(await run(block)).toEqual(whole);
      expect(whole.subarray(0, list[0].from - 200).every((v) => v === 0)).toBe(true);
      for (let i = 9000; i < 9000 + 0.005 * RATE; i++) expect(whole[i]).toBe(mics[0][i]);
    });

    it('turns back in a loop to what it would play there anyway', () => {
      const kit = createKitRenderer(RATE, ['a'], [cut]);
      const [from, to] = [4000, 20000];
      const straight = createKitRenderer(RATE, ['a'], [cut]);
      const all = new Float32Array(N);
      straight.process([mics[0]], [all], N, undefined, undefined, 0);
      // from the loop's start to its end, and once more
      const heard: number[] = [];
      const out = new Float32Array(1000);
      for (let turn = 0; turn < 2; turn++) {
        for (let at = from; at < to; at += 1000) {
          kit.process([mics[0].subarray(at, at + 1000)], [out], 1000, undefined, undefined, at);
          heard.push(...out);
        }
      }
      // the second turn, well after its start: sample by sample what straight playing gives
      for (let i = kit.latency + 1000; i < to - from; i++) expect(heard[to - from + i]).toBeCloseTo(all[from + i], 6);
    });
  });
});
