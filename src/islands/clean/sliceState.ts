/** What hands do to slices of the focused mic: on the waveform, in tiles, by keys and from the panel. */
import type { Slice, SliceHit } from '../../core/clean/slices';
import type { SliceSettings } from '../../core/params/sliceParams';
import { toast } from 'sonner';
import { type Part, carried, carryOver } from '../../core/plan/carryOver';
import { type Edit, type Json, rebaseEdit, sameJson } from '../../core/plan/edits';
import { type Likeness, likeSlices } from '../../core/plan/likeSlices';
import { loudForeign, sliceInput, slicesOf } from '../../core/plan/live';
import { isDoubtful, thresholdOf } from '../../core/plan/planHits';
import type { Plan } from '../../core/plan/plan';
import { roleOf } from '../../core/plan/roles';
import { type EdgeMove, dropSlices, editSlices, joinSlices, keepStretch, moveEdges, resetSlices, setFades, splitSlice } from '../../core/plan/sliceEdits';
import { type SliceFlag, flagSlices } from '../../core/clean/sliceFlags';
import { askMarks, heardAt } from '../workbench/engine';
import { commit, dropGesture, endGesture, sketch, useBench } from '../workbench/store';

const { getState: get, setState: set } = useBench;

/** Slices that a move of `slice` takes along: the selected ones where it is one of them. */
export function together(plan: Plan, micId: string, slice: Slice): Slice[] {
  const { slices } = get();
  return slices.has(slice.id) ? slicesOf(plan, micId).filter((s) => slices.has(s.id)) : [slice];
}

export const selectedSlices = (): Slice[] => {
  const { base, focus, slices } = get();
  return base ? slicesOf(base, focus).filter((s) => slices.has(s.id)) : [];
};

/** The selected slices, or the one at the heard place. */
function atHand(): Slice[] {
  const picked = selectedSlices();
  if (picked.length) return picked;
  const { base, focus } = get();
  const at = heardAt();
  return base ? slicesOf(base, focus).filter((s) => s.from <= at && at < s.to) : [];
}

export function pickSlice(id: string, add: boolean): void {
  const now = get().slices;
  const next = new Set(add ? now : []);
  if (now.has(id) && (add || now.size === 1)) next.delete(id);
  else next.add(id);
  set({ slices: next });
}

export function pickAll(): void {
  const { plan, focus } = get();
  if (plan) set({ slices: new Set(slicesOf(plan, focus).map((s) => s.id)) });
}

/** Slices that lie in the selection, else in the loop, with any part of them. */
export function pickInLoop(): void {
  const { plan, focus, selection, loop } = get();
  const range = selection ?? loop;
  if (plan && range) set({ slices: new Set(slicesOf(plan, focus).filter((s) => s.from < range.to && s.to > range.from).map((s) => s.id)) });
}

/** Selects the slices that are like the first selected one, or like the one at the heard place. */
export function pickLike(how: Likeness): void {
  const { plan, focus } = get();
  const [first] = atHand();
  if (plan && first) set({ slices: new Set(likeSlices(plan, focus, first, how).map((s) => s.id)) });
}

export function sketchEdge(slice: Slice, edge: 'from' | 'to', move: EdgeMove): void {
  sketch((base) => moveEdges(base, get().focus, together(base, get().focus, slice), edge, move));
}

export function sketchFade(slice: Slice, which: 'fadeIn' | 'fadeOut', frames: number): void {
  sketch((base) => setFades(base, get().focus, together(base, get().focus, slice), { [which]: frames }));
}

export function nudge(edge: 'from' | 'to', ms: number): void {
  const { base, focus } = get();
  const list = atHand();
  if (base && list.length) commit(moveEdges(base, focus, list, edge, { by: Math.round((ms / 1000) * base.sampleRate) }));
}

export function drop(): boolean {
  const { base, focus } = get();
  const list = selectedSlices();
  if (!base || !list.length) return false;
  commit(dropSlices(base, focus, list));
  set({ slices: new Set() });
  return true;
}

export function join(): void {
  const { base, focus } = get();
  const list = selectedSlices();
  if (base && list.length > 1) commit(joinSlices(base, focus, list));
}

/** Cuts the slice at the heard place. */
export function cutHere(): void {
  const { base, focus } = get();
  const at = Math.round(heardAt());
  const s = base && slicesOf(base, focus).find((x) => x.from < at && at < x.to);
  if (base && s) commit(splitSlice(base, focus, s, at));
}

/** Keeps the selected stretch of the waveform as a slice. */
export function keepSelection(): void {
  const { base, focus, selection } = get();
  if (base && selection && selection.to > selection.from) {
    commit(keepStretch(base, focus, selection.from, selection.to));
    set({ selection: null });
  }
}

export function reset(all: boolean): void {
  const { base, focus } = get();
  if (!base) return;
  const hits = all ? null : atHand().flatMap((s) => s.hits.map((h) => h.id));
  const edit = resetSlices(base, focus, hits);
  if (edit.changes.length) commit(edit);
}

