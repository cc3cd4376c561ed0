/** Slices of a mic that are like one of them: to select many at once by their strength, by what is in them, or by other drums that are struck in them. */
import type { Slice } from '../clean/slices';
import { slicesOf } from './live';
import { roleOf } from './roles';
import { listHits } from './planHits';
import type { Plan } from './plan';

export type Likeness = 'softer' | 'alike' | 'drums';

/** Strokes within this of each other, dB, are as strong. */
const AS_STRONG_DB = 3;

const strongest = (s: Slice) => Math.max(0, ...s.hits.map((h) => h.strength));

/** Other drums that are struck within a slice, by name. */
function othersIn(plan: Plan, own: string | null): (s: Slice) => string {
  const lists = Object.keys(plan.hits).filter((d) => d !== own).sort().map((drum) => ({ drum, hits: listHits(plan, drum) }));
  return (s) => lists.filter((l) => l.hits.some((h) => h.frame >= s.from && h.frame < s.to)).map((l) => l.drum).join();
}

/** `softer`: as soft as `one` or softer; `alike`: as strong and with as many strokes; `drums`: with the same other drums struck in them. */
export function likeSlices(plan: Plan, micId: string, one: Slice, how: Likeness): Slice[] {
  const others = othersIn(plan, roleOf(plan.mics[micId].role).drum);
  return slicesOf(plan, micId).filter((s) => {
    if (how === 'softer') return strongest(s) <= strongest(one);
    if (how === 'drums') return others(s) === others(one);
    return s.hits.length === one.hits.length && Math.abs(20 * Math.log10((strongest(s) + 1e-6) / (strongest(one) + 1e-6))) <= AS_STRONG_DB;
  });
}
