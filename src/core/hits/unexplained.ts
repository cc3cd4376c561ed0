/**
 * Strokes of a hat or snare that are struck in a way nobody learnt: side sticks, a hat closed by foot. Their spectra are not those of the drum's patterns, so that the mixture makes
 * them a neighbour's; but no neighbour ever came that loud to this mic. What other drums bring to it is learnt from their strokes that this drum is not struck with.
 */
import { firstIndex } from '../dsp/search';
import { quantile } from './candidates';
import { BANDS } from './kinds';
import { FAR, THRESHOLD } from './passes';
import { CYMBALS, type Song, type Source } from './song';

/** A hit as far as it is asked here. */
interface Known {
  readonly time: number;
  readonly certainty: number;
}

/** Hits this certain teach what a drum brings; such as are this certain may have been struck. */
const [TEACHES, MAYBE] = [0.7, 0.15];
/** A hit and the event it lies on are no farther apart, seconds. */
const SAME_S = 0.004;
/** What a drum brings is learnt from its strokes this far from own ones, seconds; of so many at least, in each band as what so great a share stays under. */
const ALONE_S = 0.03;
const ENOUGH = 3;
const USUAL = 0.8;
/** Other drums struck from so long before to so long after explain an event, seconds: their mics may hear them earlier or later. */
const [BEFORE_S, AFTER_S] = [0.014, 0.008];
/** From so long before to so long after a counted stroke an event is that stroke, or what still moves in the drum, seconds. */
const [UNTIL_S, SINCE_S] = [0.02, 0.06];
/**
 * An event is a stroke where it rises like this, is at most so much softer than the loudest, dB, and is over all that others bring by so much, dB, in so many bands. In 55 made recordings (straight, articulated, elsewhere, of six toms, with
 * blast beats) 25 events of hats and snares that were not counted were so, each of them a stroke; over by 0 to 1.5 dB were seven strokes and one that was none, by -1 to 0 three and 36. In 61 others no stroke was made of nothing.
 * Kicks and toms are not asked: what they do of themselves as they fade rises as sharply.
 */
const RISES = 17;
const SOFTEST_DB = -30;
const OVER_DB = 1.5;
const OVER_BANDS = 6;
/** A drum with fewer strokes may not be played at all. */
const PLAYED = 2;

const db = (v: number): number => 10 * Math.log10(v + 1e-16);

/** What a drum brings to a mic, band by band: times its own power in `from`. */
interface Brings {
  readonly from: number;
  readonly times: Float64Array;
}

/** When hits so certain are, seconds, rising. */
const timesOf = (hits: readonly Known[] | undefined, certainty: number): Float64Array => Float64Array.from(hits?.filter((h) => h.certainty >= certainty) ?? [], (h) => h.time).sort();

const anyNear = (times: Float64Array, from: number, to: number): boolean => (times[firstIndex(times.length, (i) => times[i] > from)] ?? Number.POSITIVE_INFINITY) < to;

function bringing(song: Song, mic: number, source: Source, from: number, hits: readonly Known[] | undefined, own: Float64Array): Brings | null {
  const sure = timesOf(hits, TEACHES);
  const power = (i: number, m: number, b: number) => source.added[i * song.cells + m * BANDS + b];
  const rows: number[] = [];
  for (let i = 0; i < source.n; i++) {
    const t = source.heard[i];
    if (anyNear(sure, t - SAME_S, t + SAME_S) && !anyNear(own, t - ALONE_S, t + ALONE_S)) rows.push(i);
  }
  if (rows.length < ENOUGH) return null;
  return { from, times: Float64Array.from({ length: BANDS }, (_, b) => 10 ** (quantile(rows.map((i) => db(power(i, mic, b)) - db(power(i, from, b))), USUAL) / 10)) };
}

/** Events (places in its source, rising) of a played hat's or snare's mic that its hits do not count and no other drum explains. `drums`: all hits, by drum. None where overheads, or what cymbals bring, are not known. */
export function unexplained(song: Song, s: Source, drums: Readonly<Record<string, readonly Known[]>>): number[] {
  if (s.kind !== 'hat' && s.kind !== 'snare') return [];
  const counted = timesOf(drums[s.drum], THRESHOLD);
  const far = song.sources.get(CYMBALS);
  if (!far || counted.length < PLAYED) return [];
  const sharp = Array.from({ length: s.n }, (_, i) => i).filter((i) => s.novelty[i] >= RISES && !anyNear(counted, s.heard[i] - SINCE_S, s.heard[i] + UNTIL_S));
  if (sharp.length === 0) return [];
  const cymbals = FAR.filter((d) => !song.sources.has(d)).flatMap((d) => song.overheads.flatMap((o) => bringing(song, s.main, far, o, drums[d], counted) ?? []));
  if (cymbals.length === 0) return [];
  const near = [...song.sources.values()].filter((o) => o !== s && o !== far);
  const others = near.map((o) => ({ maybe: timesOf(drums[o.drum], MAYBE), brings: bringing(song, s.main, o, o.main, drums[o.drum], counted) }));
  return sharp.filter((i) => {
    const t = s.heard[i];
    const struck = others.flatMap((o) => (anyNear(o.maybe, t - BEFORE_S, t + AFTER_S) ? [o.brings] : []));
    if (struck.some((o) => !o)) return false;
    const power = (m: number, b: number) => s.added[i * song.cells + m * BANDS + b];
    let [loud, over] = [0, 0];
    for (let b = 0; b < BANDS; b++) {
      const brought = struck.reduce((e, o) => e + (o ? power(o.from, b) * o.times[b] : 0), 0);
      const most = cymbals.reduce((e, c) => Math.max(e, power(c.from, b) * c.times[b]), brought);
      if (s.bands.includes(b)) loud += power(s.main, b);
      if (db(power(s.main, b)) - db(most) > OVER_DB) over++;
    }
    return over >= OVER_BANDS && db(loud) - db(s.reference) > SOFTEST_DB;
  });
}
