import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { SLICE_DEFAULTS, SLICE_PARAMS, type SliceSettings } from '../params/sliceParams';
import { fadeGain } from './fades';
import { learnRing, ringMs } from './ring';
import { createSliceStage, nearestZero } from './sliceStage';
import { flagSlices } from './sliceFlags';
import { type SliceEdit, type SliceHit, deriveSlices, gapsBetween, tailMs } from './slices';

const RATE = 48000;
const SECOND = RATE;
const hit = (id: string, seconds: number, strength = 1): SliceHit => ({ id, frame: Math.round(seconds * RATE), strength });
const input = (settings: Partial<SliceSettings>, own: readonly SliceHit[], more: { foreign?: number[]; strong?: number[]; edits?: Record<string, SliceEdit>; ring?: { decayDb: number[]; spillDb: number; topDb: number; rawSpillDb?: number } } = {}) => ({
  rate: RATE, frames: 10 * SECOND, settings: { ...SLICE_DEFAULTS, on: true, ...settings }, ring: more.ring ?? null, own, foreign: more.foreign ?? [], strong: more.strong ?? [], edits: more.edits ?? {},
});
const ms = (v: number) => Math.round((v / 1000) * RATE);

/** A ring that falls 60 dB a second. */
const RING = { decayDb: Array.from({ length: 150 }, (_, i) => (i < 2 ? 0 : -0.6 * i)), spillDb: -70, topDb: -10 };

describe('fades', () => {
  it('run from silence to full, never falling', () => {
    for (const { value } of SLICE_PARAMS.fadeInCurve.options) {
      expect(fadeGain(value, 0)).toBeCloseTo(0, 9);
      expect(fadeGain(value, 1)).toBeCloseTo(1, 9);
      for (let u = 0; u < 1; u += 0.01) expect(fadeGain(value, u + 0.01)).toBeGreaterThanOrEqual(fadeGain(value, u) - 1e-12);
    }
  });

  // derived: cos^2 + sin^2 = 1
  it('that cross sum to one: straight and S in level, equal power in power', () => {
    for (let u = 0; u <= 1; u += 0.05) {
      expect(fadeGain('linear', u) + fadeGain('linear', 1 - u)).toBeCloseTo(1, 9);
      expect(fadeGain('s', u) + fadeGain('s', 1 - u)).toBeCloseTo(1, 9);
      expect(fadeGain('power', u) ** 2 + fadeGain('power', 1 - u) ** 2).toBeCloseTo(1, 9);
    }
  });

  it('can stay full until late, or fall in two steps', () => {
    expect(fadeGain('late', 0.5)).toBeGreaterThan(0.9);
    expect(fadeGain('step', 0.75)).toBeCloseTo(0.3, 6);
    expect(fadeGain('step', 0.2)).toBeCloseTo(0.2, 6);
  });
});

