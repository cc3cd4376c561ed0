/** Edits of slices by hand: every one is tied to hits, so that settings may change underneath. What does not change anything gives an edit without changes. */
import type { Slice, SliceEdit } from '../clean/slices';
import { DEBLEED_PARAMS, type DebleedSettings } from '../params/debleedParams';
import { PARTS_PARAMS, type PartsSettings } from '../params/partsParams';
import { SLICE_PARAMS, type SliceSettings, TAIL_PARAMS, type TailSettings } from '../params/sliceParams';
import { counted, formatParam } from '../params/format';
import type { ParamTable } from '../params/types';
import { type Change, type Edit, type Json, sameJson } from './edits';
import type { Plan } from './plan';

const NAMES = { debleed: 'de-bleed', slices: 'slices', tail: 'tail damping', parts: 'attack and note' } as const;

function editTable(plan: Plan, micId: string, field: keyof typeof NAMES, table: ParamTable, patch: Record<string, unknown>): Edit {
  const mic = plan.mics[micId];
  const now = mic.treatment[field] as Record<string, unknown>;
  const changes: Change[] = [];
  const words: string[] = [];
  for (const [id, after] of Object.entries(patch)) {
    if (sameJson(now[id], after)) continue;
    changes.push({ path: ['mics', micId, 'treatment', field, id], before: now[id] as Json, after: after as Json });
    const p = table[id];
    if (!p) {
      words.push('what is taken out');
      continue;
    }
    const text = (v: unknown) => formatParam(p, v as never, (m) => m);
    words.push(p.kind === 'switch' ? `${p.label.toLowerCase()} ${text(after)}` : `${p.label.toLowerCase()} ${text(now[id])} to ${text(after)}`);
  }
  return { label: words.length > 2 ? `${mic.name} ${NAMES[field]}, ${words.length} settings` : `${mic.name} ${words.join(', ')}`, changes };
}

export const editDebleed = (plan: Plan, micId: string, patch: Partial<DebleedSettings>): Edit => editTable(plan, micId, 'debleed', DEBLEED_PARAMS, patch);
export const editSlices = (plan: Plan, micId: string, patch: Partial<SliceSettings>): Edit => editTable(plan, micId, 'slices', SLICE_PARAMS, patch);
export const editParts = (plan: Plan, micId: string, patch: Partial<PartsSettings>): Edit => editTable(plan, micId, 'parts', PARTS_PARAMS, patch);
export const editTail = (plan: Plan, micId: string, patch: Partial<TailSettings>): Edit => editTable(plan, micId, 'tail', TAIL_PARAMS, patch);


/** Changes of the edits at some hits; an edit with nothing left in it goes. */
function put(plan: Plan, micId: string, patches: ReadonlyMap<string, SliceEdit>): Change[] {
  const now = plan.mics[micId].treatment.sliceEdits;
  return [...patches].flatMap(([id, patch]) => {
    const merged = Object.fromEntries(Object.entries({ ...now[id], ...patch }).filter(([, v]) => v !== undefined && v !== false));
    const after = Object.keys(merged).length ? (merged as Json) : null;
    const before = (now[id] ?? null) as unknown as Json;
    return sameJson(before, after) ? [] : [{ path: ['mics', micId, 'treatment', 'sliceEdits', id], before, after }];
  });
}

const first = (s: Slice) => s.hits[0];
const last = (s: Slice) => s.hits[s.hits.length - 1];
const named = (plan: Plan, micId: string, what: string): string => `${plan.mics[micId].name} ${what}`;

export type EdgeMove = { by: number } | { to: number };

/**
 * Moves the same edge of slices: all by the same number of frames, or to the same distance from the attack (`to`, in frames: before the first one for starts, after the
 * last one for ends).
 */
export function moveEdges(plan: Plan, micId: string, slices: readonly Slice[], edge: 'from' | 'to', move: EdgeMove): Edit {
  const patches = new Map<string, SliceEdit>();
  for (const s of slices) {
    if (edge === 'from') patches.set(first(s).id, { from: Math.round('by' in move ? s.from - first(s).frame + move.by : -move.to) });
    else patches.set(last(s).id, { to: Math.round('by' in move ? s.to - last(s).frame + move.by : move.to) });
  }
  return { label: named(plan, micId, `${edge === 'from' ? 'start' : 'end'} of ${counted(slices.length, 'slice')}`), changes: put(plan, micId, patches) };
}

