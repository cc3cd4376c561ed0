/**
 * State of the open recording. Three scopes: the plan (saved, undoable), the view (zoom, focus, what is heard) and what is derived.
 * Every change of the plan is an edit: shown at once, saved in order; a gesture is one edit however many moves it makes.
 */
import { create } from 'zustand';
import { FreshGapError } from '../../core/errors';
import { type Edit, applyEdit, isUpToDate, mergeEdits, rebaseEdit } from '../../core/plan/edits';
import type { HearPart } from '../../core/clean/partsStage';
import type { Plan, PlanMic } from '../../core/plan/plan';
import type { Listen, Loop } from '../../engine/protocol';
import type { PreviewResult } from '../../engine/previewProtocol';
import type { PlanState } from '../../server/sql/plans';
import type { AnalysisView } from '../../server/analysis';
import type { DebleedView } from '../../server/debleed';
import type { Workbench } from '../../server/workbench';
import { OfflineError, request } from '../shared/api';

export interface View {
  from: number;
  to: number;
}

/** What the worker told of the focused mic. */
export interface Preview extends Omit<PreviewResult, 'type' | 'id'> {
  micId: string;
  /** Grows with every new result. */
  turn: number;
}

export interface Working {
  /** The kind of job. */
  readonly job: string;
  /** 0..1. */
  readonly progress: number;
}

export interface Bench {
  id: string;
  data: Workbench | null;
  error: unknown;
  /** As shown: with the gesture that is under way. */
  plan: Plan | null;
  /** As decided: what has been sent or waits to be. */
  base: Plan | null;
  gesture: Edit | null;
  revision: number;
  undo: string | null;
  redo: string | null;
  saving: 'saved' | 'saving' | 'offline';

  focus: string;
  view: View;
  loop: Loop | null;
  loopOn: boolean;
  listen: Listen;
  alone: boolean;
  keyListen: boolean;
  /** Of the focused mic: both parts, or one alone. */
  hearPart: HearPart;
  /** While the map is looked at: the focused mic with nothing done to it, or only de-bled. */
  spillOf: 'planned' | 'with' | 'without';
  solo: ReadonlySet<string>;
  muted: ReadonlySet<string>;
  monitorDb: number;
  /** Whether one mic alone sounds as loud after as before; and how much louder each is made for that, dB, of the mic named. */
  equal: boolean;
  louder: { readonly micId: string; readonly db: Record<Listen, number> } | null;
  /** The same of the whole kit, by what was heard of it. */
  kitLouder: Record<Listen, number> | null;
  waveScale: 'lifted' | 'even';
  /** Whether the focused mic is seen as a spectrogram. */
  spectrum: boolean;
  playing: boolean;
  buffering: boolean;

  /** The chosen hit, and several selected ones as "drum/id". */
  hit: { drum: string; id: string } | null;
  picked: ReadonlySet<string>;
  /** A stretch of the focused mic, frames. */
  selection: { from: number; to: number } | null;
  /** What the settings beside the waveform are of. */
  panel: 'debleed' | 'gate' | 'slices' | 'tail' | 'parts';
  /** Ids of selected slices of the focused mic. */
  slices: ReadonlySet<string>;
  tiles: boolean;
  /** Every drum's hits over the waveform. */
  lanes: boolean;
  /** Whether carrying over is being looked at. */
  carrying: boolean;
  /** Width of the waveform, CSS pixels. */
  waveWidth: number;
  /** Whether transients are wanted: someone stepped. */
  stepping: boolean;
  analysis: AnalysisView | null;
  debleed: DebleedView | null;
  /** What the server works on for this recording, by job. */
  working: Readonly<Record<string, Working>>;
  /** Treatments are to be proposed when de-bleed is computed. */
  proposing: boolean;

  preview: Preview | null;
  previewLoading: number | null;
}

export const useBench = create<Bench>(() => ({
  id: '', data: null, error: null, plan: null, base: null, gesture: null, revision: 0, undo: null, redo: null, saving: 'saved',
  focus: '', view: { from: 0, to: 1 }, loop: null, loopOn: false, listen: 'after', alone: true, keyListen: false, hearPart: 'both', spillOf: 'planned', solo: new Set(), muted: new Set(),
  monitorDb: -6, equal: false, louder: null, kitLouder: null, waveScale: 'lifted', spectrum: false, playing: false, buffering: false, hit: null, picked: new Set(), selection: null, panel: 'gate', slices: new Set(), tiles: false, lanes: true, carrying: false, waveWidth: 0, stepping: false, analysis: null, debleed: null, working: {}, proposing: false, preview: null, previewLoading: null,
}));

const { getState: get, setState: set } = useBench;

