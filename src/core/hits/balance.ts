/**
 * How much louder one overhead than another hears what a stroke adds, band by band. A cymbal hangs in one place, so that this is its own however hard it is struck and whatever its
 * spectrum: a loud ride is told from a crash by it, and a kick alone from one with a crash over it.
 */
import { firstIndex } from '../dsp/search';
import { quantile } from './candidates';
import { FINE } from './eventSpectra';
import { SAME_S } from './farPlaces';
import type { Known, Moments } from './fineLook';

/** Cymbals are told apart from here on, Hz; so many fine bands go together (a quarter of an octave). */
const [FROM_HZ, TOGETHER] = [2500, 3];
/** What rises by less than this in either overhead tells nothing: 2 dB. */
const LEAST_RISE = 1.6;
/** So many bands at least tell something. */
const ENOUGH = 3;
/** Distances are told against this and how much a drum's own strokes differ, dB; of drums known from few strokes that is not known. */
const [NEAR_DB, USUAL_DB] = [0.7, 1];
const MOST = 6;
/** What is said where nothing can be told. */
const UNTOLD = 2;

export interface Balance {
  /** Of one moment. */
  readonly width: number;
  /** Moments x width, dB: the first overhead over each other one; not a number where too little rises. */
  readonly db: Float32Array;
}

export function balanceOf(m: Moments): Balance {
  const first = FINE.edges.findIndex((hz) => hz >= FROM_HZ);
  const groups = Math.floor((m.bands - first) / TOGETHER);
  const overheads = m.cells / m.bands;
  const width = groups * Math.max(0, overheads - 1);
  const n = m.after.length / m.cells;
  const db = new Float32Array(n * width).fill(Number.NaN);
  const sum = (of: Float32Array, i: number, overhead: number, g: number) => {
    const at = i * m.cells + overhead * m.bands + first + g * TOGETHER;
    return of[at] + of[at + 1] + of[at + 2];
  };
  for (let i = 0; i < n; i++) {
    for (let g = 0; g < groups; g++) {
      const [after, before] = [sum(m.after, i, 0, g), sum(m.before, i, 0, g)];
      if (!(after > LEAST_RISE * before)) continue;
      for (let o = 1; o < overheads; o++) {
        const [a, b] = [sum(m.after, i, o, g), sum(m.before, i, o, g)];
        if (a > LEAST_RISE * b) db[i * width + (o - 1) * groups + g] = 10 * Math.log10((after - before) / (a - b));
      }
    }
  }
  return { width, db };
}

const middle = (v: readonly number[]) => (v.length ? quantile(v, 0.5) : Number.NaN);

/** Medians of each band over the moments `at`; not a number where none of them tells. */
function usual({ width, db }: Balance, at: readonly number[]): Float64Array {
  return Float64Array.from({ length: width }, (_, b) => middle(at.map((i) => db[i * width + b]).filter((v) => !Number.isNaN(v))));
}

/** Mean distance (dB) of moment `i` from a balance; null where too few bands tell. */
function apart({ width, db }: Balance, i: number, from: Float64Array): number | null {
  let [sum, count] = [0, 0];
  for (let b = 0; b < width; b++) {
    const d = Math.abs(db[i * width + b] - from[b]);
    if (Number.isNaN(d)) continue;
    sum += d;
    count++;
  }
  return count < ENOUGH ? null : sum / count;
}

/** How far moments are from a drum's balance, as a multiple of what is near; null where that cannot be told. A moment among the drum's own is told by the others. */
export type FarFrom = (i: number, own?: number) => number | null;

/** `at`: moments that are known as the drum's. */
export function farFrom(balance: Balance, at: readonly number[]): FarFrom {
  const all = usual(balance, at);
  const without = new Map<number, Float64Array>();
  const one = (i: number, own?: number): number | null => {
    if (own === undefined || at.length === 0) return at.length ? apart(balance, i, all) : null;
    if (at.length < 2) return null;
    const rest = without.get(own) ?? usual(balance, at.filter((j) => j !== own));
    without.set(own, rest);
    return apart(balance, i, rest);
  };
  const scatter = at.length < 3 ? Number.NaN : middle(at.flatMap((i) => one(i, i) ?? []));
  const near = NEAR_DB + (Number.isNaN(scatter) ? USUAL_DB : scatter);
  return (i, own) => {
    const d = one(i, own);
    return d === null ? null : Math.min(MOST, d / near);
  };
}

/** Share of bands that tell something of moment `i`. */
export function tells({ width, db }: Balance, i: number): number {
  let count = 0;
  for (let b = 0; b < width; b++) if (!Number.isNaN(db[i * width + b])) count++;
  return width ? count / width : 0;
}

/** The moments' power of several looks added up, against the same before. */
export function together(looks: readonly Moments[]): Moments {
  const sum = (of: (m: Moments) => Float32Array) => of(looks[0]).map((_, i) => looks.reduce((s, m) => s + of(m)[i], 0));
  return { ...looks[0], after: sum((m) => m.after), before: sum((m) => m.before) };
}

/**
 * Numbers for each place (they come first among the moments) and every look: how far it is from each of `cymbals`' balances, from that of the nearest of the drums that may have been
 * struck there, and how many bands tell it. `times`: of all moments, seconds.
 */
export function balanceRows(looks: readonly Moments[], times: ArrayLike<number>, known: readonly Known[], cymbals: readonly (string | null)[], struckAt: readonly (readonly string[])[]): number[][] {
  const rows: number[][] = struckAt.map(() => []);
  const ownAt = new Map(known.map((k) => [k.drum, [...k.at].sort((a, b) => times[a] - times[b])]));
  /** The drum's known stroke that is the place, if one. */
  const ownOf = (drum: string, i: number): number | undefined => {
    const at = ownAt.get(drum) ?? [];
    const j = firstIndex(at.length, (k) => times[at[k]] > times[i] - SAME_S);
    return j < at.length && times[at[j]] < times[i] + SAME_S ? at[j] : undefined;
  };
  for (const m of looks) {
    const balance = balanceOf(m);
    const from = new Map(known.map((k) => [k.drum, farFrom(balance, k.at)]));
    const far = (drum: string, i: number) => from.get(drum)?.(i, ownOf(drum, i)) ?? null;
    rows.forEach((row, i) => {
      const drums = struckAt[i].flatMap((d) => far(d, i) ?? []);
      row.push(...cymbals.map((c) => (c === null ? null : far(c, i)) ?? UNTOLD), drums.length ? Math.min(...drums) : UNTOLD, tells(balance, i));
    });
  }
  return rows;
}
