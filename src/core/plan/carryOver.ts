/**
 * A treatment carried to sibling mics: settings as they are, levels moved by how much louder or softer the sibling's own strokes are, nothing that a person changed at single
 * slices. With a look at what it comes to before it is done.
 */
import { flagSlices } from '../clean/sliceFlags';
import { GATE_PARAMS } from '../params/gateParams';
import type { NumberParam } from '../params/types';
import { SLICE_PARAMS } from '../params/sliceParams';
import { kindOf } from '../hits/kinds';
import { type Change, type Edit, type Json, applyEdit, sameJson } from './edits';
import { loudForeign, sliceInput, slicesOf } from './live';
import type { Plan, Treatment } from './plan';
import { roleOf } from './roles';

export type Part = 'debleed' | 'gate' | 'slices' | 'tail' | 'parts';

/** Close mics of the same kind of drum, the mic itself left out. */
export function siblings(plan: Plan, micId: string): string[] {
  const drum = roleOf(plan.mics[micId].role).drum;
  if (!drum) return [];
  return plan.order.filter((id) => {
    const d = roleOf(plan.mics[id].role).drum;
    return id !== micId && d !== null && kindOf(d) === kindOf(drum);
  });
}

const within = (p: NumberParam, v: number) => Math.round(Math.min(p.max, Math.max(p.min, v)) * 10) / 10;

/** What a target's treatment becomes. Level thresholds follow the level of the loudest strokes, where both are known. */
export function carried(plan: Plan, from: string, to: string, parts: readonly Part[]): Treatment {
  const [a, b] = [plan.mics[from], plan.mics[to]];
  const louder = a.ring && b.ring ? b.ring.topDb - a.ring.topDb : 0;
  const out = { ...b.treatment } as { -readonly [K in keyof Treatment]: Treatment[K] };
  if (parts.includes('debleed')) out.debleed = a.treatment.debleed;
  if (parts.includes('gate')) {
    const g = a.treatment.gate;
    // a key mic of its own stays that mic's affair
    out.gate = { ...g, keyFrom: g.keyFrom === '' || g.keyFrom === to ? '' : b.treatment.gate.keyFrom, thresholdDb: within(GATE_PARAMS.thresholdDb, g.thresholdDb + louder) };
  }
  if (parts.includes('slices')) {
    const s = a.treatment.slices;
    out.slices = { ...s, openDb: within(SLICE_PARAMS.openDb, s.openDb + louder), closeDb: within(SLICE_PARAMS.closeDb, s.closeDb + louder) };
  }
  if (parts.includes('tail')) out.tail = a.treatment.tail;
  if (parts.includes('parts')) out.parts = a.treatment.parts;
  return out;
}

export interface Outlook {
  readonly micId: string;
  readonly name: string;
  /** By how much thresholds move, dB; null where levels are not known. */
  readonly louderDb: number | null;
  readonly slicesBefore: number;
  readonly slicesAfter: number;
  readonly flags: number;
  readonly changedByHand: number;
  /** Whether anything would change. */
  readonly differs: boolean;
}

export function carryOver(plan: Plan, from: string, targets: readonly string[], parts: readonly Part[]): Edit {
  const changes: Change[] = [];
  for (const id of targets) {
    const [before, after] = [plan.mics[id].treatment, carried(plan, from, id, parts)];
    for (const part of parts) {
      if (!sameJson(before[part], after[part])) changes.push({ path: ['mics', id, 'treatment', part], before: before[part] as unknown as Json, after: after[part] as unknown as Json });
    }
  }
  const names = targets.map((id) => plan.mics[id].name);
  return { label: `${plan.mics[from].name} carried over to ${names.length > 2 ? `${names.length} mics` : names.join(' and ')}`, changes };
}

/** What carrying over comes to, mic by mic. */
export function outlook(plan: Plan, from: string, targets: readonly string[], parts: readonly Part[]): Outlook[] {
  const edit = carryOver(plan, from, targets, parts);
  const next = applyEdit(plan, edit);
  return targets.map((id) => {
    const list = slicesOf(next, id);
    const [a, b] = [plan.mics[from].ring, plan.mics[id].ring];
    return {
      micId: id, name: plan.mics[id].name, louderDb: a && b ? b.topDb - a.topDb : null, slicesBefore: slicesOf(plan, id).length, slicesAfter: list.length,
      flags: flagSlices(sliceInput(next, id), list, loudForeign(next, roleOf(plan.mics[id].role).drum ?? '')).size, changedByHand: Object.keys(plan.mics[id].treatment.sliceEdits).length,
      differs: edit.changes.some((c) => c.path[1] === id),
    };
  });
}
