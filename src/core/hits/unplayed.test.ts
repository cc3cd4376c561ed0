import { describe, expect, it } from 'vitest';
import { createRng } from '../dsp/rng';
import { createHitKernels } from '../kernels/hitKernels';
import { BANDS, ownBands } from './kinds';
import type { Song, Source } from './song';
import { explained, unplayed, withoutDrums } from './unplayed';

/** An event of a drum: seconds at its own mic, dB there. */
type Event = readonly [time: number, db: number];

/** A song of two mics, snare and hat, by what is heard in each. */
function songOf(snare: readonly Event[], hat: readonly Event[]): Song {
  const cells = 2 * BANDS;
  const source = (drum: 'snare' | 'hat', main: number, list: readonly Event[]): Source => {
    const n = list.length;
    const bands = ownBands(drum);
    const added = new Float32Array(n * cells);
    list.forEach(([, db], i) => {
      for (const b of bands) added[i * cells + main * BANDS + b] = 10 ** (db / 10) / bands.length;
    });
    const column = (width: number) => new Float32Array(n * width);
    const time = Float64Array.from(list, ([t]) => t);
    return { drum, kind: drum, main, own: [main], bands, n, time, heard: time, novelty: column(1), rises: column(7), later: column(7), long: column(7), after: column(cells), before: column(cells), added, closeness: null, reference: 1 };
  };
  return {
    rate: 48000, mics: [{ own: 'snare', overhead: false }, { own: 'hat', overhead: false }], cells, overheads: [], scale: new Float32Array(cells).fill(1), kernels: createHitKernels(), drums: ['snare', 'hat'],
    sources: new Map([['snare', source('snare', 0, snare)], ['hat', source('hat', 1, hat)]]),
  };
}
const random = createRng(5);
const strokes: Event[] = Array.from({ length: 30 }, (_, i) => [1 + 0.4 * i, -6 * random()]);
/** As heard in the hat's mic, half a metre further away. */
const spill = strokes.map(([t, db]): Event => [t + 0.0015 + 0.0001 * (random() - 0.5), db - 0.5 + random()]);

describe('drums that nobody plays', () => {
  it('are those whose mic hears nothing but others, which their own mics heard before', () => {
    const song = songOf(strokes, spill);
    expect(explained(song, 'hat')).toBe(1);
    expect(explained(song, 'snare')).toBe(0);
    expect(unplayed(song)).toEqual(['hat']);
    expect(withoutDrums(song, ['hat']).drums).toEqual(['snare']);
    expect([...withoutDrums(song, ['hat']).sources.keys()]).toEqual(['snare']);
    expect(withoutDrums(song, [])).toBe(song);
  });

  it('are not those that are struck with another drum, never quite at the same time', () => {
    const together = strokes.map(([t]): Event => [t + 0.012 * (random() - 0.5), -6 * random()]);
    expect(explained(songOf(strokes, together), 'hat')).toBeLessThan(0.35);
  });

  it('are not those that are struck three times, far louder than spill', () => {
    const three = spill.map(([t, db], i): Event => (i % 10 === 5 ? [t + 0.17, 1] : [t, db - 14]));
    expect(unplayed(songOf(strokes, three))).toEqual([]);
  });

  it('are not those whose mic comes late', () => {
    expect(unplayed(songOf(strokes, strokes.map(([t, db]): Event => [t + 0.025, db])))).toEqual([]);
  });
});
