/** What the certainty of a candidate rests on: evidence from the mixture, level, novelty, and neighbours in time. */
import { evidence } from './evidence';
import { BANDS } from './kinds';
import type { Patterns } from './mixture';
import { type Song, type Source, addedIn, topMean } from './song';

export interface Described {
  /** `count` numbers a candidate. */
  readonly features: Float32Array;
  readonly count: number;
  /** Explained level in the drum's range against the mean of its five largest, dB. */
  readonly levelDb: Float64Array;
}

/** Place among the features of how much better a candidate is explained with its drum than without it. */
export const GAIN = 2;

const clip = (v: number, lo: number, hi: number) => Math.min(hi, Math.max(lo, v));

/** `drum`: whose patterns are the candidates' own. */
export function describe(song: Song, s: Source, patterns: Patterns, drum: string): Described {
  const e = evidence(song, { ...s, drum }, patterns, Array.from({ length: s.n }, (_, i) => i), 24);
  const { n, time, novelty } = s;
  // where hardly an event is mostly the drum's own, as with cymbals under everything else, all of them count
  const own = Array.from({ length: n }, (_, i) => i).filter((i) => e.shareRange[i] > 0.5);
  const top = topMean(Float64Array.from(own.length >= 5 ? own : Array.from({ length: n }, (_, i) => i), (i) => e.own[i]));
  const level = Float64Array.from({ length: n }, (_, i) => 10 * Math.log10(e.own[i] / (top + 1e-15) + 1e-6));
  const rows: number[][] = [];
  for (let i = 0; i < n; i++) {
    // masked by a stronger own event just before, or only the edge of a stronger one just after
    let [recent, soon, next, earlier] = [-40, -40, -20, -40];
    for (let j = i - 1; j >= 0 && time[i] - time[j] < 0.25; j--) {
      const gap = time[i] - time[j];
      if (gap < 0.035) recent = Math.max(recent, level[j] - level[i] - gap * 300);
      else earlier = Math.max(earlier, level[j] - level[i] - gap * 100);
    }
    for (let j = i + 1; j < n && time[j] - time[i] < 0.022; j++) {
      if (time[j] - time[i] < 0.02) soon = Math.max(soon, level[j] - level[i]);
      next = Math.max(next, novelty[j] - novelty[i]);
    }
    let [before, after] = [-40, -40];
    for (let j = i - 1; j >= 0 && time[i] - time[j] < 0.014; j--) before = Math.max(before, novelty[j] - novelty[i]);
    for (let j = i + 1; j < n && time[j] - time[i] < 0.014; j++) after = Math.max(after, e.gainOwn[j] > 0 ? Math.log1p(e.gainOwn[j]) - Math.log1p(e.gainOwn[i]) : -5);
    const { lead, leadOfKind } = leads(song, s, i);
    rows.push([
      lead, leadOfKind,
      Math.log1p(e.gainOwn[i]), Math.log1p(e.gainAll[i]), Math.log1p(e.gainBest[i]), e.share[i], e.shareRange[i], Math.min(novelty[i], 30) / 10, clip(level[i], -50, 10) / 10,
      Math.log1p(e.leftOwn[i]), Math.log1p(e.leftAll[i]), clip(e.rise[i], -5, 30) / 10, clip(e.riseOwn[i], -20, 30) / 10, clip(recent, -20, 20) / 10, clip(soon, -20, 20) / 10,
      ...e.parts.map((p) => p[i]), clip(next, -20, 20) / 10, clip(earlier, -30, 30) / 10, clip(before, -20, 20) / 10, clip(after, -5, 5), e.before[i],
      s.closeness ? clip(s.closeness[i], -10, 40) / 10 : 1, s.closeness ? 1 : 0,
      ...Array.from({ length: 7 }, (_, b) => clip(s.rises[7 * i + b], -5, 30) / 10),
      ...Array.from({ length: 7 }, (_, b) => clip(s.later[7 * i + b], -20, 30) / 10),
      ...(s.kind === 'cymbal' ? colour(song, s, i) : []),
    ]);
  }
  const count = rows[0]?.length ?? 0;
  return { features: Float32Array.from(rows.flat()), count, levelDb: level };
}

/** How much louder the event is in this drum's own mic, against the drum's loudest, than in any other drum's, and in any of the same kind, dB / 10. */
function leads(song: Song, s: Source, i: number): { lead: number; leadOfKind: number } {
  const level = (q: Source) => 10 * Math.log10(addedIn(s, song.cells, i, q.main, q.bands) / q.reference + 1e-9);
  const own = level(s);
  let [lead, leadOfKind] = [30, 30];
  for (const d of song.drums) {
    const q = song.sources.get(d);
    if (!q || d === s.drum || q.reference === 0) continue;
    const by = own - level(q);
    lead = Math.min(lead, by);
    if (q.kind === s.kind) leadOfKind = Math.min(leadOfKind, by);
  }
  return { lead: clip(lead, -30, 30) / 10, leadOfKind: clip(leadOfKind, -30, 30) / 10 };
}

/** What a stroke adds in the overheads, each band against all, and what lasts of it, dB: crashes and rides differ in both. */
function colour(song: Song, s: Source, i: number): number[] {
  const bands = Array.from({ length: BANDS }, (_, b) => song.overheads.reduce((e, m) => e + s.added[i * song.cells + m * BANDS + b], 0));
  const all = bands.reduce((a, b) => a + b, 0);
  const loudest = 10 * Math.log10(s.reference + 1e-15);
  return [clip(10 * Math.log10(s.bands.reduce((e, b) => e + bands[b], 0) + 1e-15) - loudest, -50, 10) / 10, ...bands.map((e) => clip(10 * Math.log10(e / all + 1e-6), -40, 0) / 10), ...Array.from({ length: 7 }, (_, b) => clip(s.long[7 * i + b], -20, 30) / 10)];
}
