import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { createHitKernels } from '../kernels/hitKernels';
import { createEar } from './ears';
import { COARSE, FINE, readSpectra } from './eventSpectra';
import { type Known, type Moments, fineEvidence, resemblance, unlikeKnown, usualRises } from './fineLook';
import type { Place } from './farPlaces';
import { isNear, loneStrokes } from './loneLook';
import { fewFeatures, judgeFar } from './thirdPass';
import { rhythmOf } from './passes';

const RATE = 48000;
const CELLS = 40;
const g = createGaussian(createRng(7));

/** Spectra of two drums, and moments that hold one, the other, both or none over a quiet rest. */
function moments(kinds: readonly ('ride' | 'snare' | 'both' | 'none')[]): Moments {
  const lines = Float64Array.from({ length: CELLS }, (_, f) => (f % 5 === 2 ? 1 : 0.02));
  const noise = Float64Array.from({ length: CELLS }, (_, f) => 0.3 + 0.7 * (f / CELLS));
  const shaky = () => Math.exp(0.25 * g());
  const before = Float32Array.from({ length: kinds.length * CELLS }, () => 1e-3 * shaky());
  const after = before.map((v, i) => {
    const kind = kinds[Math.floor(i / CELLS)];
    const f = i % CELLS;
    return v * shaky() + (kind === 'ride' || kind === 'both' ? 0.05 * lines[f] * shaky() : 0) + (kind === 'snare' || kind === 'both' ? 0.05 * noise[f] * shaky() : 0);
  });
  return { cells: CELLS, bands: CELLS, after, before };
}

const KINDS = [...Array(6).fill('ride'), ...Array(6).fill('snare'), ...Array(8).fill('both'), ...Array(8).fill('snare'), 'none', 'none'] as ('ride' | 'snare' | 'both' | 'none')[];
const KNOWN: Known[] = [{ drum: 'ride', at: [0, 1, 2, 3, 4, 5] }, { drum: 'snare', at: [6, 7, 8, 9, 10, 11] }];

describe('evidence in fine bands', () => {
  const m = moments(KINDS);
  const [ride, crash] = fineEvidence(createHitKernels(), m, [...KNOWN, { drum: 'crash', at: [] }], ['ride', 'crash']);
  if (!ride) throw new Error('the ride is known');

  it('is larger for every ride under a snare than for any snare alone', () => {
    const [under, alone] = [ride.gain.slice(12, 20), ride.gain.slice(20, 28)];
    expect(Math.min(...under)).toBeGreaterThan(2 * Math.max(...alone));
    expect(Math.min(...ride.levelDb.slice(12, 20))).toBeGreaterThan(Math.max(...ride.levelDb.slice(20, 30)));
  });

  it('measures by what known strokes are like, whatever the gain', () => {
    expect(Array.from(ride.gainShare.slice(0, 6)).sort((a, b) => a - b)[3]).toBeCloseTo(1, 1);
    const [louder] = fineEvidence(createHitKernels(), { ...m, after: m.after.map((v) => 100 * v), before: m.before.map((v) => 100 * v) }, KNOWN, ['ride']);
    for (const i of [0, 8, 15, 25]) expect(louder?.levelDb[i]).toBeCloseTo(ride.levelDb[i], 1);
  });

  it('is none of a drum without a known stroke', () => expect(crash).toBeNull());

  it('tells a ride under a snare from snares by one known stroke of it', () => {
    const [one] = fineEvidence(createHitKernels(), m, [{ drum: 'ride', at: [2] }, KNOWN[1]], ['ride']);
    expect(Math.min(...(one?.gain.slice(12, 20) ?? []))).toBeGreaterThan(2 * Math.max(...(one?.gain.slice(20, 28) ?? [1])));
  });

  it('leaves most unexplained where a drum is heard that nobody knows, and tells its lines from noise', () => {
    const rows = unlikeKnown(createHitKernels(), m, [KNOWN[1]]);
    expect(rows).toHaveLength(10 * KINDS.length);
    const column = (c: number, ...kinds: string[]) => KINDS.flatMap((k, i) => (kinds.includes(k) ? [rows[10 * i + c]] : []));
    for (const third of [0, 1, 2]) {
      expect(Math.min(...column(third, 'ride'))).toBeGreaterThan(2 * Math.max(...column(third, 'snare', 'none')));
    }
    // what everything rises by does not ask what is known
    expect(Math.min(...column(3, 'snare'))).toBeGreaterThan(Math.max(...column(3, 'none')));
    expect(Math.min(...column(9, 'ride'))).toBeGreaterThan(2 * Math.max(...column(9, 'snare', 'none')));
    // whatever is known leaves less
    const all = unlikeKnown(createHitKernels(), m, KNOWN);
    for (const i of [0, 3, 14, 19]) {
      expect(all[10 * i]).toBeLessThan(0.5 * rows[10 * i]);
      // what is explained lies around what is heard: within 2 dB
      for (const third of [0, 1, 2]) expect(Math.abs(all[10 * i + 6 + third])).toBeLessThan(0.2);
    }
  });

  it('comes with how much a moment resembles known ones', () => {
    const usual = usualRises(m, [0, 1, 2, 3, 4, 5]);
    expect(resemblance(m, 14, usual)).toBeGreaterThan(resemblance(m, 28, usual) * 3);
  });
});

