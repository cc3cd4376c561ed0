import { describe, expect, it } from 'vitest';
import { createHitKernels } from '../kernels/hitKernels';
import { BANDS, ownBands } from './kinds';
import { CYMBALS, type Song, type Source } from './song';
import { unexplained } from './unexplained';

/** Mics: snare, hat, overhead. An event: seconds, dB in each of the three, how sharply it rises. */
type Event = readonly [time: number, db: readonly [number, number, number], rises?: number];

const MICS = ['snare', 'hat', null] as const;
const cells = MICS.length * BANDS;

function source(drum: string, main: number, list: readonly Event[]): Source {
  const n = list.length;
  const kind = drum === CYMBALS ? 'cymbal' : (drum as 'snare' | 'hat');
  const column = (width: number) => new Float32Array(n * width);
  const added = column(cells);
  list.forEach(([, db], i) => {
    for (let f = 0; f < cells; f++) added[i * cells + f] = 10 ** (db[Math.floor(f / BANDS)] / 10);
  });
  const time = Float64Array.from(list, ([t]) => t);
  return {
    drum, kind, main, own: [main], bands: ownBands(kind), n, time, heard: time, novelty: Float32Array.from(list, (e) => e[2] ?? 30), rises: column(7), later: column(7), long: column(7),
    after: column(cells), before: column(cells), added, closeness: null, reference: ownBands(kind).length,
  };
}

const songOf = (snare: readonly Event[], hat: readonly Event[], cymbals: readonly Event[]): Song => ({
  rate: 48000, mics: MICS.map((own) => ({ own, overhead: own === null })), cells, overheads: [2], scale: new Float32Array(cells).fill(1), kernels: createHitKernels(), drums: ['snare', 'hat'],
  sources: new Map([['snare', source('snare', 0, snare)], ['hat', source('hat', 1, hat)], [CYMBALS, source(CYMBALS, 2, cymbals)]]),
});

// snares bring the hat's mic 20 dB less than their own has, rides bring it 15 dB less than the overhead
const snares = Array.from({ length: 8 }, (_, i): Event => [1 + i, [0, -20, -10]]);
const rides = Array.from({ length: 8 }, (_, i): Event => [20 + i, [-40, -25, -10]]);
const hats = Array.from({ length: 6 }, (_, i): Event => [40 + i, [-25, 0, -15]]);
/** In the hat's mic: its own strokes, the snare's spill, and one more. */
const withEvent = (e: Event) => songOf([...snares, [60, [0, -20, -10]]], [...snares, ...hats, e], rides);
const place = snares.length + hats.length;
const known = (events: readonly Event[], certainty = 0.95) => events.map(([time]) => ({ time, certainty }));
const drums = { snare: [...known(snares), { time: 60, certainty: 0.95 }], hat: known(hats), ride: known(rides), crash: [] };
const ask = (e: Event, hits: Record<string, readonly { time: number; certainty: number }[]> = drums, song = withEvent(e)) => unexplained(song, song.sources.get('hat') as Source, hits);

describe('strokes that no other drum explains', () => {
  it('are louder in their mic than the struck drum ever is there', () => {
    expect(ask([60, [0, -10, -10]])).toEqual([place]);
    // the snare alone, in its usual proportion, and as it is with a decibel's error
    expect(ask([60, [0, -20, -10]])).toEqual([]);
    expect(ask([60, [0, -19, -10]])).toEqual([]);
    // the same sound, with nothing struck: only cymbals may be it
    expect(ask([70, [-40, -19, -20]])).toEqual([place]);
    expect(ask([70, [-40, -25, -10]])).toEqual([]);
  });

  it('rise sharply, and are not too soft', () => {
    expect(ask([60, [0, -10, -10], 16])).toEqual([]);
    expect(ask([60, [0, -10, -10], 18])).toEqual([place]);
    expect(ask([70, [-60, -29, -60]])).toEqual([place]);
    expect(ask([70, [-60, -31, -60]])).toEqual([]);
  });

  it('are not what is counted, nor what still moves after it', () => {
    for (const [by, is] of [[-0.03, []], [0.03, [place]], [-0.07, [place]], [0.01, []]] as const) expect(ask([60, [0, -10, -10]], { ...drums, hat: [...drums.hat, { time: 60 + by, certainty: 0.9 }] }), `${by}`).toEqual(is);
    // what is merely possible does not count yet
    expect(ask([60, [0, -10, -10]], { ...drums, hat: [...drums.hat, { time: 60, certainty: 0.3 }] })).toEqual([place]);
  });

  it('are told only where it is known what others bring, of drums that are played', () => {
    // nothing known of cymbals, or too little
    expect(ask([60, [0, -10, -10]], { ...drums, ride: [] })).toEqual([]);
    expect(ask([60, [0, -10, -10]], { ...drums, ride: drums.ride.slice(0, 2) })).toEqual([]);
    // a drum struck then of which hardly anything is sure
    expect(ask([60, [0, -10, -10]], { ...drums, snare: drums.snare.map((h) => ({ ...h, certainty: 0.5 })) })).toEqual([]);
    expect(ask([60, [0, -10, -10]], { ...drums, hat: drums.hat.slice(0, 1) })).toEqual([]);
    const { sources, ...song } = withEvent([60, [0, -10, -10]]);
    expect(ask([60, [0, -10, -10]], drums, { ...song, sources: new Map([...sources].filter(([d]) => d !== CYMBALS)) })).toEqual([]);
  });

  it('are not asked of kicks and toms', () => {
    const song = withEvent([60, [0, -10, -10]]);
    for (const kind of ['kick', 'tom'] as const) expect(unexplained(song, { ...(song.sources.get('hat') as Source), kind }, drums)).toEqual([]);
  });
});
