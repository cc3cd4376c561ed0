import { describe, expect, it } from 'vitest';
import { createRng } from '../dsp/rng';
import { createHitKernels } from '../kernels/hitKernels';
import { BANDS, ownBands } from './kinds';
import { CYMBALS, type Song, type Source } from './song';
import type { SpillRow } from '../spill/spillMap';
import { explained, farLouder, fromOtherTom, heardBeforeAll, heardElsewhere, heardFirst, heardLater, overlooked, spillAmong, standOut, tomsReached, uncounted, unplayed, withoutDrums } from './unplayed';
import { seedsOf } from './patterns';

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

  it('have strokes that stand out of what their mic hears of others, where there are some', () => {
    expect(standOut(songOf(strokes, spill), 'hat')).toEqual([]);
    const loudest = Math.max(...spill.map(([, db]) => db));
    const three = [...spill, [2.2, loudest + 4] as Event, [5.5, loudest + 5] as Event, [9.1, loudest + 3.5] as Event].sort((a, b) => a[0] - b[0]);
    const song = songOf(strokes, three);
    expect(unplayed(song)).toEqual(['hat']);
    expect(standOut(song, 'hat').map((i) => three[i][0])).toEqual([2.2, 5.5, 9.1]);
    // one that is louder than all else is any noise
    expect(standOut(songOf(strokes, [...spill, [2.2, loudest + 9] as Event].sort((a, b) => a[0] - b[0])), 'hat')).toEqual([]);
  });

  it('have strokes that their mic hears first and nothing else explains, soft ones too', () => {
    const hats = strokes.map(([t]): Event => [t, -3]);
    const bleed = hats.map(([t, db]): Event => [t + 0.0015, db + 2]);
    // ghost notes under the hats' spill, and one that is a hat's
    const snare: Event[] = [...bleed, [2.3, -7], [5.5, -9], [9.0502, -4]];
    snare.sort((a, b) => a[0] - b[0]);
    const song = songOf(snare, [...hats, [5.4985, -30] as Event, [9.05, -8] as Event].sort((a, b) => a[0] - b[0]));
    const source = song.sources.get('snare') as Source;
    const novel = (...times: number[]) => ({ ...song, sources: new Map([...song.sources, ['snare', { ...source, novelty: Float32Array.from(snare, ([t]) => (times.includes(t) ? 30 : 10)) }]]) });
    const heard = (s: Song, times = {}) => heardFirst(s, 'snare', times).map((i) => snare[i][0]);
    expect(heard(novel(2.3, 5.5, 9.0502))).toEqual([2.3, 5.5]);
    expect(heard(novel(2.3))).toEqual([2.3]);
    expect(heard(novel(2.3, 5.5), { kick: [5.495], hat: [2.301] })).toEqual([2.3]);
    expect(heardFirst(song, 'hat', {})).toEqual([]);
  });

  it('show no stroke that they hear first, where those that are played show theirs', () => {
    const sharp = (song: Song): Song => ({ ...song, sources: new Map([...song.sources].map(([d, s]) => [d, { ...s, novelty: s.novelty.map(() => 30) }])) });
    const song = sharp(songOf(strokes, spill));
    expect(heardBeforeAll(song, song.sources.get('snare') as Source)).toEqual(strokes.map((_, i) => i));
    expect(heardBeforeAll(song, song.sources.get('hat') as Source)).toEqual([]);
    // struck twice besides, no louder than what is heard there of the snare
    const both = [...spill, [2.21, -3] as Event, [7.03, -5] as Event].sort((a, b) => a[0] - b[0]);
    const played = sharp(songOf(strokes, both));
    expect(heardBeforeAll(played, played.sources.get('hat') as Source).map((i) => both[i][0])).toEqual([2.21, 7.03]);
    // where there are overheads, only such of a hat's count as come to them equally late: one place, not cymbals here and there
    const under = (far: readonly number[]) => sharp({ ...played, sources: new Map([...played.sources, [CYMBALS, { ...(played.sources.get('snare') as Source), drum: CYMBALS, n: far.length, time: Float64Array.from(far), novelty: new Float32Array(far.length) }]]) });
    const first = (far: readonly number[]) => heardBeforeAll(under(far), under(far).sources.get('hat') as Source).map((i) => both[i][0]);
    expect(first([2.213, 7.0331])).toEqual([2.21, 7.03]);
    expect(first([2.213, 7.0345])).toEqual([]);
    expect(first([2.2104, 7.0304])).toEqual([]);
    expect(first([2.213])).toEqual([]);
    // what does not rise sharply tells nothing
    const dull = songOf(strokes, both);
    expect(heardBeforeAll(dull, dull.sources.get('hat') as Source)).toEqual([]);
  });

  it('are not those whose mic hears many strokes first, though most that is loud there is another drum\'s', () => {
    // a kick 6 dB under what its mic hears of the snare
    const soft = (n: number) => [...spill, ...Array.from({ length: n }, (_, i): Event => [1.2 + 0.4 * i, -6.5])].sort((a, b) => a[0] - b[0]);
    const asKick = (list: readonly Event[], rise: number): Song => {
      const song = songOf(strokes, list);
      const hat = song.sources.get('hat') as Source;
      return { ...song, drums: ['snare', 'kick'], sources: new Map([['snare', song.sources.get('snare') as Source], ['kick', { ...hat, drum: 'kick', kind: 'kick', novelty: hat.novelty.map(() => rise) }]]) };
    };
    expect(explained(asKick(soft(20), 30), 'kick')).toBeGreaterThan(0.35);
    expect(unplayed(asKick(soft(20), 30))).toEqual([]);
    expect(unplayed(asKick(soft(8), 30))).toEqual([]);
    expect(unplayed(asKick(soft(7), 30))).toEqual(['kick']);
    expect(unplayed(asKick(soft(20), 10))).toEqual(['kick']);
  });

  it('have strokes that nobody counted where their mics hear them first', () => {
    const sharp = (song: Song): Song => ({ ...song, sources: new Map([...song.sources].map(([d, s]) => [d, { ...s, novelty: s.novelty.map(() => 30) }])) });
    const far = [...strokes.map(([t]) => t + 0.0045)];
    const source = (song: Song, d: string) => song.sources.get(d) as Source;
    const bare = sharp(songOf(strokes, spill));
    const song: Song = { ...bare, sources: new Map([...bare.sources, [CYMBALS, { ...source(bare, 'snare'), drum: CYMBALS, kind: 'cymbal', n: far.length, time: Float64Array.from(far), novelty: new Float32Array(far.length) }]]) };
    const times = strokes.map(([t]) => t);
    expect(uncounted(song, source(song, 'snare'), times)).toEqual([]);
    expect(uncounted(song, source(song, 'snare'), times.filter((_, i) => i !== 4 && i !== 9)).map((i) => times[i])).toEqual([times[4], times[9]]);
    // a hit nearby is the same stroke
    expect(uncounted(song, source(song, 'snare'), times.map((t, i) => (i === 4 ? t + 0.01 : t)))).toEqual([]);
    // what the snare's mic hears first is no hat's, and without overheads nobody can tell
    expect(uncounted(song, source(song, 'hat'), [])).toEqual([]);
    expect(uncounted(bare, source(bare, 'snare'), [])).toEqual([]);
  });

  it('are learnt, as toms that are struck three times, from their own strokes and not from the neighbour\'s', () => {
    const own = [2.3, 5.5, 9.1];
    const heard = [...spill.map(([t, db]): Event => [t, db + 1]), ...own.map((t): Event => [t, -4])].sort((a, b) => a[0] - b[0]);
    const base = songOf(strokes, heard);
    const tom = (d: string, as: string): [string, Source] => [as, { ...(base.sources.get(d) as Source), drum: as, kind: 'tom', novelty: Float32Array.from((base.sources.get(d) as Source).time, () => 30) }];
    const song: Song = { ...base, drums: ['tom-1', 'tom-2'], sources: new Map([tom('snare', 'tom-1'), tom('hat', 'tom-2')]) };
    const seeds = (d: string) => seedsOf(song, song.sources.get(d) as Source).map((i) => (song.sources.get(d) as Source).time[i]).sort((a, b) => a - b);
    expect(seeds('tom-2')).toEqual(own);
    expect(seeds('tom-1').every((t) => strokes.some(([s]) => s === t))).toBe(true);
    expect(seeds('tom-1').length).toBeGreaterThan(5);
  });

  it('have no events that are far louder than all else; two to six are strokes of a drum that is hardly played', () => {
    const far = (extra: readonly Event[]) => {
      const all = [...spill.map(([t, db]): Event => [t, db - 20]), ...extra].sort((a, b) => a[0] - b[0]);
      const song = songOf(strokes, all);
      return farLouder(song, song.sources.get('hat') as Source).map((i) => all[i][0]);
    };
    expect(far([])).toEqual([]);
    expect(far([[2.2, 0], [5.5, -9], [9.1, -10]])).toEqual([2.2, 5.5, 9.1]);
    expect(far([[2.2, 0]])).toEqual([]);
    expect(far(Array.from({ length: 7 }, (_, i): Event => [2.2 + i, -3]))).toEqual([]);
  });

  it('are not those whose mic comes late', () => {
    expect(unplayed(songOf(strokes, strokes.map(([t, db]): Event => [t + 0.025, db])))).toEqual([]);
  });
});