describe('slices from hits', () => {
  it('keep lead and tail, and join what a bridge spans', () => {
    const s = { leadMs: 10, tailBy: 'fixed' as const, tailMs: 300, bridgeMs: 100 };
    const list = deriveSlices(input(s, [hit('a', 1), hit('b', 1.35), hit('c', 3)]));
    expect(list.map((x) => [x.from, x.to, x.hits.map((h) => h.id)])).toEqual([
      [RATE - ms(10), ms(1650), ['a', 'b']],
      [3 * RATE - ms(10), ms(3300), ['c']],
    ]);
    expect(deriveSlices(input({ ...s, bridgeMs: 0 }, [hit('a', 1), hit('b', 1.35)]))).toHaveLength(2);
    expect(gapsBetween(list, 10 * SECOND)).toHaveLength(3);
  });

  it('ring as long as the drum does: louder strokes longer, and not into the spill', () => {
    expect(ringMs(RING, 1, -48)).toBe(800);
    expect(tailMs({ ...SLICE_DEFAULTS, ringDb: 48 }, RING, 0.1)).toBeLessThan(tailMs({ ...SLICE_DEFAULTS, ringDb: 48 }, RING, 1));
    // a stroke of -20 dB under a spill of -25 dB keeps 34 dB of its own decay, unless another share is set
    expect(tailMs({ ...SLICE_DEFAULTS, ringDb: 48 }, { ...RING, spillDb: -25 }, 0.1)).toBe(570);
    // loud stroke over much spill ends sooner
    expect(tailMs({ ...SLICE_DEFAULTS, ringDb: 70 }, { ...RING, spillDb: -40 }, 1)).toBe(670);
  });

  it('keep their deep end, 44 dB under the loudest and .4 s after the stroke, until another drum is struck strongly', () => {
    // RING falls by 60 dB a second: a stroke of -20 dB is 44 dB under the loudest after 400 ms, and keeps 34 dB of its own until 570
    const s = { tailBy: 'natural' as const, ringDb: 40, ownDb: 34 };
    const end = (strong: number[], strength = 0.1) => deriveSlices(input(s, [hit('a', 1, strength)], { ring: RING, strong, foreign: strong }))[0].to;
    expect(end([])).toBe(ms(1570));
    expect(end([ms(1450)])).toBe(ms(1448));
    // what sounds clearly yet, or is over, is not cut
    expect(end([ms(1350)])).toBe(ms(1570));
    expect(end([ms(1350), ms(1500)])).toBe(ms(1498));
    expect(end([ms(1600)])).toBe(ms(1570));
    expect(end([ms(1450)], 1)).toBe(ms(1670));
    const fixed = deriveSlices(input({ tailBy: 'fixed', tailMs: 570 }, [hit('a', 1, 0.1)], { ring: RING, strong: [ms(1450)] }));
    expect(fixed[0].to).toBe(ms(1570));
    // nor is it where the raw mic hardly heard others
    const heard = (rawSpillDb: number) => deriveSlices(input(s, [hit('a', 1, 0.1)], { ring: { ...RING, rawSpillDb }, strong: [ms(1450)] }))[0].to;
    expect([heard(-30), heard(-50)]).toEqual([ms(1448), ms(1570)]);
    // and such an end is no fault
    const cut = input(s, [hit('a', 1, 0.1)], { ring: RING, strong: [ms(1410)] });
    expect(flagSlices(cut, deriveSlices(cut), []).get('a')).toBeUndefined();
    expect(flagSlices({ ...cut, strong: [] }, deriveSlices(cut), []).get('a')).toEqual(['short']);
  });

  it("shorten a lead that another drum's stroke falls into, and a tail when asked", () => {
    const foreign = [RATE - ms(20), ms(1400)];
    const s = { leadMs: 50, tailBy: 'fixed' as const, tailMs: 800 };
    const [a] = deriveSlices(input(s, [hit('a', 1)], { foreign }));
    expect(a.from).toBe(RATE - ms(16));
    const [b] = deriveSlices(input({ ...s, clearLead: false, endBefore: true }, [hit('a', 1)], { foreign }));
    expect(b.from).toBe(RATE - ms(50));
    expect(b.to).toBe(ms(1398));
  });

  it('keep what a person changed, whatever is set afterwards', () => {
    const edits: Record<string, SliceEdit> = { a: { to: ms(500), fadeOut: ms(100) }, c: { dropped: true }, 'kept-1': { at: 6 * RATE, lasts: RATE } };
    for (const tail of [100, 300, 2000]) {
      const list = deriveSlices(input({ tailBy: 'fixed', tailMs: tail }, [hit('a', 1), hit('b', 2), hit('c', 4)], { edits }));
      const a = list.find((x) => x.id === 'a');
      expect([a?.to, a?.fadeOut, a?.edited]).toEqual([ms(1500), ms(100), true]);
      expect(list.some((x) => x.hits.some((h) => h.id === 'c'))).toBe(false);
      expect(list.find((x) => x.id === 'kept-1')?.to).toBeGreaterThanOrEqual(7 * RATE);
    }
  });

  it('are cut apart and joined by hand', () => {
    const s = { tailBy: 'fixed' as const, tailMs: 900, bridgeMs: 0 };
    const two = deriveSlices(input(s, [hit('a', 1), hit('b', 1.5)], { edits: { b: { split: true } } }));
    expect(two.map((x) => x.id)).toEqual(['a', 'b']);
    expect(two[0].to).toBe(two[1].from);
    expect(deriveSlices(input({ ...s, tailMs: 100 }, [hit('a', 1), hit('b', 1.5)], { edits: { b: { join: true } } }))).toHaveLength(1);
  });

  it('leave out soft hits and scraps when asked', () => {
    expect(deriveSlices(input({ hitMin: 50 }, [hit('a', 1, 0.4), hit('b', 2, 0.9)])).map((x) => x.id)).toEqual(['b']);
    expect(deriveSlices(input({ tailBy: 'fixed', tailMs: 40, shortestMs: 60, leadMs: 2 }, [hit('a', 1)]))).toHaveLength(0);
  });
});

