/**
 * Edits: every change of a plan carries both its sides, so that undo, redo, history and saving are one mechanism. An edit is a list
 * of values set at paths; applying checks that the "before" side still holds.
 */
import { FreshGapError } from '../errors';
import { formatParam } from '../params/format';
import { GATE_PARAMS, type GateSettings } from '../params/gateParams';
import type { Plan } from './plan';
import { roleOf } from './roles';

export type Json = string | number | boolean | null | readonly Json[] | { readonly [key: string]: Json };

export interface Change {
  readonly path: readonly string[];
  readonly before: Json;
  readonly after: Json;
}

export interface Edit {
  /** What a person did, in words: "Tom 1 threshold −24 to −30 dB". */
  readonly label: string;
  readonly changes: readonly Change[];
}

/** Deep equality of plain data. */
export function sameJson(a: unknown, b: unknown): boolean {
  if (a === b) return true;
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return false;
  const ka = Object.keys(a);
  return ka.length === Object.keys(b).length && ka.every((k) => sameJson((a as never)[k], (b as never)[k]));
}

/** Places where things come and go by key: null stands for "not there". */
const isKeyed = (path: readonly string[]) => (path[0] === 'hits' && (path.length === 2 || path.length === 3)) || (path[0] === 'thresholds' && path.length === 2) || ((path[3] === 'gaps' || path[3] === 'sliceEdits' || path[3] === 'closings') && path.length === 5);

function setKey(node: unknown, path: readonly string[], change: Change): unknown {
  const key = path[path.length - 1];
  const have = (node ?? {}) as Record<string, unknown>;
  const now = Object.hasOwn(have, key) ? have[key] : null;
  if (!sameJson(now, change.before)) throw new FreshGapError('EDIT_CONFLICT', `The plan holds another value at ${path.join('.')}.`, { path });
  if (change.after !== null) return { ...have, [key]: change.after };
  const { [key]: _gone, ...rest } = have;
  return rest;
}

function setAt(node: unknown, path: readonly string[], i: number, change: Change): unknown {
  if (i === path.length - 1 && isKeyed(path)) return setKey(node, path, change);
  if (i === path.length) {
    if (!sameJson(node, change.before)) throw new FreshGapError('EDIT_CONFLICT', `The plan holds another value at ${path.join('.')}.`, { path });
    return change.after;
  }
  // the first hit of a drum brings the drum's list with it
  if (path[0] === 'hits' && i === 1 && typeof node === 'object' && node !== null && !Object.hasOwn(node, path[1])) return { ...node, [path[1]]: setAt({}, path, 2, change) };
  if (typeof node !== 'object' || node === null || Array.isArray(node) || !Object.hasOwn(node, path[i])) {
    throw new FreshGapError('EDIT_CONFLICT', `The plan has nothing at ${path.join('.')}.`, { path });
  }
  const key = path[i];
  return { ...node, [key]: setAt((node as Record<string, unknown>)[key], path, i + 1, change) };
}

/** The plan after an edit. Throws EDIT_CONFLICT where a "before" side does not hold; the given plan is never changed. */
export function applyEdit(plan: Plan, edit: Edit): Plan {
  return edit.changes.reduce((p, c) => setAt(p, c.path, 0, c) as Plan, plan);
}

/** The edit that takes another one back. */
export function invertEdit(edit: Edit): Edit {
  return { label: edit.label, changes: [...edit.changes].reverse().map((c) => ({ path: c.path, before: c.after, after: c.before })) };
}

/** What the plan holds at a path, or undefined. */
export function valueAt(plan: Plan, path: readonly string[]): Json | undefined {
  return path.reduce<unknown>((node, key) => (typeof node === 'object' && node !== null ? (node as Record<string, unknown>)[key] : undefined), plan) as Json | undefined;
}

/** The same wishes on another state of the plan: "after" sides kept, "before" sides read anew; places that are gone are left out. */
export function rebaseEdit(plan: Plan, edit: Edit): Edit {
  const changes = edit.changes.flatMap((c) => {
    const before = valueAt(plan, c.path) ?? (isKeyed(c.path) ? null : undefined);
    return before === undefined || sameJson(before, c.after) ? [] : [{ path: c.path, before, after: c.after }];
  });
  return { label: edit.label, changes };
}

/** Whether a state of the plan has everywhere what the edit was made on. */
export function isUpToDate(plan: Plan, edit: Edit): boolean {
  return edit.changes.every((c) => sameJson(valueAt(plan, c.path) ?? (isKeyed(c.path) ? null : undefined), c.before));
}

/** Joins two edits of one gesture: the first "before" with the last "after" at each path; values that came back drop out. */
export function mergeEdits(first: Edit, second: Edit): Edit {
  const changes = [...first.changes];
  for (const c of second.changes) {
    const i = changes.findIndex((x) => sameJson(x.path, c.path));
    if (i >= 0) changes[i] = { path: c.path, before: changes[i].before, after: c.after };
    else changes.push(c);
  }
  return { label: second.label, changes: changes.filter((c) => !sameJson(c.before, c.after)) };
}

const unitOf = (text: string) => /\s(dB|ms|s|Hz|kHz)$/.exec(text)?.[1] ?? '';

/** "−24 to −30 dB": both values, the unit once where it is the same. */
function fromTo(before: string, after: string): string {
  const u = unitOf(before);
  return u && u === unitOf(after) ? `${before.slice(0, -u.length - 1)} to ${after}` : `${before} to ${after}`;
}

/** An edit of some gate settings of one mic, named after what changed. */
export function editGate(plan: Plan, micId: string, patch: Partial<GateSettings>): Edit {
  const mic = plan.mics[micId];
  const gate = mic.treatment.gate;
  const changes: Change[] = [];
  const words: string[] = [];
  for (const [id, after] of Object.entries(patch)) {
    const key = id as keyof GateSettings;
    if (sameJson(gate[key], after)) continue;
    changes.push({ path: ['mics', micId, 'treatment', 'gate', id], before: gate[key], after: after as Json });
    const p = GATE_PARAMS[key];
    const text = (v: unknown) => formatParam(p, v, (m) => plan.mics[m]?.name ?? m);
    words.push(p.kind === 'switch' ? `${p.label.toLowerCase()} ${text(after)}` : `${p.label.toLowerCase()} ${fromTo(text(gate[key]), text(after))}`);
  }
  return { label: words.length > 2 ? `${mic.name} gate, ${words.length} settings` : `${mic.name} ${words.join(', ')}`, changes };
}

/** An edit of a mic's name, role, level or pan in the kit. */
export function editMic(plan: Plan, micId: string, patch: { name?: string; role?: string; levelDb?: number; pan?: number }): Edit {
  const mic = plan.mics[micId];
  const changes: Change[] = [];
  const words: string[] = [];
  const put = (path: string[], before: Json, after: Json | undefined, text: string) => {
    if (after === undefined || sameJson(before, after)) return;
    changes.push({ path: ['mics', micId, ...path], before, after });
    words.push(text);
  };
  const db = (v: number) => `${v < 0 ? '−' : ''}${Math.abs(v).toFixed(1)}`;
  put(['name'], mic.name, patch.name, `renamed ${patch.name}`);
  put(['role'], mic.role, patch.role, `is ${roleOf(patch.role ?? '').label}`);
  put(['mix', 'levelDb'], mic.mix.levelDb, patch.levelDb, `level ${db(mic.mix.levelDb)} to ${db(patch.levelDb ?? 0)} dB`);
  put(['mix', 'pan'], mic.mix.pan, patch.pan, 'pan');
  return { label: `${mic.name} ${words.join(', ')}`, changes };
}