describe('a hat whose strokes are heard elsewhere first', () => {
  // mics: snare, hat, two toms, two overheads; delays in ms against the drum's own mic, of a hat 0.5 to 1.3 m from the others
  const OVERHEADS = [4, 5];
  const row = (drum: string, main: number, delays: readonly (number | null)[]): SpillRow => ({ drum, main, strokes: 30, strokeDb: -20, strokeBandsDb: [], mics: delays.map((delayMs) => ({ levelDb: -10, bandsDb: [], delayMs, polarity: 1 })) });
  const SNARE = row('snare', 0, [0, 1.3, 1.6, 2.9, 3.6, 4.2]);
  const played = row('hat', 1, [1.4, 0, 2.6, 3.1, 2.8, 4.5]);
  // a ride beyond the floor tom: nearer to toms and overheads than to the hat's mic
  const ride = row('hat', 1, [-0.9, 0, -1.9, -2, -0.2, -0.9]);
  const later = (r: SpillRow, ms: number): SpillRow => ({ ...r, mics: r.mics.map((e, m) => ({ ...e, delayMs: e.delayMs === null ? null : e.delayMs + (r.main === 1 ? (m === 1 ? 0 : -ms) : m === 1 ? ms : 0) })) });

  it('is not played, what its mic hears is a cymbal', () => {
    expect(heardElsewhere([SNARE, ride], OVERHEADS)).toEqual(['hat']);
    expect(heardElsewhere([SNARE, played], OVERHEADS)).toEqual([]);
    // a snare heard everywhere at once is not the hat's business
    expect(heardElsewhere([row('snare', 0, [0, 0, 0, 0, 0, 0]), played], OVERHEADS)).toEqual([]);
  });

  it('is played where its mic comes late by any amount', () => {
    for (let ms = 0; ms < 30; ms += 0.25) expect(heardElsewhere([later(SNARE, ms), later(played, ms)], OVERHEADS), `${ms} ms`).toEqual([]);
  });

  it("is played where its strokes fall together with a snare that its mic hears louder: then delays are the snare's", () => {
    const drowned = row('hat', 1, SNARE.mics.map((e) => (e.delayMs as number) - 1.3));
    expect(heardElsewhere([SNARE, drowned], OVERHEADS)).toEqual([]);
    // a ride that falls together with kicks elsewhere, but not in the hat's mic
    const kick = row('tom-1', 2, ride.mics.map((e, m) => (m === 1 ? 3 : (e.delayMs as number) + 1.9)));
    expect(heardElsewhere([SNARE, kick, ride], OVERHEADS)).toEqual(['hat']);
  });

  it('is believed where too little is known', () => {
    expect(heardElsewhere([ride], OVERHEADS)).toEqual([]);
    expect(heardElsewhere([SNARE, { ...ride, strokes: 3 }], OVERHEADS)).toEqual([]);
    expect(heardElsewhere([SNARE, ride], [])).toEqual([]);
    expect(heardElsewhere([row('snare', 0, [0, null, 1.6, 2.9, 3.6, 4.2]), ride], OVERHEADS)).toEqual([]);
    expect(heardElsewhere([SNARE, row('hat', 1, [-0.9, 0, null, null, -0.2, -0.9])], OVERHEADS)).toEqual([]);
  });
});

