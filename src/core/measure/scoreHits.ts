/**
 * Quality of found hits against true ones: largest one-to-one matching within 10 ms for each drum (greedy in time order, which is
 * optimal for intervals of one width; as in MIREX's onset task), precision, recall, F, timing, and the softest quarter.
 */
export interface TimedHit {
  /** Seconds. */
  readonly time: number;
  readonly strength?: number;
}

export interface HitScore {
  readonly hits: number;
  readonly found: number;
  readonly precision: number;
  readonly recall: number;
  readonly f: number;
  /** Recall of the softest quarter of true hits. */
  readonly softRecall: number;
  /** Median absolute and median signed error, ms; null without a match. */
  readonly absErrorMs: number | null;
  readonly biasMs: number | null;
  /** Share of matched hits more than 2 ms late. */
  readonly late: number;
}

export const TOLERANCE_S = 0.01;

/** Index pairs (true, found) of the largest matching. */
export function matchHits(truth: readonly TimedHit[], found: readonly TimedHit[], tolerance = TOLERANCE_S): [number, number][] {
  const byTime = (list: readonly TimedHit[]) => Array.from(list.keys()).sort((a, b) => list[a].time - list[b].time);
  const [t, d] = [byTime(truth), byTime(found)];
  const pairs: [number, number][] = [];
  let [i, j] = [0, 0];
  while (i < t.length && j < d.length) {
    const gap = found[d[j]].time - truth[t[i]].time;
    if (Math.abs(gap) <= tolerance) pairs.push([t[i++], d[j++]]);
    else if (gap < 0) j++;
    else i++;
  }
  return pairs;
}

const median = (v: readonly number[]): number | null => {
  if (v.length === 0) return null;
  const s = [...v].sort((a, b) => a - b);
  return (s[(s.length - 1) >> 1] + s[s.length >> 1]) / 2;
};

interface Tally {
  hits: number;
  found: number;
  matched: number;
  soft: number;
  softMatched: number;
  errors: number[];
}

function scoreOf(t: Tally): HitScore {
  const precision = t.matched / Math.max(1, t.found);
  const recall = t.matched / Math.max(1, t.hits);
  return {
    hits: t.hits, found: t.found, precision, recall, f: (2 * precision * recall) / Math.max(1e-9, precision + recall), softRecall: t.softMatched / Math.max(1, t.soft),
    absErrorMs: median(t.errors.map(Math.abs)), biasMs: median(t.errors), late: t.errors.filter((e) => e > 2).length / Math.max(1, t.errors.length),
  };
}

/** Scores by drum and over all drums together. Drums that `found` does not name count as missed with `every`, else they are left out. */
export function scoreHits(truth: Readonly<Record<string, readonly TimedHit[]>>, found: Readonly<Record<string, readonly TimedHit[]>>, every = false): { drums: Record<string, HitScore>; all: HitScore } {
  const all: Tally = { hits: 0, found: 0, matched: 0, soft: 0, softMatched: 0, errors: [] };
  const drums: Record<string, HitScore> = {};
  for (const [drum, list] of Object.entries(truth)) {
    if (list.length === 0 || (!(drum in found) && !every)) continue;
    const mine = found[drum] ?? [];
    const pairs = matchHits(list, mine);
    const strengths = list.map((h) => h.strength ?? 1).sort((a, b) => a - b);
    const at = 0.25 * (strengths.length - 1);
    const limit = strengths[Math.floor(at)] + (at % 1) * ((strengths[Math.ceil(at)] ?? 0) - strengths[Math.floor(at)]);
    const soft = new Set(list.flatMap((h, i) => ((h.strength ?? 1) <= limit + 1e-12 ? [i] : [])));
    const t: Tally = { hits: list.length, found: mine.length, matched: pairs.length, soft: soft.size, softMatched: pairs.filter(([a]) => soft.has(a)).length, errors: pairs.map(([a, b]) => (mine[b].time - list[a].time) * 1000) };
    drums[drum] = scoreOf(t);
    for (const k of ['hits', 'found', 'matched', 'soft', 'softMatched'] as const) all[k] += t[k];
    all.errors.push(...t.errors);
  }
  return { drums, all: scoreOf(all) };
}
