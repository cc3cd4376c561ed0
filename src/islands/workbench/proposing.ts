/** What the program proposes for mics that are untouched: at once with what is there, or once de-bleed of the song is computed, which gives most of it. */
import { toast } from 'sonner';
import type { Edit } from '../../core/plan/edits';
import { type Plan, isUntouched } from '../../core/plan/plan';
import { proposePlan } from '../../core/plan/propose';
import { roleOf } from '../../core/plan/roles';
import { askDebleed, loadDebleed } from '../clean/DebleedJob';
import { type Bench, commit, openBench, panelOf, useBench, whenSaved } from './store';

const { getState: get, setState: set } = useBench;

type Debled = Readonly<Record<string, { readonly share: number; readonly stretch?: unknown }>>;

/** Whether de-bleed of the whole song is there, not of a stretch alone. */
export const hasDebleed = (debled: Debled = {}): boolean => Object.values(debled).some((d) => !d.stretch);

/** Proposed treatments for mics that are untouched; nothing changes where none is left to propose. */
export function proposalFor(base: Plan, debled: Debled = {}): Edit {
  return proposePlan(base, isUntouched, new Set(Object.entries(debled).flatMap(([id, d]) => (d.share > 0 && !d.stretch ? [id] : []))));
}

/** Whether something would be proposed, if need be once de-bleed is computed: as if it had something for every mic then. */
export function offersProposal(base: Plan, debled: Debled = {}): boolean {
  const known = hasDebleed(debled) ? debled : Object.fromEntries(base.order.map((id) => [id, { share: roleOf(base.mics[id].role).group === 'close' ? 1 : 0 }]));
  return proposalFor(base, known).changes.length > 0;
}

const waitsKey = (id: string) => `fresh-gap.proposes.${id}`;
/** Lets another page of the recording wait. */
let leave: (() => void) | null = null;

/** Notes in this browser that a proposal waits for de-bleed, or no longer does: who closes the page and comes back finds it waiting, or done. */
function waits(on: boolean): void {
  const { id } = get();
  set({ proposing: on });
  if (on) {
    localStorage.setItem(waitsKey(id), 'yes');
    if (!leave) void navigator.locks.request(waitsKey(id), { ifAvailable: true }, (lock) => lock && new Promise<void>((done) => { leave = done; }));
  } else {
    localStorage.removeItem(waitsKey(id));
    leave?.();
    leave = null;
  }
}

/** Goes on waiting where a page was closed that did, once the recording is loaded; of pages that are open one alone waits. */
function waitOn(id: string): void {
  if (localStorage.getItem(waitsKey(id)) === null) return;
  void navigator.locks.request(waitsKey(id), { ifAvailable: true }, async (lock) => {
    if (!lock || get().proposing) return;
    const gone = new Promise<void>((done) => {
      leave = done;
    });
    await loadDebleed();
    const { debleed } = get();
    // unanswered, it is left to the next page
    if (!debleed) {
      leave = null;
      return;
    }
    waits(debleed.job !== null && debleed.job.state !== 'cancelled');
    void look(get());
    await gone;
  });
}

/** Proposes with what is there now, and no longer waits for de-bleed; whether there was something to propose. */
export function propose(): boolean {
  const { base, data } = get();
  waits(false);
  if (!base) return false;
  const edit = proposalFor(base, data?.debled);
  commit(edit);
  const { plan, focus, panel } = get();
  const mic = plan?.mics[focus];
  // settings of what does nothing there are not what was proposed
  if (mic && edit.changes.length > 0 && !mic.treatment[panel].on) set({ panel: panelOf(mic) });
  if (edit.changes.length === 0) toast('Nothing to propose', { description: 'Every close mic has a treatment already, or its drum has no hits.' });
  return edit.changes.length > 0;
}

/** Computes de-bleed of the song first where that is missing, and proposes when it is done. */
export async function proposeDebled(): Promise<void> {
  if (hasDebleed(get().data?.debled)) propose();
  else if (await askDebleed('start')) {
    waits(true);
    void look(get());
  }
}

export async function stopProposing(): Promise<void> {
  waits(false);
  await askDebleed({ cancel: get().debleed?.job?.id });
}

let looking = false;

async function look(s: Bench): Promise<void> {
  const job = s.debleed?.job;
  if (!s.proposing || looking || !job || job.state === 'queued' || job.state === 'running') return;
  if (job.state !== 'done') {
    waits(false);
    if (job.state === 'failed') toast.error('Nothing was proposed', { description: `De-bleed failed: ${job.error?.message ?? ''}` });
    return;
  }
  looking = true;
  // what a hand is still at goes first
  await whenSaved();
  await openBench(get().id);
  looking = false;
  // in the meantime it may have been proposed without
  if (!get().proposing) return;
  if (propose()) toast('Treatments are proposed', { description: 'De-bleed, gates and slices for every mic that was untouched; one step of undo takes them back.' });
}

/** Proposes when the job is done that is waited for, be it since before the page was opened; returns how to stop. */
export function followProposal(id: string): () => void {
  let opened = false;
  const see = (s: Bench) => {
    if (!opened && s.id === id && s.base) {
      opened = true;
      waitOn(id);
    }
    void look(s);
  };
  const stop = useBench.subscribe(see);
  see(get());
  const ask = () => {
    if (get().proposing) void loadDebleed();
  };
  window.addEventListener('fresh-gap:jobs', ask);
  return () => {
    stop();
    window.removeEventListener('fresh-gap:jobs', ask);
  };
}
