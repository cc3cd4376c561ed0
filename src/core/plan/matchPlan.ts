/**
 * Carries a plan onto a set of mics by file name and channel: how a plan file fits a folder or another copy of the recording.
 */
import { FreshGapError } from '../errors';
import type { Change, Edit } from './edits';
import { sameJson } from './edits';
import type { Plan, Treatment } from './plan';

export interface PlanMatch {
  /** Ids of the given plan by ids of the recording's plan. */
  readonly ids: ReadonlyMap<string, string>;
  /** Files the plan names that the recording does not have. */
  readonly missing: readonly string[];
}

const keyOf = (m: { file: string; channel: number }) => `${m.file.toLowerCase()}\n${m.channel}`;

/** Throws PLAN_NO_MATCH where not one mic fits. */
export function matchPlan(own: Plan, given: Plan): PlanMatch {
  const at = new Map(own.order.map((id) => [keyOf(own.mics[id]), id]));
  const ids = new Map<string, string>();
  const missing: string[] = [];
  for (const id of given.order) {
    const mine = at.get(keyOf(given.mics[id]));
    if (mine) ids.set(mine, id);
    else missing.push(given.mics[id].file);
  }
  if (ids.size === 0) throw new FreshGapError('PLAN_NO_MATCH', 'No mic of the plan has the name of a file here.', { missing });
  return { ids, missing };
}

/** One edit that gives every matched mic the name, role, mix, treatment and the one put aside that it has in `given`, and its hits; key references follow the match. */
export function editFromPlan(own: Plan, given: Plan, label: string): { edit: Edit; missing: readonly string[] } {
  const { ids, missing } = matchPlan(own, given);
  const back = new Map([...ids].map(([mine, theirs]) => [theirs, mine]));
  const changes: Change[] = [];
  for (const [mine, theirs] of ids) {
    const a = own.mics[mine];
    const b = given.mics[theirs];
    const fitted = (t: Treatment): Treatment => ({
      ...t,
      gate: { ...t.gate, keyFrom: t.gate.keyFrom === '' ? '' : (back.get(t.gate.keyFrom) ?? '') },
      gaps: Object.fromEntries(Object.entries(t.gaps).filter(([, g]) => g.to <= own.frames)),
      marks: t.marks.filter((m) => m[1] <= own.frames),
      closings: Object.fromEntries(Object.entries(t.closings).filter(([, c]) => c.to <= own.frames)),
    });
    const [treatment, second] = [fitted(b.treatment), b.second && fitted(b.second)];
    for (const [field, before, after] of [['name', a.name, b.name], ['ring', a.ring, b.ring], ['role', a.role, b.role], ['mix', a.mix, b.mix], ['treatment', a.treatment, treatment], ['second', a.second, second]] as const) {
      if (!sameJson(before, after)) changes.push({ path: ['mics', mine, field], before: before as never, after: after as never });
    }
  }
  // hits are times: those behind the end of a shorter recording are left out
  for (const drum of new Set([...Object.keys(own.hits), ...Object.keys(given.hits)])) {
    const before = own.hits[drum] ?? null;
    const after = given.hits[drum] ? Object.fromEntries(Object.entries(given.hits[drum]).filter(([, h]) => h.frame < own.frames)) : null;
    if (after && !sameJson(before, after)) changes.push({ path: ['hits', drum], before: before as never, after: after as never });
  }
  for (const [drum, t] of Object.entries(given.thresholds)) {
    if (own.thresholds[drum] !== t) changes.push({ path: ['thresholds', drum], before: own.thresholds[drum] ?? null, after: t });
  }
  return { edit: { label, changes }, missing };
}
