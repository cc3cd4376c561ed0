/** Every action of the workbench once: its name, its keys, what it does. Keyboard, command list and key help all read this. */
import { editGate, sameJson } from '../../core/plan/edits';
import { NO_TREATMENT } from '../../core/plan/plan';
import { changeOver, putAside } from '../../core/plan/second';
import { editDebleed, editParts, editSlices, editTail } from '../../core/plan/sliceEdits';
import { askDebleed } from '../clean/DebleedJob';
import { cutHere, drop, join, keepSelection, nudge, pickAll, pickInLoop, pickLike, reset } from '../clean/sliceState';
import { bringBack, dropSelection, selectBack, step } from '../clean/stepping';
import { fitView, scrollView, zoomView } from '../clean/viewMoves';
import { startAnalysis } from '../hits/Hits';
import { GIVE_KEYS, drumsOf, give, hear, hearNext, keep, move, nextDoubtful, nextInTime, reject, selectLike, snap } from '../hits/hitsState';
import { goTo, heardAt, togglePlay } from './engine';
import { propose, proposeDebled } from './proposing';
import type { Step } from './steps';
import { commit, dropGesture, redo, undo, useBench } from './store';

/** Whether a command works in a step. */
export const worksIn = (c: Command, step: Step): boolean => (!c.step || c.step === step) && c.unseenIn !== step;

export interface Command {
  id: string;
  group: 'Listen' | 'View' | 'Mics' | 'Plan' | 'Slices' | 'Hits' | 'Go';
  /** Only there. Commands of a step come before others with the same keys. */
  step?: Step;
  /** Not there, where nobody would see what it did. */
  unseenIn?: Step;
  label: string;
  /** As tinykeys reads them. */
  keys?: string[];
  /** As people read them. */
  shown?: string;
  run(): void;
}

const { getState: get, setState: set } = useBench;
const frames = () => get().data?.recording.frames ?? 1;
const rate = () => get().data?.recording.sampleRate ?? 48000;

function moveFocus(by: number) {
  const { plan, focus } = get();
  if (!plan) return;
  const i = plan.order.indexOf(focus) + by;
  if (i >= 0 && i < plan.order.length) set({ focus: plan.order[i] });
}

function flip(key: 'solo' | 'muted') {
  const s = get();
  const next = new Set(s[key]);
  if (!next.delete(s.focus)) next.add(s.focus);
  set({ [key]: next });
}

function loopAtView() {
  const { view } = get();
  set({ loop: { from: Math.round(view.from), to: Math.round(view.to) }, loopOn: true });
}

function toggleGate() {
  const { base, focus } = get();
  if (base) commit(editGate(base, focus, { on: !base.mics[focus].treatment.gate.on }));
}

function gatesOff() {
  const { base } = get();
  if (!base) return;
  commit({ label: 'Every gate off', changes: base.order.flatMap((id) => editGate(base, id, { on: false }).changes) });
}

/** Takes every treatment off; what was changed by hand goes too, and comes back by undo. */
function restore(ids: readonly string[]) {
  const { base } = get();
  if (!base) return;
  const changes = ids.flatMap((id) => {
    const before = base.mics[id]?.treatment;
    return before && !sameJson(before, NO_TREATMENT) ? [{ path: ['mics', id, 'treatment'], before: before as never, after: NO_TREATMENT as never }] : [];
  });
  if (changes.length) commit({ label: changes.length === 1 ? `${base.mics[changes[0].path[1]].name} restored` : `${changes.length} mics restored`, changes });
}