/** This page among several that may be open on the recording. */
export const CLIENT = Math.random().toString(36).slice(2, 12);

export type Notify = (kind: 'stale' | 'updated' | 'failed', detail: { edit?: Edit; error?: unknown }) => void;
let notify: Notify = () => {};
export const onNotify = (n: Notify): void => {
  notify = n;
};

export const focusedMic = (s: Bench): PlanMic | null => s.plan?.mics[s.focus] ?? null;

function adopt(state: PlanState) {
  set({ plan: state.plan, base: state.plan, gesture: null, revision: state.revision, undo: state.undo, redo: state.redo });
}

// ---- opening -----------------------------------------------------------------------------------------------------------------

const viewKey = (id: string) => `fresh-gap.view.${id}`;

/** The settings shown first: of what cuts a mic where something does. */
export function panelOf(mic: PlanMic | undefined): Bench['panel'] {
  const t = mic?.treatment;
  return t && !t.gate.on && t.slices.on ? 'slices' : t && !t.gate.on && t.debleed.on ? 'debleed' : 'gate';
}

export async function openBench(id: string): Promise<void> {
  try {
    const data = await request<Workbench>('GET', `/api/recordings/${id}`);
    const first = get().data === null;
    set({ id, data, error: null });
    if (data.state) adopt(data.state);
    else set({ plan: null, base: null });
    if (first) {
      let saved: Partial<Pick<Bench, 'focus' | 'view' | 'loop' | 'loopOn' | 'alone' | 'waveScale' | 'spectrum' | 'panel' | 'lanes'>> = {};
      try {
        saved = JSON.parse(sessionStorage.getItem(viewKey(id)) ?? '{}');
      } catch {
        saved = {};
      }
      const order = data.state?.plan.order ?? [];
      const tom = order.find((m) => data.state?.plan.mics[m].role.startsWith('tom'));
      const focus = saved.focus ?? tom ?? order[0] ?? '';
      set({ view: { from: 0, to: Math.max(1, data.recording.frames) }, focus, panel: panelOf(data.state?.plan.mics[focus]), ...saved });
    }
    const { plan, focus, data: now } = get();
    if (plan && !plan.mics[focus]) set({ focus: plan.order[0] ?? '' });
    const frames = now?.recording.frames ?? 1;
    const v = get().view;
    if (v.to > frames || v.to <= v.from) set({ view: { from: 0, to: Math.max(1, frames) } });
  } catch (error) {
    set({ error });
  }
}

useBench.subscribe((s, old) => {
  // what was selected was of another mic
  if (s.focus !== old.focus && (s.slices.size || s.selection || s.hearPart !== 'both')) set({ slices: new Set(), selection: null, hearPart: 'both' });
  if (s.data && (s.focus !== old.focus || s.view !== old.view || s.loop !== old.loop || s.loopOn !== old.loopOn || s.alone !== old.alone || s.waveScale !== old.waveScale || s.spectrum !== old.spectrum || s.panel !== old.panel || s.lanes !== old.lanes)) {
    const { focus, view, loop, loopOn, alone, waveScale, spectrum, panel, lanes } = s;
    sessionStorage.setItem(viewKey(s.id), JSON.stringify({ focus, view, loop, loopOn, alone, waveScale, spectrum, panel, lanes }));
  }
});

// ---- saving ------------------------------------------------------------------------------------------------------------------

type Step = { kind: 'do'; edit: Edit } | { kind: 'undo' } | { kind: 'redo' };
const queue: Step[] = [];
let sending = false;
const RETRY_MS = 2000;
const NOTHING_THERE: ReadonlySet<string> = new Set(['NOTHING_TO_UNDO', 'NOTHING_TO_REDO']);

async function send() {
  if (sending) return;
  sending = true;
  let newest: PlanState | null = null;
  while (queue.length) {
    set({ saving: get().saving === 'offline' ? 'offline' : 'saving' });
    const step = queue[0];
    try {
      const state = await request<PlanState>('POST', `/api/recordings/${get().id}/steps`, { revision: get().revision, step, client: CLIENT });
      queue.shift();
      newest = state;
      if (queue.length === 0 && !get().gesture) adopt(state);
      else set({ revision: state.revision });
      set({ saving: queue.length ? 'saving' : 'saved' });
    } catch (e) {
      if (e instanceof OfflineError) {
        // kept in the queue, tried again until the server is back
        set({ saving: 'offline' });
        await new Promise((done) => setTimeout(done, RETRY_MS));
        continue;
      }
      // a key held too long: it changed nothing, and what was done after it counts
      if (e instanceof FreshGapError && NOTHING_THERE.has(e.code)) {
        queue.shift();
        if (queue.length === 0 && newest && !get().gesture) adopt(newest);
        set({ saving: queue.length ? 'saving' : 'saved' });
        continue;
      }
      const lost = queue.splice(0);
      const edits = lost.flatMap((s) => (s.kind === 'do' ? [s.edit] : []));
      await openBench(get().id);
      set({ saving: 'saved', gesture: null });
      const stale = e instanceof FreshGapError && e.code === 'PLAN_STALE';
      const edit = edits.length ? edits.reduce(mergeEdits) : undefined;
      const { base } = get();
      // nobody else touched what was changed here: both stand
      if (stale && edit && base && edit.changes.length > 0 && lost.length === edits.length && isUpToDate(base, edit)) {
        commit(edit);
        notify('updated', {});
        continue;
      }
      notify(stale ? 'stale' : 'failed', { edit, error: e });
    }
  }
  sending = false;
}