describe('fine spectra', () => {
  it('part two tones that coarse ones hold in one band', () => {
    const x = new Float32Array(RATE);
    for (let i = RATE / 2; i < RATE; i++) x[i] = 0.1 * Math.sin((2 * Math.PI * 5000 * i) / RATE);
    const k = createHitKernels();
    k.load(x);
    const bandOf = (edges: readonly number[], hz: number) => edges.findIndex((e) => e > hz) - 1;
    const fine = readSpectra(k, RATE, [0.5], FINE);
    expect(fine).toHaveLength(2 * (FINE.edges.length - 1));
    const [at, beside] = [fine[bandOf(FINE.edges, 5000)], fine[bandOf(FINE.edges, 6000)]];
    expect(10 * Math.log10(at / beside)).toBeGreaterThan(20);
    const coarse = readSpectra(k, RATE, [0.5]);
    expect(coarse).toHaveLength(2 * (COARSE.edges.length - 1));
    expect(bandOf(COARSE.edges, 5000)).toBe(bandOf(COARSE.edges, 6000));
  });
});

describe('the rhythm of strokes', () => {
  it('is the commonest distances between them', () => {
    const known = Array.from({ length: 20 }, (_, i) => 0.25 * i).filter((_, i) => i % 7 !== 3);
    const { lags, common } = rhythmOf(known);
    // to the width of a bin
    expect(Math.abs(lags[0] - 0.25)).toBeLessThan(0.0101);
    expect(common).toBeGreaterThan(0.6);
    expect(rhythmOf([1]).lags).toEqual([]);
  });
});

