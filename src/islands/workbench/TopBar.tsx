/** Name of the recording, the steps in the order of work, undo, saved or not, commands. */
import { Redo2, Undo2 } from 'lucide-react';
import { Brand } from '../shared/Brand';
import { STEPS, type Step } from './steps';
import { redo, undo, useBench } from './store';

/** Work in the background, and the step that shows it more closely itself. */
const JOBS: Readonly<Record<string, { readonly label: string; readonly step?: Step }>> = { analysis: { label: 'Finding hits', step: 'hits' }, debleed: { label: 'De-bleed' }, image: { label: 'Telling drums apart' }, export: { label: 'Writing files', step: 'deliver' } };

/** What the server works on while one does something else. */
function Background({ step }: { step: Step }) {
  const job = useBench((s) => Object.values(s.working).find((w) => JOBS[w.job] && JOBS[w.job].step !== step));
  if (!job) return null;
  const { label } = JOBS[job.job];
  return (
    <span className="flex shrink-0 flex-col gap-1 whitespace-nowrap text-xs text-ink2" data-testid="background" title={`${label}, in the background: go on meanwhile`}>
      <span className="flex items-baseline justify-between gap-2">
        {label} <span className="num w-[5ch] text-right">{Math.round(100 * job.progress)} %</span>
      </span>
      <progress aria-label={label} max={1} value={job.progress} className="h-1 w-full" />
    </span>
  );
}

const WORDS = { saved: 'Saved', saving: 'Saving ...', offline: 'Not saved: no server' } as const;

export function TopBar(p: { step: Step; onStep(s: Step): void; onCommands(): void; onHelp(): void }) {
  const name = useBench((s) => s.data?.recording.name ?? '');
  const undoName = useBench((s) => s.undo);
  const redoName = useBench((s) => s.redo);
  const saving = useBench((s) => s.saving);
  const ready = useBench((s) => s.plan !== null);
  return (
    <header className="grid h-[52px] shrink-0 grid-cols-[1fr_auto_1fr] items-center border-b border-ink px-[18px]">
      <div className="flex min-w-0 items-center gap-5 pr-4">
        <Brand />
        <span className="truncate text-ink2" title={name}>
          {name}
        </span>
        <Background step={p.step} />
      </div>
      <nav aria-label="Steps" className="flex gap-1">
        {STEPS.map((s) => (
          <button
            key={s.id}
            type="button"
            aria-current={p.step === s.id ? 'step' : undefined}
            disabled={!ready && s.id !== 'intake'}
            onClick={() => p.onStep(s.id)}
            className={`h-[34px] rounded-full px-3.5 max-[1180px]:px-2.5 ${p.step === s.id ? 'bg-ink font-semibold text-paper' : 'text-ink hover:bg-soft disabled:text-ink2 disabled:hover:bg-transparent'}`}
          >
            {s.label}
          </button>
        ))}
      </nav>
      <div className="flex min-w-0 items-center justify-end gap-2">
        <button type="button" disabled={!undoName} onClick={undo} className="flex h-7 min-w-0 items-center gap-1.5 rounded-[7px] px-1.5 hover:bg-soft disabled:opacity-45" title={undoName ? `Undo: ${undoName} (Ctrl Z)` : 'Nothing to undo'}>
          <Undo2 aria-hidden="true" size={15} className="shrink-0" />
          <span className="sr-only">Undo: </span>
          <span className="max-w-[170px] truncate text-ink2" data-testid="undo-name">
            {undoName ?? ''}
          </span>
        </button>
        <button type="button" disabled={!redoName} onClick={redo} className="grid size-7 place-items-center rounded-[7px] hover:bg-soft disabled:opacity-45" aria-label={redoName ? `Redo: ${redoName}` : 'Redo'} title={redoName ? `Redo: ${redoName} (Ctrl Shift Z)` : 'Nothing to redo'}>
          <Redo2 aria-hidden="true" size={15} />
        </button>
        <span role="status" data-testid="saving" className={`whitespace-nowrap text-sm ${saving === 'offline' ? 'font-semibold text-hand' : 'text-ink2'}`}>
          {WORDS[saving]}
        </span>
        <button type="button" className="flex h-7 items-center gap-1.5 rounded-[7px] px-1.5 text-ink2 hover:bg-soft" onClick={p.onCommands}>
          <kbd className="kbd">/</kbd> commands
        </button>
        <button type="button" className="grid h-7 w-7 place-items-center rounded-[7px] hover:bg-soft" onClick={p.onHelp} aria-label="Keys" title="Keys and gestures">
          <kbd className="kbd">?</kbd>
        </button>
      </div>
    </header>
  );
}
