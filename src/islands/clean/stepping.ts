/**
 * Going through an unknown mic by ear: from transient to transient, extending a selection, dropping what was passed. Drops are gaps in the plan,
 * shown hatched, undone like everything else.
 */
import { counted } from '../../core/params/format';
import type { Change } from '../../core/plan/edits';
import { listHits } from '../../core/plan/planHits';
import { roleOf } from '../../core/plan/roles';
import { goTo, heardAt } from '../workbench/engine';
import { commit, useBench } from '../workbench/store';
import { scrollView } from './viewMoves';

const { getState: get, setState: set } = useBench;
/** A step back goes to the transient before the one that was just reached, seconds. */
const HERE_S = 0.005;

/** To the next or previous transient of the focused mic; `extend` lets the selection grow from where it began. */
export function step(by: 1 | -1, extend: boolean): void {
  const s = get();
  if (!s.stepping) set({ stepping: true });
  const list = s.preview?.micId === s.focus ? s.preview.transients : undefined;
  if (!list || !s.data) return;
  const here = HERE_S * (s.data.recording.sampleRate ?? 48000);
  const at = heardAt();
  const to = by > 0 ? list.find((f) => f > at + here) : [...list].reverse().find((f) => f < at - here);
  if (to === undefined) return;
  goTo(to);
  if (extend) {
    const was = s.selection;
    const anchor = was && Math.abs(at - was.to) <= here ? was.from : was && Math.abs(at - was.from) <= here ? was.to : at;
    set({ selection: { from: Math.round(Math.min(anchor, to)), to: Math.round(Math.max(anchor, to)) } });
  } else set({ selection: null });
  const { view } = get();
  if (to < view.from || to > view.to) set({ view: scrollView(view, to - (view.from + view.to) / 2, s.data.recording.frames) });
}

/** Selects from here back to the last own hit's end of hold, gap or hit before: what lies between two decisions. */
export function selectBack(): void {
  const { plan, focus } = get();
  if (!plan) return;
  const at = Math.round(heardAt());
  const drum = roleOf(plan.mics[focus].role).drum;
  const edges = [0, ...Object.values(plan.mics[focus].treatment.gaps).map((g) => g.to), ...(drum ? listHits(plan, drum).map((h) => h.frame) : [])].filter((f) => f < at);
  set({ selection: { from: Math.max(...edges), to: at } });
}

const clock = (f: number, rate: number) => (f / rate).toFixed(2);

/** Drops the selection: a gap by hand. */
export function dropSelection(): void {
  const { base, focus, selection } = get();
  if (!base || !selection || selection.to <= selection.from) return;
  const from = Math.max(0, Math.round(selection.from));
  const to = Math.min(base.frames, Math.round(selection.to));
  const id = `${from}-${to}`;
  const before = base.mics[focus].treatment.gaps[id] ?? null;
  if (before) return;
  commit({
    label: `${base.mics[focus].name} dropped ${clock(from, base.sampleRate)} to ${clock(to, base.sampleRate)} s`,
    changes: [{ path: ['mics', focus, 'treatment', 'gaps', id], before: null, after: { from, to } }],
  });
  set({ selection: null });
}

/** Brings back gaps by hand that touch the selection, or the place that is heard where nothing is selected. */
export function bringBack(): void {
  const { base, focus, selection } = get();
  if (!base) return;
  const at = Math.round(heardAt());
  const range = selection ?? { from: at, to: at + 1 };
  const changes = Object.entries(base.mics[focus].treatment.gaps)
    .filter(([, g]) => g.from < range.to && g.to > range.from)
    .map(([id, g]): Change => ({ path: ['mics', focus, 'treatment', 'gaps', id], before: { from: g.from, to: g.to }, after: null }));
  if (changes.length) commit({ label: `${base.mics[focus].name} brought back ${counted(changes.length, 'gap')}`, changes });
}