describe("a tom's candidates that are another tom's", () => {
  const toms = (one: readonly Event[], two: readonly Event[]): Song => {
    const song = songOf(one, two);
    const as = (drum: string, from: string): [string, Source] => [drum, { ...(song.sources.get(from) as Source), drum, kind: 'tom', novelty: (song.sources.get(from) as Source).novelty.map(() => 30) }];
    return { ...song, drums: ['tom-1', 'tom-2'], sources: new Map([as('tom-1', 'snare'), as('tom-2', 'hat')]) };
  };
  // struck beside the other: at the very moment but far louder than what comes of it, and a little later
  const own: Event[] = [[1.8012, 3], [4.207, -2]];
  const first = strokes.filter(([t]) => ![1.8, 4.2].some((o) => Math.abs(o - t) < 0.01));
  const both = [...spill.map(([t, db]): Event => [t, db - 6]).filter(([t]) => own.every(([o]) => Math.abs(o - t) > 0.02)), ...own].sort((a, b) => a[0] - b[0]);
  const song = toms([...first, [1.7997, -4] as Event, [4.2, -4] as Event].sort((a, b) => a[0] - b[0]), both);
  const seeds = new Map([['tom-1', Array.from({ length: 20 }, (_, i) => i)]]);

  it('come by one distance in one proportion, which strokes that its mic hears first tell', () => {
    const [reached] = tomsReached(song, seeds).get('tom-2') ?? [];
    expect(reached.from).toBe('tom-1');
    expect(Math.abs(reached.later - 0.0015)).toBeLessThan(0.0004);
    expect(Math.abs(reached.louder + 6)).toBeLessThan(2);
    const theirs = new Set(fromOtherTom(song, song.sources.get('tom-2') as Source, [reached]));
    expect(both.filter((e, i) => !theirs.has(i) && !own.includes(e)).length).toBeLessThanOrEqual(2);
    for (const e of own) expect(theirs.has(both.indexOf(e))).toBe(false);
  });

  it('are none where nothing is known of the other', () => {
    expect(tomsReached(song, new Map()).get('tom-2')).toEqual([]);
    expect(tomsReached(song, new Map([['tom-1', [0, 1, 2]]])).get('tom-2')).toEqual([]);
    expect(fromOtherTom(song, song.sources.get('tom-2') as Source, [])).toEqual([]);
  });
});