describe('judging cymbals', () => {
  const track = { drum: 'ride', network: 'ride' as const, time: Float64Array.of(1), heard: Float64Array.of(1), levelDb: Float64Array.of(0), certainty: Float64Array.of(0.3), features: Float32Array.of(1, 2), count: 2, says: null, dies: Uint8Array.of(0) };

  it('keeps what the second pass thought where too little is known, and refuses a network of other features', async () => {
    expect((await judgeFar([{ ...track, features: null, count: 0 }], { third: {}, few: {} }, [createEar()]))[0][0]).toBe(0.3);
    const net = { inputs: 3, hidden: 1, mean: [0, 0, 0], scale: [1, 1, 1], w1: [0, 0, 0], b1: [0], w2: [0], b2: 2 };
    await expect((async () => judgeFar([track], { third: { ride: net }, few: {} }, [createEar()]))()).rejects.toThrow('train it anew');
    const fits = { ...net, inputs: 2, mean: [0, 0], scale: [1, 1], w1: [0, 0] };
    expect((await judgeFar([track], { third: { ride: fits }, few: {} }, [createEar()]))[0][0]).toBeCloseTo(1 / (1 + Math.exp(-2)), 6);
  });

  /** Places as the third pass tells them: two numbers ahead of the seven of the first look, one after, then the eight of the balance. */
  const told = (n: number) => Float32Array.from({ length: 18 * n }, (_, i) => i);

  it('leaves the last word on few strokes to the look at lone ones, or to a network that hears both', async () => {
    const says = Float64Array.of(0.9);
    const fits = { inputs: 18, hidden: 1, mean: new Array(18).fill(0), scale: new Array(18).fill(1), w1: new Array(18).fill(0), b1: [0], w2: [0], b2: 2 };
    const both = { inputs: 20, hidden: 1, mean: new Array(20).fill(0), scale: new Array(20).fill(1), w1: Array.from({ length: 20 }, (_, i) => (i === 15 ? 1 : 0)), b1: [0], w2: [1], b2: 0 };
    const of = async (features: Float32Array | null, few: object) => (await judgeFar([{ ...track, features, count: 18, says }], { third: { ride: fits }, few }, [createEar()]))[0][0];
    expect(await of(told(1), {})).toBe(0.9);
    expect(await of(null, { ride: both })).toBe(0.9);
    expect((await judgeFar([{ ...track, features: null, says, dies: Uint8Array.of(1) }], { third: {}, few: {} }, [createEar()]))[0][0]).toBeCloseTo(0.09, 6);
    // by hand: tanh of what the look says, ln 9
    expect(await of(told(1), { ride: both })).toBeCloseTo(1 / (1 + Math.exp(-Math.tanh(Math.log(9)))), 4);
    await expect(of(told(1), { ride: { ...both, inputs: 5 } })).rejects.toThrow('train it anew');
  });

  it('hardly believes of few strokes one that rings as the other cymbal or a struck drum does, nearer than as its own', async () => {
    const says = Float64Array.of(0.9);
    const of = async (own: number, other: number, drum: number, tells: number, few = true) => {
      const features = Float32Array.of(...new Array(14).fill(0), own, other, drum, tells);
      const net = { inputs: 18, hidden: 1, mean: new Array(18).fill(0), scale: new Array(18).fill(1), w1: new Array(18).fill(0), b1: [0], w2: [0], b2: Math.log(9) };
      return (await judgeFar([{ ...track, features, count: 18, says: few ? says : null }], { third: { ride: net }, few: {} }, [createEar()]))[0][0];
    };
    expect(await of(1, 3, 3, 1)).toBeCloseTo(0.9, 6);
    expect(await of(1, 0.5, 3, 1)).toBeCloseTo(0.09, 6);
    expect(await of(1, 3, 0.5, 1)).toBeCloseTo(0.09, 6);
    // nearer to its own; too few bands; not quite near; a cymbal that is known well
    expect(await of(0.4, 0.5, 0.5, 1)).toBeCloseTo(0.9, 6);
    expect(await of(1, 0.5, 0.5, 0.3)).toBeCloseTo(0.9, 6);
    expect(await of(2, 1, 0.7, 1)).toBeCloseTo(0.9, 6);
    expect(await of(1, 0.5, 0.5, 1, false)).toBeCloseTo(0.9, 6);
  });

  it('hears of few strokes how each resembles the sure ones, what was said of it, how many there may be and how clear they are', () => {
    const three = { ...track, time: Float64Array.of(1, 2, 3), certainty: Float64Array.of(0.5, 0.5, 0.5), dies: new Uint8Array(3), features: told(3), count: 18 };
    const rows = fewFeatures(three, Float64Array.of(0.8, 0.1, 0.6), Float64Array.of(0.5, 0.5, 0.9));
    expect(rows).toHaveLength(60);
    for (const i of [0, 1, 2]) {
      expect(Array.from(rows.subarray(20 * i, 20 * i + 15))).toEqual([2, 3, 4, 5, 6, 7, 8, 10, 11, 12, 13, 14, 15, 16, 17].map((v) => v + 18 * i));
      expect(rows[20 * i + 18]).toBeCloseTo(Math.log1p(1.4), 4);
      expect(rows[20 * i + 19]).toBeCloseTo(0.5, 4);
    }
    expect(rows[15]).toBeCloseTo(Math.log(4), 4);
    expect(rows[40 + 16]).toBeCloseTo(Math.log(9), 4);
  });
});

describe('lone strokes of a cymbal', () => {
  const place = (time: number, other = 0): Place => ({ time, heard: time, novelty: 10, fallDb: 5, certainty: [0.2, other], first: [0, 0], levelDb: [0, 0] });

  it('are the likely ones, one a moment, and none that is likelier the other cymbal\'s', () => {
    const places = [place(1), place(1.005), place(2), place(3, 0.95), place(4)];
    expect(loneStrokes(places, 0, Float64Array.of(0.8, 0.9, 0.75, 0.9, 0.65))).toEqual([1.005, 2]);
  });

  it('are none that die away at once, as sticks do', () => {
    const sticks = [place(1), { ...place(2), fallDb: 24 }];
    expect(loneStrokes(sticks, 0, Float64Array.of(0.8, 0.95))).toEqual([1]);
    expect(loneStrokes(sticks, 0, Float64Array.of(0.3, 0.95))).toEqual([]);
  });

  it('are the likeliest alone where none is likely, and none where that is too unlikely', () => {
    expect(loneStrokes([place(1), place(2)], 0, Float64Array.of(0.55, 0.6))).toEqual([2]);
    expect(loneStrokes([place(1), place(2)], 0, Float64Array.of(0.4, 0.45))).toEqual([]);
    expect(loneStrokes([], 0, new Float64Array(0))).toEqual([]);
  });

  it('stand alone where no other stroke is near', () => {
    expect([0.99, 1.015, 1.03, 2.5].map((t) => isNear([1, 2], t, 0.02))).toEqual([true, true, false, false]);
  });
});