/** Random settings and hits as a person could make them. */
const settingsOf = fc.record({
  leadMs: fc.double({ min: 2, max: 200, noNaN: true }), tailMs: fc.double({ min: 10, max: 3000, noNaN: true }), tailBy: fc.constantFrom('fixed' as const, 'natural' as const), bridgeMs: fc.integer({ min: 0, max: 500 }),
  zeroMs: fc.double({ min: 0, max: 4, noNaN: true }), fadeInMs: fc.double({ min: 0, max: 100, noNaN: true }), fadeOutMs: fc.integer({ min: 0, max: 4000 }), gapDb: fc.integer({ min: 0, max: 90 }), endBefore: fc.boolean(), clearLead: fc.boolean(),
  fadeInCurve: fc.constantFrom(...SLICE_PARAMS.fadeInCurve.options.map((o) => o.value)), fadeOutCurve: fc.constantFrom(...SLICE_PARAMS.fadeOutCurve.options.map((o) => o.value)), shortestMs: fc.constant(0),
});
const hitsOf = fc.array(fc.record({ frame: fc.integer({ min: 300, max: 2 * RATE }), strength: fc.double({ min: 0.05, max: 1, noNaN: true }) }), { minLength: 1, maxLength: 12 }).map((l) => l.sort((a, b) => a.frame - b.frame).map((h, i) => ({ ...h, id: `h${i}` })));
const editsOf = fc.dictionary(
  fc.constantFrom('h0', 'h1', 'h2', 'h3', 'h5'),
  fc.record({ from: fc.integer({ min: -9000, max: 4000 }), to: fc.integer({ min: -4000, max: 40000 }), fadeIn: fc.integer({ min: 0, max: 20000 }), fadeOut: fc.integer({ min: 0, max: 90000 }), split: fc.boolean(), join: fc.boolean() }, { requiredKeys: [] }),
);
const x = (() => {
  const g = createGaussian(createRng(3));
  return Float32Array.from({ length: 2.4 * RATE }, (_, i) => 0.2 * g() + 0.1 * Math.sin(i / 40));
})();

/** The stage over the whole mic in blocks; `latency` frames between what it hears and what it turns down. */
function run(slices: ReturnType<typeof deriveSlices>, gapGain: number, block: number): Float32Array {
  const stage = createSliceStage(RATE);
  stage.set({ list: slices, gapGain });
  const latency = 480;
  const gains = new Float32Array(x.length + latency + block).fill(1);
  const raw = new Float32Array(gains.length);
  raw.set(x);
  for (let at = 0; at < x.length + latency; at += block) {
    stage.hear(raw, at, block, at);
    const part = gains.subarray(at, at + block).fill(1);
    stage.apply(part, 0, block, at - latency);
  }
  return gains.subarray(latency, latency + x.length);
}