/** Brings back what was dropped by hand at these hits. */
export function bringBackHits(ids: readonly string[]): void {
  const { base, focus } = get();
  if (base) commit(resetSlices(base, focus, ids));
}

const LEVEL_KEYS = ['openDb', 'closeDb', 'cutBy'] as const;
const needsMarks = (now: SliceSettings, patch: Partial<SliceSettings>) => (patch.cutBy ?? now.cutBy) === 'level' && LEVEL_KEYS.some((k) => k in patch);

/** The edit of a mic's slice settings; where a level cuts, with the marks that the audio has at it. */
async function levelEdit(base: Plan, micId: string, patch: Partial<SliceSettings>): Promise<Edit> {
  const edit = editSlices(base, micId, patch);
  const next = { ...base.mics[micId].treatment.slices, ...patch };
  return withMarks(base, micId, edit, await askMarks(micId, next.openDb, next.closeDb));
}

const withMarks = (base: Plan, micId: string, edit: Edit, marks: [number, number][]): Edit => {
  const before = base.mics[micId].treatment.marks;
  return sameJson(before, marks) ? edit : { ...edit, changes: [...edit.changes, { path: ['mics', micId, 'treatment', 'marks'], before: before as unknown as Json, after: marks }] };
};

const failed = (e: unknown) => {
  dropGesture();
  toast.error('The mic cannot be read', { description: `${e instanceof Error ? e.message : String(e)}. Its slices stay as they were; try again once the server answers.` });
};

/** The newest move of a level: older answers count no more, and letting go waits for it. */
let moving: { turn: number; done: Promise<void> } = { turn: 0, done: Promise.resolve() };

/** Shows settings of slices while a hand moves them. */
export function moveSlices(patch: Partial<SliceSettings>): void {
  const { base, focus } = get();
  if (!base) return;
  if (!needsMarks(base.mics[focus].treatment.slices, patch)) {
    sketch((b) => editSlices(b, focus, patch));
    return;
  }
  const turn = moving.turn + 1;
  const done = levelEdit(base, focus, patch).then((edit) => {
    if (moving.turn === turn && get().base === base && get().focus === focus) sketch(() => edit);
  }, failed);
  moving = { turn, done };
}

/** The hand lets go: one step, with the marks of where it stands. */
export function settleSlices(): void {
  void moving.done.then(endGesture);
}

/** Sets settings of slices at once. */
export function putSlices(patch: Partial<SliceSettings>): void {
  moveSlices(patch);
  const { base, focus } = get();
  if (base && needsMarks(base.mics[focus].treatment.slices, patch)) settleSlices();
  else endGesture();
}

/** Carries the focused mic's treatment to others, marks of their own made where a level cuts. */
export async function carryTo(targets: readonly string[], parts: readonly Part[]): Promise<void> {
  const { base, focus } = get();
  if (!base) return;
  let edit = carryOver(base, focus, targets, parts);
  try {
    if (parts.includes('slices') && base.mics[focus].treatment.slices.cutBy === 'level') {
      for (const id of targets) {
        const { openDb, closeDb } = carried(base, focus, id, parts).slices;
        edit = withMarks(base, id, edit, await askMarks(id, openDb, closeDb));
      }
    }
    if (get().base === base) commit(edit);
    else commit(rebaseEdit(get().base as Plan, edit));
  } catch (e) {
    failed(e);
  }
}

/** One picture for every hit that may make a slice, dropped ones too. */
export interface Tile {
  readonly hit: SliceHit;
  readonly slice: Slice | null;
  readonly dropped: boolean;
  readonly flags: readonly SliceFlag[];
  /** 0..1; 1 where a person decided, 0 where the level made the slice and no hit. */
  readonly certainty: number;
  readonly doubtful: boolean;
}

export function tilesOf(plan: Plan, micId: string): Tile[] {
  const input = sliceInput(plan, micId);
  const slices = slicesOf(plan, micId);
  const drum = roleOf(plan.mics[micId].role).drum ?? '';
  const threshold = thresholdOf(plan, drum);
  const mine = plan.hits[drum] ?? {};
  const certainty = (id: string) => (mine[id] === undefined ? 0 : mine[id].state === 'found' ? mine[id].certainty : 1);
  const doubtful = new Set(Object.entries(mine).filter(([, h]) => isDoubtful(h, threshold)).map(([id]) => id));
  const flags = flagSlices(input, slices, loudForeign(plan, drum), doubtful);
  const of = new Map(slices.flatMap((s) => s.hits.map((h) => [h.id, s] as const)));
  const hits = [...input.own, ...slices.flatMap((s) => s.hits.filter((h) => h.until !== undefined && !input.own.some((o) => o.id === h.id)))].sort((a, b) => a.frame - b.frame);
  return hits.map((hit) => {
    const slice = of.get(hit.id) ?? null;
    return { hit, slice, dropped: input.edits[hit.id]?.dropped ?? false, flags: slice ? (flags.get(slice.id) ?? []) : [], certainty: certainty(hit.id), doubtful: doubtful.has(hit.id) };
  });
}