/** Decides an edit: shown, saved, undoable. Empty ones do nothing. */
export function commit(edit: Edit): void {
  const { base } = get();
  if (!base || edit.changes.length === 0) return;
  const next = applyEdit(base, edit);
  set({ base: next, plan: next, gesture: null, undo: edit.label, redo: null });
  queue.push({ kind: 'do', edit });
  void send();
}

/** Shows an edit while a hand is still moving; `make` gets the plan as it was before the gesture. */
export function sketch(make: (base: Plan) => Edit): void {
  const { base } = get();
  if (!base) return;
  const edit = make(base);
  set({ gesture: edit, plan: applyEdit(base, edit) });
}

/** The hand lets go: the gesture becomes one edit. */
export function endGesture(): void {
  const { gesture, base } = get();
  if (!gesture) return;
  set({ gesture: null, plan: base });
  commit(gesture);
}

/** The gesture is given up (Escape). */
export function dropGesture(): void {
  set((s) => ({ gesture: null, plan: s.base }));
}

export function undo(): void {
  if (!get().undo && queue.length === 0) return;
  queue.push({ kind: 'undo' });
  void send();
}

export function redo(): void {
  if (!get().redo && queue.length === 0) return;
  queue.push({ kind: 'redo' });
  void send();
}

/** An edit that was refused as stale, once more on the newer plan. */
export function applyAgain(edit: Edit): void {
  const { base } = get();
  if (base) commit(rebaseEdit(base, edit));
}

export const hasUnsaved = (): boolean => queue.length > 0 || sending;

/** Resolves when no gesture is under way and every change made so far is saved. */
export async function whenSaved(): Promise<void> {
  while (hasUnsaved() || get().gesture) await new Promise((done) => setTimeout(done, BUSY_MS));
}
const BUSY_MS = 100;

/** Who changes plans beside pages. */
const JOBS: ReadonlySet<string> = new Set(['analysis', 'debleed']);

/** Takes in what a job tells: it is listed as long as it runs. Only Hits shows why finding hits failed, so that is told wherever one is. */
export function noteJob(n: { jobId: string; job: string; state: string; progress: number }): void {
  const { [n.jobId]: _, ...others } = get().working;
  set({ working: n.state === 'running' ? { ...others, [n.jobId]: { job: n.job, progress: n.progress } } : others });
  if (n.job === 'analysis' && n.state === 'failed') notify('failed', { error: new FreshGapError('ANALYSIS_FAILED', 'Listening to the mics ended early.') });
}

/** Listens to what other pages and jobs do with this recording; returns how to stop. */
export function followEvents(id: string, onJob: () => void): () => void {
  const source = new EventSource(`/bulk/recordings/${id}/events`);
  let lost = false;
  source.onmessage = (e) => {
    const n = JSON.parse(e.data) as { kind: string; revision?: number; client?: string } | ({ kind: 'job' } & Parameters<typeof noteJob>[0]);
    if (n.kind === 'hello' && lost) {
      lost = false;
      // what ended meanwhile was not told
      set({ working: {} });
      if (!hasUnsaved()) void openBench(id);
    }
    if ('jobId' in n) {
      noteJob(n);
      onJob();
      return;
    }
    if (n.kind === 'files') void openBench(id);
    if (n.kind === 'plan' && n.client !== CLIENT && (n.revision ?? 0) > get().revision) {
      // with changes of our own on the way the server will refuse the stale ones and say so
      if (hasUnsaved() || get().gesture) return;
      void openBench(id).then(() => {
        // what our own jobs found is no surprise
        if (!JOBS.has(n.client ?? '')) notify('updated', {});
      });
    }
  };
  source.onerror = () => {
    lost = true;
  };
  return () => source.close();
}