describe('the slice stage', () => {
  it('never turns down 2 ms before to 5 ms after an own attack, for 1,000 random settings, hits and edits', () => {
    fc.assert(
      fc.property(settingsOf, hitsOf, editsOf, fc.array(fc.integer({ min: 0, max: 2 * RATE }), { maxLength: 6 }), (s, own, edits, foreign) => {
        const list = deriveSlices({ ...input(s, own, { edits, foreign: foreign.sort((a, b) => a - b), strong: foreign.filter((_, k) => k % 2 === 0), ring: RING }), frames: x.length });
        for (let i = 1; i < list.length; i++) expect(list[i].from).toBeGreaterThanOrEqual(list[i - 1].to);
        const gains = run(list, s.gapDb > 80 ? 0 : 10 ** (-s.gapDb / 20), 4096);
        for (const h of own) {
          for (let k = Math.max(0, h.frame - ms(2)); k < Math.min(x.length, h.frame + ms(5)); k++) if (gains[k] !== 1) throw new Error(`gain ${gains[k]} at ${k - h.frame} from the attack of ${h.id}`);
        }
      }),
      { numRuns: 1000, seed: 5 },
    );
  }, 120_000);

  it('gives the same gain for any block size', () => {
    const list = deriveSlices({ ...input({ leadMs: 30, fadeInMs: 10, bridgeMs: 0, zeroMs: 3, tailBy: 'fixed', tailMs: 200 }, [hit('a', 0.3), hit('b', 0.9), hit('c', 1.4)]), frames: x.length });
    const whole = run(list, 0.1, 4096);
    for (const block of [128, 777, 1500]) expect(run(list, 0.1, block)).toEqual(whole);
  });

  it('cuts where the wave crosses zero, within its reach', () => {
    const list = deriveSlices({ ...input({ leadMs: 30, fadeInMs: 0, fadeOutMs: 0, zeroMs: 2, tailBy: 'fixed', tailMs: 200 }, [hit('a', 0.5)]), frames: x.length });
    const gains = run(list, 0, 512);
    const first = gains.indexOf(1);
    const last = gains.lastIndexOf(1);
    for (const cut of [first, last + 1]) expect(x[cut - 1] * x[cut]).toBeLessThanOrEqual(0);
    expect(Math.abs(first - list[0].from)).toBeLessThanOrEqual(ms(2));
    expect(Math.abs(last + 1 - list[0].to)).toBeLessThanOrEqual(ms(2));
    expect(nearestZero((k) => [1, 1, 1, -1, -1][k], 1, 0, 4)).toBe(3);
    expect(nearestZero(() => 1, 7, 0, 20)).toBe(7);
  });

  it('leaves gaps at the depth asked for', () => {
    const list = deriveSlices({ ...input({}, [hit('a', 1)]), frames: x.length });
    expect(run(list, 0.1, 1000)[100]).toBeCloseTo(0.1, 6);
    expect(run(list, 0, 1000)[100]).toBe(0);
  });

  it('derives 2,000 slices of ten minutes at once', () => {
    const own = Array.from({ length: 2000 }, (_, i) => hit(`h${i}`, 0.3 * i + 0.1, 0.5));
    const list = deriveSlices({ ...input({ tailBy: 'fixed', tailMs: 80, bridgeMs: 0 }, own, { foreign: own.map((h) => h.frame + 5000) }), frames: 600 * RATE });
    expect(list).toHaveLength(2000);
  });
});

