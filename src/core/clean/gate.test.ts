import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { GATE_DEFAULTS, GATE_PARAMS, type GateSettings } from '../params/gateParams';
import { createGate, gateLatency } from './gate';

const RATE = 48000;
const LATENCY = gateLatency(RATE);
const on = (s: Partial<GateSettings> = {}): GateSettings => ({ ...GATE_DEFAULTS, on: true, ...s });

/** Strokes of decaying noise over a noise floor. */
function drums(seconds: number, seed = 1): Float32Array {
  const g = createGaussian(createRng(seed));
  const x = new Float32Array(Math.round(seconds * RATE));
  for (let i = 0; i < x.length; i++) x[i] = g() * (0.003 + 0.3 * Math.exp(-(i % 24000) / 3000));
  return x;
}

/** Runs a gate in blocks of the given sizes (repeated) and takes the latency out. */
function run(s: GateSettings, audio: Float32Array, key = audio, blocks: number[] = [4096]): Float32Array {
  const gate = createGate(RATE, s);
  const n = audio.length + LATENCY;
  const pad = (x: Float32Array) => {
    const y = new Float32Array(n);
    y.set(x);
    return y;
  };
  const [a, k, out] = [pad(audio), pad(key), new Float32Array(n)];
  for (let at = 0, b = 0; at < n; b++) {
    const m = Math.min(blocks[b % blocks.length], n - at);
    gate.process(k.subarray(at, at + m), a.subarray(at, at + m), out.subarray(at, at + m), m);
    at += m;
  }
  return out.subarray(LATENCY);
}

const constant = (level: number, seconds: number) => new Float32Array(Math.round(seconds * RATE)).fill(level);
const rms = (x: Float32Array, from = 0, to = x.length) => Math.sqrt(x.subarray(from, to).reduce((a, b) => a + b * b, 0) / (to - from));

const settings = fc.record(
  Object.fromEntries(
    Object.entries(GATE_PARAMS).map(([id, p]) => [
      id,
      id === 'on'
        ? fc.constant(true)
        : p.kind === 'number'
          ? fc.double({ min: p.min, max: p.max, noNaN: true })
          : p.kind === 'choice'
            ? fc.constantFrom(...p.options.map((o) => o.value as string | number))
            : p.kind === 'mic'
              ? fc.constant('')
              : fc.boolean(),
    ]),
  ),
) as unknown as fc.Arbitrary<GateSettings>;