describe('strokes that were overlooked', () => {
  const song = songOf(strokes, spill);
  const sharp: Song = { ...song, sources: new Map([...song.sources].map(([d, s]) => [d, { ...s, novelty: s.novelty.map(() => 30) }])) };
  const snare = sharp.sources.get('snare') as Source;

  it('are what a mic hears first, where hardly any of it is counted', () => {
    const first = heardBeforeAll(sharp, snare);
    expect(first.length).toBeGreaterThanOrEqual(10);
    expect(overlooked(sharp, snare, [])).toEqual(first);
    const some = first.slice(0, Math.floor(first.length / 3));
    expect(overlooked(sharp, snare, some.map((i) => snare.time[i] + 0.003))).toEqual(first.slice(some.length));
  });

  it('are none where most are counted, or the mic hears little first', () => {
    const first = heardBeforeAll(sharp, snare);
    expect(overlooked(sharp, snare, first.slice(0, Math.ceil(0.6 * first.length)).map((i) => snare.time[i]))).toEqual([]);
    expect(overlooked(sharp, sharp.sources.get('hat') as Source, [])).toEqual([]);
  });
});

describe("a tom's candidates that a twin's mic heard before", () => {
  const as = (list: readonly Event[], novelty: number): Source => {
    const s = songOf(list, []).sources.get('snare') as Source;
    return { ...s, drum: 'tom-1', kind: 'tom', novelty: s.novelty.map(() => novelty) };
  };
  const own = as([[1, 0], [2, 0], [3, 0], [4, 0]], 30);

  it('are those that come .2 to 2.5 ms after a rise there', () => {
    // later by a metre's way, at the same moment, earlier, and too long before to be the same stroke
    expect(heardLater(own, [as([[0.9991, 0], [1.9999, 0], [3.0008, 0], [3.996, 0]], 30)])).toEqual([0]);
    expect(heardLater(own, [as([], 30), as([[2.999, 0]], 30)])).toEqual([2]);
  });

  it('are none where nothing rises sharply, or there is no twin', () => {
    expect(heardLater(own, [as([[0.9991, 0]], 5)])).toEqual([]);
    expect(heardLater(own, [])).toEqual([]);
  });
});

