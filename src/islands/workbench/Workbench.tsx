/** One recording, open: the frame around all steps, sound and keys. */
import { useEffect, useMemo, useState } from 'react';
import { toast } from 'sonner';
import { tinykeys } from 'tinykeys';
import { FreshGapError } from '../../core/errors';
import { Clean } from '../clean/Clean';
import { Compare } from '../compare/Compare';
import { Deliver } from '../deliver/Deliver';
import { DrumPanel } from '../hits/DrumPanel';
import { Hits } from '../hits/Hits';
import { Spill } from '../spill/Spill';
import { Intake } from '../intake/Intake';
import { Notices } from '../shared/Notices';
import { describe } from '../shared/api';
import { CommandList, KeysHelp } from './Dialogs';
import { MicList } from './MicList';
import { TopBar } from './TopBar';
import { TransportBar } from './TransportBar';
import { commandsFor, worksIn } from './commands';
import { startEngine } from './engine';
import { followProposal } from './proposing';
import type { Step } from './steps';
import { applyAgain, followEvents, hasUnsaved, onNotify, openBench, useBench } from './store';

function complain(e: unknown) {
  const { title, text } = describe(e);
  toast.error(title, { id: title, description: text });
}

/** Keys typed into a field belong to the field. */
const typing = (e: KeyboardEvent) => e.target instanceof HTMLElement && (e.target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(e.target.tagName));
/** Keys that a focused control uses itself. */
const usedBy = (e: KeyboardEvent) => {
  const el = e.target instanceof HTMLElement ? e.target : null;
  if (!el) return false;
  const role = el.getAttribute('role');
  if (e.key === ' ') return el.tagName === 'BUTTON' || role === 'switch';
  if (e.key.startsWith('Arrow') || e.key === 'Home') return role === 'slider' || role === 'radio' || role === 'option' || role === 'combobox';
  return false;
};

export function Workbench(p: { id: string; step: Step }) {
  const [step, setStep] = useState<Step>(p.step);
  const [commandsOpen, setCommandsOpen] = useState(false);
  const [helpOpen, setHelpOpen] = useState(false);
  const data = useBench((s) => s.data);
  const error = useBench((s) => s.error);
  const ready = useBench((s) => s.plan !== null);
  const name = data?.recording.name;

  useEffect(() => {
    onNotify((kind, { edit, error: e }) => {
      if (kind === 'updated') toast('Changed in another tab', { id: 'updated', description: 'The newer plan is loaded.' });
      else if (kind === 'stale') {
        toast.warning('Changed in another tab', {
          id: 'stale',
          duration: 30000,
          description: edit ? `The newer plan is loaded. Not saved: ${edit.label}.` : 'The newer plan is loaded.',
          action: edit ? { label: 'Apply it again', onClick: () => applyAgain(edit) } : undefined,
        });
      } else complain(e);
    });
    void openBench(p.id);
    const stop = followEvents(p.id, () => window.dispatchEvent(new Event('fresh-gap:jobs')));
    const leave = (e: BeforeUnloadEvent) => {
      if (hasUnsaved()) e.preventDefault();
    };
    window.addEventListener('beforeunload', leave);
    return () => {
      stop();
      window.removeEventListener('beforeunload', leave);
    };
  }, [p.id]);

  useEffect(() => followProposal(p.id), [p.id]);

  useEffect(() => {
    if (name) document.title = `${name} · Fresh Gap`;
  }, [name]);

  // sound starts again when files come or go; not when the plan changes
  const audioKey = ready ? JSON.stringify([data?.files.map((f) => [f.content, f.micIds]), Object.entries(data?.debled ?? {}).map(([m, d]) => [m, d.content]), data?.images, data?.recording.frames]) : '';
  useEffect(() => (audioKey ? startEngine(complain) : undefined), [audioKey]);

  const commands = useMemo(() => {
    const go = (s: Step) => {
      setStep(s);
      history.pushState({}, '', `/recordings/${p.id}/${s}`);
    };
    return { go, list: commandsFor(go, () => setHelpOpen(true), () => setCommandsOpen(true)) };
  }, [p.id]);

  useEffect(() => {
    const back = () => setStep((window.location.pathname.split('/').pop() as Step) || 'clean');
    window.addEventListener('popstate', back);
    return () => window.removeEventListener('popstate', back);
  }, []);

  // a button clicked with the mouse gives the keys back: space plays, whatever was clicked last
  useEffect(() => {
    const giveBack = (e: MouseEvent) => {
      const el = document.activeElement;
      if (e.detail > 0 && el instanceof HTMLButtonElement && !el.hasAttribute('aria-haspopup') && el.getAttribute('role') !== 'combobox' && !el.closest('[role="dialog"], [role="alertdialog"]')) el.blur();
    };
    window.addEventListener('click', giveBack);
    return () => window.removeEventListener('click', giveBack);
  }, []);

  const blocked = commandsOpen || helpOpen;
  useEffect(() => {
    if (blocked) return;
    const keys: Record<string, (e: KeyboardEvent) => void> = {};
    const here = commands.list.filter((c) => worksIn(c, step));
    // what belongs to this step is set last and so wins
    for (const c of [...here].sort((a, b) => Number(Boolean(a.step)) - Number(Boolean(b.step)))) {
      for (const k of c.keys ?? []) {
        keys[k] = (e) => {
          const single = !e.ctrlKey && !e.metaKey;
          if ((single && typing(e)) || usedBy(e)) return;
          e.preventDefault();
          c.run();
        };
      }
    }
    return tinykeys(window, keys);
  }, [commands, blocked, step]);

  if (error) {
    const { title, text } = describe(error);
    const gone = error instanceof FreshGapError && error.code === 'NOT_FOUND';
    return (
      <main className="grid h-screen place-items-center text-center" role="alert">
        <div className="max-w-md">
          <h1 className="font-head text-xl font-bold">{gone ? 'There is no such recording' : title}</h1>
          <p className="mt-2 text-ink2">{gone ? 'It may have been deleted.' : text}</p>
          <p className="mt-4 flex justify-center gap-2">
            {!gone && (
              <button type="button" className="btn" onClick={() => openBench(p.id)}>
                Try again
              </button>
            )}
            <a className="btn" href="/">
              Go to the recordings
            </a>
          </p>
        </div>
      </main>
    );
  }
  const shown: Step = ready ? step : 'intake';
  return (
    <div className="flex h-screen flex-col">
      <TopBar step={shown} onStep={commands.go} onCommands={() => setCommandsOpen(true)} onHelp={() => setHelpOpen(true)} />
      {!data ? (
        <p role="status" className="grid flex-1 place-items-center text-ink2">
          Opening the recording ...
        </p>
      ) : (
        <div className={`grid min-h-0 flex-1 ${ready ? 'grid-cols-[196px_1fr]' : ''}`}>
          {ready && (shown === 'hits' ? <DrumPanel /> : <MicList />)}
          <div className="flex min-h-0 min-w-0 flex-col">{shown === 'intake' ? <Intake onGo={commands.go} /> : shown === 'hits' ? <Hits /> : shown === 'spill' ? <Spill /> : shown === 'clean' ? <Clean /> : shown === 'compare' ? <Compare onGo={commands.go} /> : <Deliver />}</div>
        </div>
      )}
      <TransportBar />
      <CommandList open={commandsOpen} onOpen={setCommandsOpen} commands={commands.list} step={step} onStep={commands.go} />
      <KeysHelp open={helpOpen} onOpen={setHelpOpen} commands={commands.list} />
      <Notices offset={76} />
    </div>
  );
}
