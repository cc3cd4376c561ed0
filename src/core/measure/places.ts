/** Where a cleaned mic is worth a listen: the places at which cleaning goes wrong if it goes wrong anywhere. */
import { PEAK_BASE } from '../dsp/peaks';
import { LOST_DB } from './strokeFigures';

export type PlaceKind = 'lost' | 'changed' | 'softest' | 'left' | 'taken';

export interface Place {
  readonly kind: PlaceKind;
  readonly frame: number;
  /** Change of the attack (lost, changed), level of the attack (softest), or peak (left, taken), dB. */
  readonly db: number;
}

export interface PlacesInput {
  readonly rate: number;
  /** Peaks of the mic as it came and of what is left: pairs of lowest and highest, one for 256 frames. */
  readonly raw: Float32Array;
  readonly clean: Float32Array;
  /** Frames of own strokes, rising, and levels of their first 10 ms before and after, dBFS, in pairs. */
  readonly hits: readonly number[];
  readonly levels: Float32Array;
  /** Seconds after which the drum is silent. */
  readonly rungOut: number;
}

const CHANGED_DB = 0.5;
const MOST_LOST = 3;
/** Between strokes means so long before the next, s. */
const BEFORE_S = 0.03;
/** What is left under this is not heard, dBFS. */
const FAINT_DB = -80;
/** Taken means lower by this, dB. */
const TAKEN_DB = -12;

const db = (x: number) => 20 * Math.log10(Math.max(x, 1e-7));

/** The worst first: strokes lost (three at most), the attack that changed most, the softest stroke that is left, the loudest sound that is left between strokes, the loudest that was taken there. */
export function placesOf(i: PlacesInput): Place[] {
  const attacks = i.hits.map((frame, k) => ({ frame, before: i.levels[2 * k], change: i.levels[2 * k + 1] - i.levels[2 * k], after: i.levels[2 * k + 1] }));
  const lost = attacks.filter((a) => a.change < LOST_DB).sort((a, b) => b.before - a.before);
  const there = attacks.filter((a) => a.change >= LOST_DB);
  const changed = [...there].sort((a, b) => Math.abs(b.change) - Math.abs(a.change))[0];
  const softest = [...there].sort((a, b) => a.after - b.after)[0];
  const out: Place[] = lost.slice(0, MOST_LOST).map((a) => ({ kind: 'lost', frame: a.frame, db: a.change }));
  if (changed && Math.abs(changed.change) >= CHANGED_DB) out.push({ kind: 'changed', frame: changed.frame, db: changed.change });
  if (softest) out.push({ kind: 'softest', frame: softest.frame, db: softest.after });
  const [rung, before] = [i.rungOut * i.rate, BEFORE_S * i.rate];
  const top = (v: Float32Array, b: number) => Math.max(Math.abs(v[2 * b]), Math.abs(v[2 * b + 1]));
  let [next, left, taken] = [0, -1, -1];
  for (let b = 0; 2 * b + 1 < Math.min(i.raw.length, i.clean.length); b++) {
    const [from, to] = [b * PEAK_BASE, (b + 1) * PEAK_BASE];
    while (next < i.hits.length && i.hits[next] < to) next++;
    if (next > 0 && from - i.hits[next - 1] < rung) continue;
    if (next < i.hits.length && i.hits[next] - to < before) continue;
    if (left < 0 || top(i.clean, b) > top(i.clean, left)) left = b;
    if (db(top(i.clean, b)) - db(top(i.raw, b)) < TAKEN_DB && (taken < 0 || top(i.raw, b) > top(i.raw, taken))) taken = b;
  }
  if (left >= 0 && db(top(i.clean, left)) > FAINT_DB) out.push({ kind: 'left', frame: left * PEAK_BASE, db: db(top(i.clean, left)) });
  if (taken >= 0 && db(top(i.raw, taken)) > FAINT_DB) out.push({ kind: 'taken', frame: taken * PEAK_BASE, db: db(top(i.raw, taken)) });
  return out;
}