describe('the ring of a drum', () => {
  const strokes = (t60: number, spill: number) => {
    const g = createGaussian(createRng(8));
    const at = Array.from({ length: 12 }, (_, i) => Math.round((0.5 + 1.6 * i) * RATE));
    const y = Float32Array.from({ length: 20 * RATE }, () => spill * g());
    for (const f of at) for (let i = 0; i < 1.5 * RATE; i++) y[f + i] += 0.8 * Math.exp((-6.908 * i) / (t60 * RATE)) * Math.sin((2 * Math.PI * 110 * i) / RATE);
    return { y, at };
  };

  // M. Schroeder, JASA 37(3), 1965: the decay of exp(-6.908 t / T60) is 60 dB in T60 (derived)
  it('is learnt from its strokes: 60 dB a second come out as such', () => {
    const { y, at } = strokes(1, 1e-5);
    const ring = learnRing(y, RATE, 'tom-1', at);
    expect(ring).not.toBeNull();
    const d = ring?.decayDb ?? [];
    for (const s of [20, 30, 40]) expect(Math.abs(d[s] + 0.6 * s)).toBeLessThan(2.5);
    expect(d.every((v, i) => i === 0 || v <= d[i - 1])).toBe(true);
  });

  it('goes on under spill at the slope it had, and says how loud the spill is', () => {
    const { y, at } = strokes(1, 0.8 * 10 ** (-34 / 20));
    const ring = learnRing(y, RATE, 'tom-1', at);
    const d = ring?.decayDb ?? [];
    expect(d[d.length - 1]).toBeLessThan(-80);
    // noise of -34 dB under a peak of 0.8; the stroke's own level is 3 dB under its peak
    expect(Math.abs((ring?.spillDb ?? 0) + 31)).toBeLessThan(3);
  });

  it('of a de-bled tom is that of all its partials, not of its note alone', () => {
    const { y, at } = strokes(0.5, 1e-5);
    // a partial 12 dB softer that rings twice as long, well away from the note
    for (const f of at) for (let i = 0; i < 1.5 * RATE; i++) y[f + i] += 0.2 * Math.exp((-6.908 * i) / RATE) * Math.sin((2 * Math.PI * 300 * i) / RATE);
    const d = (debled: boolean) => learnRing(y, RATE, 'tom-1', at, debled)?.decayDb ?? [];
    // after 0.5 s the note is 60 dB down, the partial 30 dB under its own level: 42 under the whole
    expect(Math.abs(d(true)[50] + 42)).toBeLessThan(3);
    expect(d(false)[50]).toBeLessThan(-48);
  });

  it('of a de-bled tom goes on no quicker than toms do where its end cannot be heard', () => {
    const { y, at } = strokes(0.3, 0.8 * 10 ** (-30 / 20));
    const d = learnRing(y, RATE, 'tom-1', at, true)?.decayDb ?? [];
    // 70 dB a second: 10 steps are 7 dB
    const end = d.length - 1;
    expect(d[end - 10] - d[end]).toBeLessThan(7.1);
  });

  it('of a de-bled snare passes over dips that it comes back from, but not in a raw mic', () => {
    const { y, at } = strokes(1, 1e-5);
    for (const f of at) for (let i = Math.round(0.1 * RATE); i < 0.14 * RATE; i++) y[f + i] *= 0.05;
    const d = (debled: boolean) => learnRing(y, RATE, 'snare', at, debled)?.decayDb ?? [];
    // 60 dB a second: 12 steps are 7 dB, 17 are 10
    expect(d(true)[12]).toBeGreaterThan(-12);
    expect(d(false)[12]).toBeLessThan(-20);
    expect(d(false)[17]).toBeLessThan(-20);
    expect(Math.abs(d(true)[30] + 18)).toBeLessThan(3);
  });

  it('of a de-bled tom takes a low note for even, not for falling where its power dips', () => {
    const at = Array.from({ length: 10 }, (_, i) => Math.round((0.5 + 2 * i) * RATE));
    const y = new Float32Array(21 * RATE);
    // a floor tom of 62 Hz: its power has a period of 8 ms
    for (const f of at) for (let i = 0; i < 1.5 * RATE; i++) y[f + i] += 0.8 * 10 ** ((-40 * i) / RATE / 20) * Math.sin((2 * Math.PI * 62 * i) / RATE);
    const d = learnRing(y, RATE, 'tom-3', at, true)?.decayDb ?? [];
    // 40 dB a second, the peak itself 3 dB over the note's mean level
    for (const s of [10, 20, 40, 60]) expect(Math.abs(d[s] + 0.4 * s + 3), `${s}`).toBeLessThan(1.5);
  });

  it('of a de-bled tom goes on for longer, against their own peaks, after soft strokes that have less of the stick', () => {
    const random = createRng(7);
    const softly = (stick: (level: number) => number) => {
      const at = Array.from({ length: 16 }, (_, i) => Math.round((0.5 + 2 * i) * RATE));
      const y = new Float32Array(33 * RATE);
      at.forEach((f, k) => {
        const level = 10 ** (-(k % 8) * 3 / 20);
        for (let i = 0; i < 1.5 * RATE; i++) y[f + i] += 0.2 * level * 10 ** ((-60 * i) / RATE / 20) * Math.sin((2 * Math.PI * 110 * i) / RATE);
        for (let i = 0; i < 0.02 * RATE; i++) y[f + i] += 0.8 * stick(level) * (2 * random() - 1) * Math.exp(-i / (0.004 * RATE));
      });
      return learnRing(y, RATE, 'tom-1', at, true);
    };
    // half as loud a stroke, a third of the stick
    const real = softly((level) => level ** 1.6);
    expect(real?.soft?.slope).toBeGreaterThan(0.2);
    expect(softly((level) => level)?.soft).toBeUndefined();
    if (!real) throw new Error('no ring');
    const plain = { ...real, soft: undefined };
    expect(ringMs(real, 0.1, -50)).toBeGreaterThan(ringMs(plain, 0.1, -50) + 30);
    expect(ringMs(real, 1, -50)).toBe(ringMs(plain, 1, -50));
  });

  it('needs three strokes', () => expect(learnRing(new Float32Array(RATE), RATE, 'tom-1', [100, 5000])).toBeNull());
});
