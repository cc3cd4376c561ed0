/**
 * Drums may swell again some time after each of their strokes (a beater that bounces, a shell that answers), always as much later. Close to the drum, once the others are taken out, that rises
 * like a stroke; no player strikes again at one distance to the millisecond.
 */
import { quantile } from '../hits/candidates';
import type { Candidate } from './judgeAgain';

/** A stroke that both findings are this sure of swells again so much later, seconds, softer by this at least. */
const SURE = 0.9;
const LATER_S = [0.03, 0.2] as const;
const SOFTER = 1.5;
/** What only the second finding counts, from so sure on. */
const COUNTED = 0.4;
/** So many at one distance, seconds, and this share of all that it alone counts so soon after such strokes. In 16 made recordings there were never three but in the one with such a kick, which had 21 of 21. */
const [LEAST, SAME_S, SHARE] = [5, 0.001, 0.6];

/** Candidates (places in `list`, which is in order of time) that are no strokes but how the drum goes on after each of its own. */
export function swellsAgain(list: readonly Candidate[]): number[] {
  const sure = list.filter((c) => c.first > SURE && c.again > SURE);
  const after = list.flatMap((c, i) => {
    if (c.first > SURE || c.again < COUNTED) return [];
    const later = sure.flatMap((s) => {
      const by = c.hit.time - s.hit.time;
      return by > LATER_S[0] && by < LATER_S[1] && s.hit.strength > SOFTER * c.hit.strength ? [by] : [];
    });
    // of several the last one is what it follows
    return later.length ? [{ i, by: Math.min(...later), alone: c.first < COUNTED }] : [];
  });
  const alone = after.filter((a) => a.alone);
  const near = (by: number, of: readonly { readonly by: number }[]) => of.filter((a) => Math.abs(a.by - by) < SAME_S);
  const most = alone.map((a) => near(a.by, alone)).reduce((m, l) => (l.length > m.length ? l : m), []);
  if (most.length < LEAST || most.length < SHARE * alone.length) return [];
  const middle = quantile(most.map((a) => a.by), 0.5);
  return after.filter((a) => Math.abs(a.by - middle) < SAME_S).map((a) => a.i);
}
