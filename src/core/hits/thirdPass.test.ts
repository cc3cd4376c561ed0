import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { createHitKernels } from '../kernels/hitKernels';
import { createEar } from './ears';
import { COARSE, FINE, readSpectra } from './eventSpectra';
import { type Known, type Moments, fineEvidence, resemblance, unexplained, usualRises } from './fineLook';
import { judgeFar } from './thirdPass';
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
  return { cells: CELLS, after, before };
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

  it('leaves most unexplained where a drum is heard that nobody knows', () => {
    const left = unexplained(createHitKernels(), m, [KNOWN[1]]);
    expect(left).toHaveLength(KINDS.length);
    const of = (...kinds: string[]) => Array.from(left).filter((_, i) => kinds.includes(KINDS[i]));
    expect(Math.min(...of('ride', 'both'))).toBeGreaterThan(2 * Math.max(...of('snare', 'none')));
    // whatever is known leaves less
    const all = unexplained(createHitKernels(), m, KNOWN);
    expect(Math.max(...all)).toBeLessThan(Math.min(...of('ride', 'both')));
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
  const track = { drum: 'ride', network: 'ride' as const, time: Float64Array.of(1), heard: Float64Array.of(1), levelDb: Float64Array.of(0), certainty: Float64Array.of(0.3), features: Float32Array.of(1, 2), count: 2, lone: [], known: true };

  it('keeps what the second pass thought where too little is known, and refuses a network of other features', async () => {
    expect((await judgeFar([{ ...track, features: null, count: 0 }], {}, [createEar()]))[0][0]).toBe(0.3);
    const net = { inputs: 3, hidden: 1, mean: [0, 0, 0], scale: [1, 1, 1], w1: [0, 0, 0], b1: [0], w2: [0], b2: 2 };
    await expect((async () => judgeFar([track], { ride: net }, [createEar()]))()).rejects.toThrow('train it anew');
    const fits = { ...net, inputs: 2, mean: [0, 0], scale: [1, 1], w1: [0, 0] };
    expect((await judgeFar([track], { ride: fits }, [createEar()]))[0][0]).toBeCloseTo(1 / (1 + Math.exp(-2)), 6);
  });
});