describe('gate', () => {
  it('that hits open does the same whether its key is listened to or not, and listens anew once a level opens it', () => {
    const x = drums(1.5);
    const hits = [{ frame: 6000, strength: 1 }, { frame: 30000, strength: 0.5 }];
    const byHits = on({ keyBy: 'hits', holdMs: 50, releaseMs: 40 });
    const byLevel = on({ keyBy: 'level', thresholdDb: -20 });
    const process = (listens: boolean) => {
      const gate = createGate(RATE, byHits, hits);
      const [out, keyOut] = [new Float32Array(x.length), new Float32Array(x.length)];
      const part = (from: number, to: number) => gate.process(x.subarray(from, to), x.subarray(from, to), out.subarray(from, to), to - from, listens ? keyOut.subarray(from, to) : undefined, from);
      part(0, 40000);
      gate.set(byLevel);
      part(40000, x.length);
      return { out, keyOut };
    };
    const [alone, heard] = [process(false), process(true)];
    expect(alone.out.subarray(0, 40000).every((v, i) => v === heard.out[i])).toBe(true);
    expect(rms(alone.out, 6000 + LATENCY, 8000)).toBeGreaterThan(0.01);
    expect(rms(alone.out, 20000, 24000)).toBeLessThan(1e-4);
    expect(rms(heard.keyOut, 8000, 20000)).toBeGreaterThan(0.01);
    // a stroke after the change opens it alike
    expect(rms(alone.out, 48000 + LATENCY, 52000)).toBeGreaterThan(0.01);
    for (let i = 48000 + LATENCY; i < 52000; i++) expect(Math.abs(alone.out[i] - heard.out[i]), `sample ${i}`).toBeLessThan(1e-4);
  });

  it('gives the same samples for any block size, whatever its settings', () => {
    const x = drums(0.5);
    fc.assert(
      fc.property(settings, fc.array(fc.integer({ min: 1, max: 2000 }), { minLength: 1, maxLength: 6 }), (s, blocks) => {
        expect(run(s, x, x, blocks)).toEqual(run(s, x, x, [x.length]));
      }),
      { numRuns: 40 },
    );
  });

  it('off is bit-identical, after its latency', () => {
    const x = drums(0.4);
    fc.assert(
      fc.property(settings, (s) => {
        expect(run({ ...s, on: false }, x)).toEqual(x);
      }),
      { numRuns: 20 },
    );
  });

  it('fully open is bit-identical too', () => {
    const x = drums(0.4);
    const y = run(on({ thresholdDb: -80, lookaheadMs: 10, attackMs: 0.05 }), x);
    expect(y.subarray(100)).toEqual(x.subarray(100));
  });

  it('silence in, silence out, whatever its settings', () => {
    fc.assert(
      fc.property(settings, (s) => run(s, new Float32Array(8000)).every((v) => v === 0)),
      { numRuns: 30 },
    );
  });

  it('a deeper range is never louder', () => {
    const x = drums(0.5);
    fc.assert(
      fc.property(settings, fc.double({ min: 0, max: 80, noNaN: true }), fc.double({ min: 0, max: 80, noNaN: true }), (s, a, b) => {
        const [less, more] = [Math.min(a, b), Math.max(a, b)];
        const quiet = run({ ...s, rangeDb: more }, x);
        const loud = run({ ...s, rangeDb: less }, x);
        return rms(quiet) <= rms(loud) * (1 + 1e-6);
      }),
      { numRuns: 40 },
    );
  });

  it('never adds level: gain stays at or under the output level', () => {
    const x = drums(0.5);
    fc.assert(
      fc.property(settings, (s) => {
        const top = 10 ** (s.outputDb / 20) * (1 + 1e-6);
        return run(s, x).every((v, i) => Math.abs(v) <= Math.abs(x[i]) * top + 1e-12);
      }),
      { numRuns: 40 },
    );
  });

  it('closes to the range exactly, and to digital silence at the end of the range', () => {
    const x = constant(0.001, 1);
    expect(run(on({ rangeDb: 20 }), x)[40000] / 0.001).toBeCloseTo(0.1, 6);
    expect(run(on({ rangeDb: 80 }), x)[40000] / 0.001).toBeCloseTo(1e-4, 8);
    expect(run(on({ rangeDb: 90 }), x)[40000]).toBe(0);
  });

  it('opens at the threshold and closes at the lower one', () => {
    const s = on({ thresholdDb: -20, hysteresisDb: 10, holdMs: 0, releaseMs: 5, lookaheadMs: 0 });
    const level = (db: number) => 10 ** (db / 20);
    // up to just under -20: closed; to just over: open; down to -29: still open; under -30: closed
    const x = new Float32Array(RATE);
    const quarter = RATE / 4;
    [-20.2, -19.8, -29.5, -30.5].forEach((db, i) => {
      x.fill(level(db), i * quarter, (i + 1) * quarter);
    });
    const y = run(s, x);
    const gainAt = (i: number) => y[i] / x[i];
    expect(gainAt(quarter - 100)).toBe(0);
    expect(gainAt(2 * quarter - 100)).toBe(1);
    expect(gainAt(3 * quarter - 100)).toBe(1);
    expect(gainAt(4 * quarter - 100)).toBe(0);
  });

  it('does not chatter on a level that hovers at the threshold', () => {
    const g = createGaussian(createRng(9));
    const x = Float32Array.from({ length: 2 * RATE }, (_, i) => 0.1 * (1 + 0.08 * g()) * Math.sin((2 * Math.PI * 90 * i) / RATE));
    const y = run(on({ thresholdDb: -20 }), x);
    let openings = 0;
    for (let i = 1; i < x.length; i++) if (Math.abs(x[i]) > 0.01 && y[i] !== 0 && y[i - 1] === 0) openings++;
    expect(openings).toBeLessThanOrEqual(1);
  });

  it('holds for as long as it says, to the sample', () => {
    const x = new Float32Array(RATE);
    x[1000] = 0.5;
    x.fill(0.0001, 1001);
    const s = on({ thresholdDb: -20, hysteresisDb: 0, attackMs: 0.05, releaseMs: 5, lookaheadMs: 0 });
    const openFor = (holdMs: number) => run({ ...s, holdMs }, x).findIndex((v, i) => i > 1100 && v < x[i] * 0.9999);
    const base = openFor(0);
    expect(openFor(100) - base).toBe(4800);
    expect(openFor(500) - base).toBe(24000);
  });

  it('look-ahead opens early by exactly that much', () => {
    const x = new Float32Array(RATE).fill(0.0001);
    x[20000] = 0.9;
    const opens = (lookaheadMs: number) => run(on({ lookaheadMs, attackMs: 0.05 }), x).findIndex((v) => v !== 0);
    expect(opens(0)).toBe(20000);
    expect(opens(2)).toBe(20000 - 96);
    expect(opens(10)).toBe(20000 - 480);
  });

  it('keeps a stroke whole with enough look-ahead, from its first sample', () => {
    const x = new Float32Array(RATE);
    const g = createGaussian(createRng(4));
    for (let i = 20000; i < 30000; i++) x[i] = 0.5 * g() * Math.exp(-(i - 20000) / 2000);
    const y = run(on({ lookaheadMs: 5, attackMs: 2 }), x);
    expect(y.subarray(20000, 24000)).toEqual(x.subarray(20000, 24000));
  });

  it('is opened by another key, not by its own sound', () => {
    const own = drums(0.5, 2);
    expect(rms(run(on(), own, new Float32Array(own.length)))).toBe(0);
    const key = constant(0.5, 0.5);
    const y = run(on({ lookaheadMs: 10, attackMs: 0.05 }), own, key);
    expect(y.subarray(200)).toEqual(own.subarray(200));
  });

  it('hears only what the key filter lets through', () => {
    const tone = (hz: number) => Float32Array.from({ length: RATE }, (_, i) => 0.5 * Math.sin((2 * Math.PI * hz * i) / RATE));
    const s = on({ keyLpHz: 300, keyLpSlope: 24, thresholdDb: -30 });
    expect(rms(run(s, tone(100)), 4000)).toBeGreaterThan(0.3);
    expect(rms(run(s, tone(3000)), 4000)).toBe(0);
    const h = on({ keyHpHz: 1000, keyHpSlope: 24, thresholdDb: -30 });
    expect(rms(run(h, tone(100)), 4000)).toBe(0);
    expect(rms(run(h, tone(3000)), 4000)).toBeGreaterThan(0.3);
  });

  it('gives out the filtered key in time with the sound', () => {
    const gate = createGate(RATE, on());
    const x = drums(0.3);
    const [out, key] = [new Float32Array(x.length), new Float32Array(x.length)];
    gate.process(x, x, out, x.length, key);
    expect(key.subarray(LATENCY)).toEqual(x.subarray(0, x.length - LATENCY).map((v) => (Math.abs(v) < 1e-12 ? 0 : v)));
  });

  it('has no zipper noise: settings changed while it runs never step the gain', () => {
    const gate = createGate(RATE, on({ thresholdDb: -60, rangeDb: 20 }));
    const x = constant(0.25, 1);
    const y = new Float32Array(x.length);
    const changes: Partial<GateSettings>[] = [{ thresholdDb: 0 }, { thresholdDb: -60 }, { outputDb: 6 }, { on: false }, { outputDb: -12, on: true }, { rangeDb: 60, thresholdDb: 0 }];
    let s = on({ thresholdDb: -60, rangeDb: 20, attackMs: 5, releaseMs: 50 });
    gate.set(s);
    for (let at = 0, c = 0; at < x.length; at += 1000, c++) {
      if (c % 7 === 6) {
        s = { ...s, ...changes[Math.floor(c / 7) % changes.length] };
        gate.set(s);
      }
      const n = Math.min(1000, x.length - at);
      gate.process(x.subarray(at, at + n), x.subarray(at, at + n), y.subarray(at, at + n), n);
    }
    let step = 0;
    for (let i = LATENCY + 1; i < y.length; i++) step = Math.max(step, Math.abs(y[i] - y[i - 1]));
    expect(step).toBeLessThan(0.25 * 0.02);
  });

  it('works at every sample rate', () => {
    for (const rate of [44100, 48000, 88200, 96000]) {
      const gate = createGate(rate, on());
      expect(gate.latency).toBe(Math.ceil(rate / 100));
      const x = new Float32Array(rate).fill(0.5);
      const y = new Float32Array(rate);
      gate.process(x, x, y, rate);
      expect(y[rate - 1]).toBe(0.5);
    }
  });
});