export function commandsFor(go: (step: Step) => void, help: () => void, list: () => void): Command[] {
  return [
    { id: 'play', group: 'Listen', label: 'Play or stop', keys: ['Space'], shown: 'Space', run: togglePlay },
    { id: 'loop', group: 'Listen', label: 'Loop on or off', keys: ['l'], shown: 'L', run: () => (get().loop ? set({ loopOn: !get().loopOn }) : loopAtView()) },
    { id: 'loop-view', group: 'Listen', label: 'Loop what is in view', keys: ['Shift+L'], shown: 'Shift L', run: loopAtView },
    { id: 'loop-none', group: 'Listen', label: 'Remove the loop', run: () => set({ loop: null, loopOn: false }) },
    { id: 'before', group: 'Listen', label: 'Hear before', keys: ['q'], shown: 'Q', run: () => set({ listen: 'before' }) },
    { id: 'after', group: 'Listen', label: 'Hear after', keys: ['w'], shown: 'W', run: () => set({ listen: 'after' }) },
    { id: 'removed', group: 'Listen', label: 'Hear what was removed', keys: ['e'], shown: 'E', run: () => set({ listen: 'removed' }) },
    { id: 'equal', group: 'Listen', label: 'Equal loudness before and after, or not', keys: ['Shift+W'], shown: 'Shift W', run: () => set({ equal: !get().equal }) },
    { id: 'alone', group: 'Listen', label: 'Alone or in the kit', keys: ['a'], shown: 'A', run: () => set({ alone: !get().alone }) },
    { id: 'key', group: 'Listen', label: 'Hear the key of the gate', keys: ['k'], shown: 'K', run: () => set({ keyListen: !get().keyListen }) },
    { id: 'start', group: 'Listen', label: 'Go to the start', keys: ['Home'], shown: 'Home', run: () => goTo(0) },
    { id: 'back', group: 'Listen', label: 'Half a second back', keys: ['ArrowLeft'], shown: '←', run: () => goTo(heardAt() - rate() / 2) },
    { id: 'forth', group: 'Listen', label: 'Half a second on', keys: ['ArrowRight'], shown: '→', run: () => goTo(heardAt() + rate() / 2) },

    { id: 'zoom-in', group: 'View', label: 'Zoom in at the heard place', keys: ['+', 'Shift++', '='], shown: '+', run: () => zoomAtHeard(0.5) },
    { id: 'zoom-out', group: 'View', label: 'Zoom out', keys: ['-'], shown: '−', run: () => zoomAtHeard(2) },
    { id: 'zoom-loop', group: 'View', label: 'Show the loop', keys: ['z'], shown: 'Z', run: () => { const { loop } = get(); if (loop) set({ view: fitView(loop.from, loop.to, frames()) }); } },
    { id: 'zoom-all', group: 'View', label: 'Show the whole song', keys: ['Shift+Z'], shown: 'Shift Z', run: () => set({ view: { from: 0, to: frames() } }) },
    { id: 'scroll-back', group: 'View', label: 'Scroll back', keys: ['Shift+ArrowLeft'], shown: 'Shift ←', run: () => set({ view: scrollView(get().view, -(get().view.to - get().view.from) / 2, frames()) }) },
    { id: 'scroll-on', group: 'View', label: 'Scroll on', keys: ['Shift+ArrowRight'], shown: 'Shift →', run: () => set({ view: scrollView(get().view, (get().view.to - get().view.from) / 2, frames()) }) },

    { id: 'up', group: 'Mics', label: 'Mic above', keys: ['ArrowUp'], shown: '↑', run: () => moveFocus(-1) },
    { id: 'down', group: 'Mics', label: 'Mic below', keys: ['ArrowDown'], shown: '↓', run: () => moveFocus(1) },
    { id: 'solo', group: 'Mics', label: 'Solo this mic', keys: ['s'], shown: 'S', run: () => flip('solo') },
    { id: 'mute', group: 'Mics', label: 'Mute this mic', keys: ['m'], shown: 'M', run: () => flip('muted') },
    { id: 'unsolo', group: 'Mics', label: 'No solos, no mutes', run: () => set({ solo: new Set(), muted: new Set() }) },

    { id: 'debleed', group: 'Plan', unseenIn: 'hits', label: 'De-bleed of this mic on or off', keys: ['v'], shown: 'V', run: () => { const { base, focus } = get(); if (base) commit(editDebleed(base, focus, { on: !base.mics[focus].treatment.debleed.on })); set({ panel: 'debleed' }); } },
    { id: 'gate', group: 'Plan', unseenIn: 'hits', label: 'Gate of this mic on or off', keys: ['g'], shown: 'G', run: toggleGate },
    { id: 'slices', group: 'Plan', unseenIn: 'hits', label: 'Slices of this mic on or off', keys: ['c'], shown: 'C', run: () => { const { base, focus } = get(); if (base) commit(editSlices(base, focus, { on: !base.mics[focus].treatment.slices.on })); set({ panel: 'slices' }); } },
    { id: 'parts', group: 'Plan', unseenIn: 'hits', label: 'Attack and note of this mic on or off', keys: ['Shift+D'], shown: 'Shift D', run: () => { const { base, focus } = get(); if (base) commit(editParts(base, focus, { on: !base.mics[focus].treatment.parts.on })); set({ panel: 'parts' }); } },
    { id: 'other', group: 'Plan', unseenIn: 'hits', label: 'The other treatment of this mic', keys: ['Shift+V'], shown: 'Shift V', run: () => { const { base, focus } = get(); if (base) commit(base.mics[focus].second ? changeOver(base, focus) : putAside(base, focus)); } },
    { id: 'tail', group: 'Plan', unseenIn: 'hits', label: 'Tail damping of this mic on or off', keys: ['d'], shown: 'D', run: () => { const { base, focus } = get(); if (base) commit(editTail(base, focus, { on: !base.mics[focus].treatment.tail.on })); set({ panel: 'tail' }); } },
    { id: 'carry', group: 'Plan', step: 'clean', label: 'Carry this treatment to other mics', keys: ['o'], shown: 'O', run: () => set({ carrying: true }) },
    { id: 'propose', group: 'Plan', label: 'Propose a treatment for every untouched mic', run: () => void proposeDebled() },
    { id: 'propose-cuts', group: 'Plan', label: 'Propose at once, with de-bleed only where it is computed', run: propose },
    { id: 'restore-mic', group: 'Plan', label: 'Restore this mic: nothing done to it', run: () => restore([get().focus]) },
    { id: 'restore-all', group: 'Plan', label: 'Restore every mic: nothing done to any', run: () => restore(get().base?.order ?? []) },
    { id: 'gates-off', group: 'Plan', label: 'Every gate off', run: gatesOff },
    { id: 'undo', group: 'Plan', label: 'Undo', keys: ['$mod+z'], shown: 'Ctrl Z', run: undo },
    { id: 'redo', group: 'Plan', label: 'Redo', keys: ['$mod+Shift+Z', '$mod+y'], shown: 'Ctrl Shift Z', run: redo },
    { id: 'escape', group: 'Plan', label: 'Give up the move under way', keys: ['Escape'], shown: 'Esc', run: dropGesture },

    { id: 'hit-keep', group: 'Hits', step: 'hits', label: 'Keep the hit, go on', keys: ['Enter'], shown: 'Enter', run: keep },
    { id: 'hit-reject', group: 'Hits', step: 'hits', label: 'Not a hit, go on', keys: ['x', 'Delete', 'Backspace'], shown: 'X', run: reject },
    { id: 'hit-hear', group: 'Hits', step: 'hits', label: 'Hear it in its own mic', keys: ['h'], shown: 'H', run: () => hear('owner') },
    { id: 'hit-kit', group: 'Hits', step: 'hits', label: 'Hear it in the kit', keys: ['Shift+H'], shown: 'Shift H', run: () => hear('kit') },
    { id: 'hit-next-mic', group: 'Hits', step: 'hits', label: 'Hear it in the next mic', keys: ['j'], shown: 'J', run: hearNext },
    { id: 'hit-next', group: 'Hits', step: 'hits', label: 'Next in doubt', keys: ['n', 'ArrowDown'], shown: 'N', run: () => nextDoubtful(1) },
    { id: 'hit-previous', group: 'Hits', step: 'hits', label: 'The one in doubt before', keys: ['p', 'ArrowUp'], shown: 'P', run: () => nextDoubtful(-1) },
    { id: 'hit-later', group: 'Hits', step: 'hits', label: 'Next hit of this drum', keys: ['.'], shown: '.', run: () => nextInTime(1) },
    { id: 'hit-earlier', group: 'Hits', step: 'hits', label: 'Hit of this drum before', keys: [','], shown: ',', run: () => nextInTime(-1) },
    { id: 'hit-ms-on', group: 'Hits', step: 'hits', label: 'Move 1 ms later', keys: ['Alt+ArrowRight'], shown: 'Alt →', run: () => move(Math.round(rate() / 1000)) },
    { id: 'hit-ms-back', group: 'Hits', step: 'hits', label: 'Move 1 ms earlier', keys: ['Alt+ArrowLeft'], shown: 'Alt ←', run: () => move(-Math.round(rate() / 1000)) },
    { id: 'hit-sample-on', group: 'Hits', step: 'hits', label: 'Move a sample later', keys: ['Alt+Shift+ArrowRight'], shown: 'Alt Shift →', run: () => move(1) },
    { id: 'hit-sample-back', group: 'Hits', step: 'hits', label: 'Move a sample earlier', keys: ['Alt+Shift+ArrowLeft'], shown: 'Alt Shift ←', run: () => move(-1) },
    { id: 'hit-snap', group: 'Hits', step: 'hits', label: 'Snap to the nearest attack', keys: ['t'], shown: 'T', run: snap },
    { id: 'hit-select-drum', group: 'Hits', step: 'hits', label: 'Select all hits of this drum', run: () => selectLike('drum') },
    { id: 'hit-select-soft', group: 'Hits', step: 'hits', label: 'Select hits as soft as this and softer', run: () => selectLike('softer') },
    { id: 'hit-select-doubt', group: 'Hits', step: 'hits', label: 'Select hits as uncertain as this and more', run: () => selectLike('doubtful') },
    { id: 'hit-select-none', group: 'Hits', step: 'hits', label: 'Select nothing', run: () => set({ picked: new Set() }) },
    ...GIVE_KEYS.map((key, i): Command => ({ id: `hit-give-${i + 1}`, group: 'Hits', step: 'hits', label: `Give to drum ${i + 1}`, keys: [key], shown: i === 0 ? '1 to 9, 0' : undefined, run: () => giveTo(i) })),
    { id: 'step-on', group: 'Plan', step: 'clean', label: 'Next transient', keys: ['.'], shown: '.', run: () => step(1, false) },
    { id: 'step-back', group: 'Plan', step: 'clean', label: 'Transient before', keys: [','], shown: ',', run: () => step(-1, false) },
    { id: 'step-on-more', group: 'Plan', step: 'clean', label: 'Select on to the next transient', keys: ['Shift+>', 'Shift+.', '>'], shown: 'Shift .', run: () => step(1, true) },
    { id: 'step-back-more', group: 'Plan', step: 'clean', label: 'Select back to the transient before', keys: ['Shift+<', 'Shift+,', '<'], shown: 'Shift ,', run: () => step(-1, true) },
    { id: 'select-back', group: 'Plan', step: 'clean', label: 'Select back to the last hit or gap', keys: ['b'], shown: 'B', run: selectBack },
    { id: 'drop', group: 'Plan', step: 'clean', label: 'Drop the selected stretch or slices', keys: ['x', 'Delete', 'Backspace'], shown: 'X', run: () => { if (!get().selection && drop()) return; dropSelection(); } },
    { id: 'slice-cut', group: 'Slices', step: 'clean', label: 'Cut the slice here', keys: ['u'], shown: 'U', run: cutHere },
    { id: 'slice-join', group: 'Slices', step: 'clean', label: 'Join the selected slices', keys: ['j'], shown: 'J', run: join },
    { id: 'slice-reset', group: 'Slices', step: 'clean', label: 'Selected slices as the settings make them', keys: ['r'], shown: 'R', run: () => reset(false) },
    { id: 'slice-reset-all', group: 'Slices', step: 'clean', label: 'Every slice as the settings make it', run: () => reset(true) },
    { id: 'slice-keep', group: 'Slices', step: 'clean', label: 'Keep the selected stretch as a slice', keys: ['i'], shown: 'I', run: keepSelection },
    { id: 'slice-all', group: 'Slices', step: 'clean', label: 'Select every slice', keys: ['$mod+a'], shown: 'Ctrl A', run: pickAll },
    { id: 'slice-softer', group: 'Slices', step: 'clean', label: 'Select slices as soft as this and softer', run: () => pickLike('softer') },
    { id: 'slice-alike', group: 'Slices', step: 'clean', label: 'Select slices as strong as this, with as many strokes', run: () => pickLike('alike') },
    { id: 'slice-drums', group: 'Slices', step: 'clean', label: 'Select slices in which the same other drums are struck', run: () => pickLike('drums') },
    { id: 'slice-none', group: 'Slices', step: 'clean', label: 'Select no slice', run: () => set({ slices: new Set() }) },
    { id: 'slice-start-back', group: 'Slices', step: 'clean', label: 'Start 1 ms earlier', keys: ['Alt+ArrowLeft'], shown: 'Alt ←', run: () => nudge('from', -1) },
    { id: 'slice-start-on', group: 'Slices', step: 'clean', label: 'Start 1 ms later', keys: ['Alt+ArrowRight'], shown: 'Alt →', run: () => nudge('from', 1) },
    { id: 'slice-end-back', group: 'Slices', step: 'clean', label: 'End 20 ms earlier', keys: ['Alt+Shift+ArrowLeft'], shown: 'Alt Shift ←', run: () => nudge('to', -20) },
    { id: 'slice-end-on', group: 'Slices', step: 'clean', label: 'End 20 ms later', keys: ['Alt+Shift+ArrowRight'], shown: 'Alt Shift →', run: () => nudge('to', 20) },
    { id: 'pickrange', group: 'Slices', step: 'clean', label: 'Select every slice in the selection or loop', keys: ['Shift+A'], shown: 'Shift A', run: pickInLoop },
    { id: 'spectrum', group: 'View', step: 'clean', label: 'Spectrogram or waveform', keys: ['f'], shown: 'F', run: () => set({ spectrum: !get().spectrum }) },
    { id: 'lanes', group: 'View', step: 'clean', label: "Every drum's hits over the waveform, or not", keys: ['h'], shown: 'H', run: () => set({ lanes: !get().lanes }) },
    { id: 'tiles', group: 'Slices', step: 'clean', label: 'Tiles of every hit', keys: ['y'], shown: 'Y', run: () => set({ tiles: !get().tiles }) },
    { id: 'bring-back', group: 'Plan', step: 'clean', label: 'Bring back gaps dropped here', keys: ['Shift+X'], shown: 'Shift X', run: bringBack },
    { id: 'hit-find', group: 'Hits', label: 'Find the hits anew', run: () => void startAnalysis() },
    { id: 'hit-closely', group: 'Hits', label: 'Listen closely: de-bleed, and the hits again on what is left', run: () => void askDebleed('start') },

    { id: 'intake', group: 'Go', label: 'Go to Intake', run: () => go('intake') },
    { id: 'spill', group: 'Go', label: 'Go to Spill', run: () => go('spill') },
    { id: 'hits', group: 'Go', label: 'Go to Hits', run: () => go('hits') },
    { id: 'clean', group: 'Go', label: 'Go to Clean', run: () => go('clean') },
    { id: 'compare', group: 'Go', label: 'Go to Compare', run: () => go('compare') },
    { id: 'deliver', group: 'Go', label: 'Go to Deliver', run: () => go('deliver') },
    { id: 'home', group: 'Go', label: 'All recordings', run: () => window.location.assign('/') },
    { id: 'list', group: 'Go', label: 'Commands', keys: ['/'], shown: '/', run: list },
    { id: 'help', group: 'Go', label: 'Keys', keys: ['Shift+?', '?'], shown: '?', run: help },
  ];
}

function giveTo(i: number) {
  const { plan } = get();
  const drum = plan && drumsOf(plan)[i];
  if (drum) give(drum);
}

/** Zooms at the heard place where that is in view, else in the middle. */
export function zoomAtHeard(factor: number): void {
  const { view } = get();
  const at = (heardAt() - view.from) / (view.to - view.from);
  set({ view: zoomView(view, factor, at >= 0 && at <= 1 ? at : 0.5, frames()) });
}
