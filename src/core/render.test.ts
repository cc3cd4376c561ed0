import { describe, expect, it } from 'vitest';
import { createGate } from './clean/gate';
import { createGaussian, createRng } from './dsp/rng';
import { GATE_DEFAULTS, type GateSettings } from './params/gateParams';
import type { Treatment } from './plan/plan';
import { type MicReader, createKitRenderer, renderMics } from './render';

const RATE = 48000;
const N = 30000;
const signal = (seed: number) => {
  const g = createGaussian(createRng(seed));
  return Float32Array.from({ length: N }, (_, i) => 0.3 * g() * Math.exp(-(i % 9000) / 1500));
};
const mics = [signal(1), signal(2), signal(3)];
const treat = (s: Partial<GateSettings>): Treatment => ({ gate: { ...GATE_DEFAULTS, ...s }, gaps: {} });
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
});