describe("hits that are another drum's", () => {
  const draw = createRng(11);
  const struck = (list: readonly Event[]) => ({ struck: { time: Float64Array.from(list, ([t]) => t), levelDb: Float64Array.from(list, ([, db]) => db) }, chosen: list.map((_, i) => i) });
  const kicks: Event[] = Array.from({ length: 40 }, (_, i) => [1 + 0.45 * i, -6 * draw()]);
  const own: Event[] = [[3.21, 0], [8.87, -4], [15.4, -2]];
  /** The kick in the floor tom's mic, 0.8 m away. */
  const heard = kicks.map(([t, db]): Event => [t + 0.0023 + 0.0002 * (draw() - 0.5), db - 7 + draw()]);
  const both = [...heard, ...own].sort((a, b) => a[0] - b[0]);

  it('are those that follow it by one distance in one proportion, and no others', () => {
    const tom = struck(both);
    const spill = spillAmong(tom.struck, tom.chosen, [struck(kicks)]);
    expect(spill.map((i) => both[i])).toEqual(expect.arrayContaining(heard));
    for (const e of own) expect(spill).not.toContain(both.indexOf(e));
    // the kick hears the tom's strokes later, too few to tell
    expect(spillAmong(struck(kicks).struck, kicks.map((_, i) => i), [tom])).toEqual([]);
  });

  it('are none where two drums are struck together by hand, or most are its own', () => {
    const together = struck(kicks.map(([t]): Event => [t + 0.012 * (draw() - 0.5), -6 * draw()]));
    expect(spillAmong(together.struck, together.chosen, [struck(kicks)])).toEqual([]);
    const mostlyOwn = [...heard.slice(0, 12), ...Array.from({ length: 20 }, (_, i): Event => [1.2 + 0.45 * i, -5])].sort((a, b) => a[0] - b[0]);
    const tom = struck(mostlyOwn);
    expect(spillAmong(tom.struck, tom.chosen, [struck(kicks)])).toEqual([]);
  });

  it('may be fewer where they are far softer than own ones', () => {
    const played = (softer: number) => struck([...heard.slice(0, 12).map(([t, db]): Event => [t, db - softer]), ...Array.from({ length: 20 }, (_, i): Event => [1.2 + 0.45 * i, -5])].sort((a, b) => a[0] - b[0]));
    const [soft, loud] = [played(10), played(0)];
    expect(spillAmong(soft.struck, soft.chosen, [struck(kicks)]).map((i) => soft.struck.time[i])).toEqual(heard.slice(0, 12).map(([t]) => t));
    expect(spillAmong(loud.struck, loud.chosen, [struck(kicks)])).toEqual([]);
  });

  it('may come later where overheads hear them', () => {
    const ride = struck(kicks.map(([t, db]): Event => [t + 0.0055, db - 10]));
    expect(spillAmong(ride.struck, ride.chosen, [struck(kicks)])).toEqual([]);
    expect(spillAmong(ride.struck, ride.chosen, [struck(kicks)], [0.0004, 0.008])).toHaveLength(40);
  });
});
