/** The strokes that a cell of the spill map rests on. */
import { firstIndex } from '../../core/dsp/search';
import type { Plan } from '../../core/plan/plan';
import { type ListedHit, listHits } from '../../core/plan/planHits';

/** The stroke of a drum that stands most alone, louder ones first; null where it has none. */
export function loneliest(plan: Plan, drum: string): ListedHit | null {
  const others = Object.keys(plan.hits).flatMap((d) => (d === drum ? [] : listHits(plan, d).map((h) => h.frame))).sort((a, b) => a - b);
  const apart = (h: ListedHit) => {
    const next = firstIndex(others.length, (i) => others[i] >= h.frame);
    const gap = Math.min(h.frame - (others[next - 1] ?? Number.NEGATIVE_INFINITY), (others[next] ?? Number.POSITIVE_INFINITY) - h.frame, 10 * plan.sampleRate);
    return gap * (0.3 + h.strength);
  };
  return listHits(plan, drum).map((h) => ({ h, far: apart(h) })).sort((a, b) => b.far - a.far)[0]?.h ?? null;
}

/** Where a stroke is heard, frames. */
export function stretchOf(plan: Plan, h: ListedHit): { from: number; to: number } {
  const from = Math.max(0, h.frame - Math.round(0.1 * plan.sampleRate));
  return { from, to: Math.min(plan.frames, h.frame + Math.round(0.6 * plan.sampleRate)) };
}

/** Those of a drum's strokes that its levels rest on: what a person decided first, then the surest, as many as the map says. */
export function restsOn(strokes: readonly ListedHit[], count: number): ReadonlySet<string> {
  const sure = (h: ListedHit) => (h.state === 'found' ? h.certainty : 2);
  return new Set([...strokes].sort((a, b) => sure(b) - sure(a) || a.frame - b.frame).slice(0, count).map((h) => h.id));
}