/** Gives slices a fade of so many frames, or a curve. */
export function setFades(plan: Plan, micId: string, slices: readonly Slice[], patch: Pick<SliceEdit, 'fadeIn' | 'fadeOut' | 'fadeInCurve' | 'fadeOutCurve'>): Edit {
  const patches = new Map<string, SliceEdit>();
  const add = (id: string, e: SliceEdit) => patches.set(id, { ...patches.get(id), ...e });
  for (const s of slices) {
    const { fadeIn, fadeInCurve, fadeOut, fadeOutCurve } = patch;
    if (fadeIn !== undefined) add(first(s).id, { fadeIn: Math.max(0, Math.round(fadeIn)) });
    if (fadeInCurve !== undefined) add(first(s).id, { fadeInCurve });
    if (fadeOut !== undefined) add(last(s).id, { fadeOut: Math.max(0, Math.round(fadeOut)) });
    if (fadeOutCurve !== undefined) add(last(s).id, { fadeOutCurve });
  }
  return { label: named(plan, micId, `fade of ${counted(slices.length, 'slice')}`), changes: put(plan, micId, patches) };
}

/** Drops slices; their hits stay hits. */
export function dropSlices(plan: Plan, micId: string, slices: readonly Slice[]): Edit {
  const patches = new Map<string, SliceEdit>(slices.flatMap((s) => s.hits.map((h) => [h.id, { dropped: true }] as const)));
  const kept = plan.mics[micId].treatment.sliceEdits;
  // a stretch kept by hand is simply gone
  const changes = put(plan, micId, patches).map((c) => (kept[c.path[4]]?.at !== undefined ? { ...c, after: null } : c));
  return { label: named(plan, micId, `dropped ${counted(slices.length, 'slice')}`), changes };
}

/** Joins slices with those before them: all but the first of each run. */
export function joinSlices(plan: Plan, micId: string, slices: readonly Slice[]): Edit {
  const patches = new Map<string, SliceEdit>();
  for (const [i, s] of slices.entries()) {
    if (i === 0) continue;
    patches.set(first(s).id, { join: true, split: undefined });
    // an end given by hand would part them again
    patches.set(last(slices[i - 1]).id, { ...patches.get(last(slices[i - 1]).id), to: undefined });
  }
  return { label: named(plan, micId, `joined ${counted(slices.length, 'slice')}`), changes: put(plan, micId, patches) };
}

/** Cuts a slice at a frame: before the next hit in it, or, where none comes, into what is kept and a stretch kept by hand. */
export function splitSlice(plan: Plan, micId: string, s: Slice, at: number): Edit {
  const frame = Math.round(at);
  const patches = new Map<string, SliceEdit>();
  const next = s.hits.find((h) => h.frame > frame);
  const before = [...s.hits].reverse().find((h) => h.frame <= frame);
  if (next) patches.set(next.id, { split: true, join: undefined, from: frame - next.frame });
  else patches.set(`kept-${frame}`, { at: frame, lasts: s.to - frame, split: true, from: 0 });
  if (before) patches.set(before.id, { to: frame - before.frame });
  return { label: named(plan, micId, `cut at ${(frame / plan.sampleRate).toFixed(3)} s`), changes: put(plan, micId, patches) };
}

/** Keeps a stretch where no slice is. */
export function keepStretch(plan: Plan, micId: string, from: number, to: number): Edit {
  const at = Math.round(from);
  return { label: named(plan, micId, `kept ${(at / plan.sampleRate).toFixed(2)} to ${(to / plan.sampleRate).toFixed(2)} s`), changes: put(plan, micId, new Map([[`kept-${at}`, { at, lasts: Math.round(to - from) }]])) };
}

/** Takes back what was changed by hand at some hits, or everywhere. */
export function resetSlices(plan: Plan, micId: string, hits: readonly string[] | null): Edit {
  const now = plan.mics[micId].treatment.sliceEdits;
  const ids = (hits ?? Object.keys(now)).filter((id) => now[id]);
  return {
    label: named(plan, micId, hits ? `slices as derived at ${counted(ids.length, 'hit')}` : 'every slice as derived'),
    changes: ids.map((id) => ({ path: ['mics', micId, 'treatment', 'sliceEdits', id], before: now[id] as unknown as Json, after: null })),
  };
}
