/** Step Intake: which file is which mic, corrected where the guess was wrong; what was padded; more files. */
import { ChevronDown } from 'lucide-react';
import { Select } from 'radix-ui';
import { useEffect, useMemo, useState } from 'react';
import { toast } from 'sonner';
import { gainToDb } from '../../core/dsp/db';
import { counted } from '../../core/params/format';
import { editMic } from '../../core/plan/edits';
import { ROLES, roleOf } from '../../core/plan/roles';
import type { MicAudio } from '../../engine/blocks';
import { peakLevels } from '../clean/waveData';
import { loadAnalysis, startAnalysis } from '../hits/Hits';
import { AskFirst } from '../shared/AskFirst';
import { describe, request } from '../shared/api';
import { Glyph } from '../shared/Glyph';
import { encodingLabel, formatTime, signed } from '../shared/time';
import type { Step } from '../workbench/steps';
import { transportMics } from '../workbench/engine';
import { commit, openBench, useBench, whenSaved } from '../workbench/store';
import { DropArea } from './DropArea';
import { UploadList } from './UploadList';
import { takeFiles, useUploads } from './useUploads';

function RolePicker(p: { id: string; role: string; name: string }) {
  const plan = useBench((s) => s.base);
  const change = (role: string) => {
    if (!plan) return;
    const mic = plan.mics[p.id];
    // the name follows the role where nobody has given another
    const renamed = mic.name === roleOf(mic.role).label || mic.name.startsWith(`${roleOf(mic.role).label} (`);
    commit(editMic(plan, p.id, { role, name: renamed && role !== 'other' ? roleOf(role).label : undefined, pan: roleOf(role).pan }));
  };
  return (
    <Select.Root value={p.role} onValueChange={change}>
      <Select.Trigger aria-label={`Role of ${p.name}`} data-role-of={p.id} className="flex h-7 w-[170px] items-center gap-2 rounded-[7px] border border-line2 bg-sheet px-2 text-left hover:border-ink">
        <Glyph role={p.role} size={16} />
        <Select.Value />
        <ChevronDown aria-hidden="true" size={13} className="ml-auto" />
      </Select.Trigger>
      <Select.Portal>
        <Select.Content position="popper" className="card z-50 max-h-96 overflow-y-auto p-1 shadow-lg">
          <Select.Viewport>
            {ROLES.map((r) => (
              <Select.Item key={r.id} value={r.id} className="flex cursor-pointer items-center gap-2 rounded px-3 py-1 outline-none data-[highlighted]:bg-soft">
                <Glyph role={r.id} size={16} />
                <Select.ItemText>{r.label}</Select.ItemText>
              </Select.Item>
            ))}
          </Select.Viewport>
        </Select.Content>
      </Select.Portal>
    </Select.Root>
  );
}

function NameField(p: { id: string; name: string }) {
  const [text, setText] = useState<string | null>(null);
  const done = () => {
    const base = useBench.getState().base;
    const name = text?.trim();
    setText(null);
    if (base && name && name !== p.name) commit(editMic(base, p.id, { name: name.slice(0, 100) }));
  };
  return (
    <input
      aria-label={`Name of ${p.name}`}
      className="h-7 w-full rounded-[6px] border border-transparent bg-transparent px-2 font-semibold hover:border-line2"
      value={text ?? p.name}
      maxLength={100}
      onChange={(e) => setText(e.target.value)}
      onBlur={done}
      onKeyDown={(e) => {
        if (e.key === 'Enter') e.currentTarget.blur();
        if (e.key === 'Escape') {
          setText(null);
          e.currentTarget.blur();
        }
      }}
    />
  );
}

/** Highest level of a mic, dBFS; null while its peaks are on their way. */
function peakDb(levels: readonly (Float32Array | undefined)[]): number | null {
  const coarse = levels[levels.length - 1];
  return coarse ? gainToDb(coarse.reduce((top, v) => Math.max(top, Math.abs(v)), 0)) : null;
}

/** From here on a mic is as good as silent; from there on it may have been clipped, dBFS. */
const SILENT_DB = -80;
const FULL_DB = -0.05;

function PeakCell({ audio }: { audio: MicAudio | undefined }) {
  const [, setTick] = useState(0);
  const db = audio ? peakDb(peakLevels(audio, () => setTick((t) => t + 1))) : null;
  const words = db === null ? '' : db < SILENT_DB ? 'silent' : signed(db);
  return (
    <td className={`num whitespace-nowrap text-right ${db !== null && (db < SILENT_DB || db >= FULL_DB) ? 'text-doubt' : ''}`} title={db !== null && db >= FULL_DB ? 'At full scale: its loudest strokes may be clipped' : undefined}>
      {words}
    </td>
  );
}

function RecordingName(p: { id: string; name: string }) {
  const [text, setText] = useState<string | null>(null);
  const done = async () => {
    const name = text?.trim();
    setText(null);
    if (!name || name === p.name) return;
    try {
      await request('PATCH', `/api/recordings/${p.id}`, { name });
    } catch (e) {
      const { title, text: why } = describe(e);
      toast.error(title, { description: why });
    }
    await openBench(p.id);
  };
  return (
    <label className="flex items-center gap-2 text-ink2">
      Recording
      <input
        className="h-7 w-[240px] rounded-[6px] border border-line2 bg-sheet px-2 font-semibold text-ink"
        value={text ?? p.name}
        maxLength={200}
        onChange={(e) => setText(e.target.value)}
        onBlur={done}
        onKeyDown={(e) => {
          if (e.key === 'Enter') e.currentTarget.blur();
          if (e.key === 'Escape') setText(null);
        }}
      />
    </label>
  );
}

/** Roles by mic. */
const rolesNow = (): Readonly<Record<string, string>> => Object.fromEntries(Object.entries(useBench.getState().base?.mics ?? {}).map(([m, { role }]) => [m, role]));

/** Hits are found by roles: where those were changed, or a mic was taken out, they are found anew when one goes on. What a person decided stays. */
async function findAnew(): Promise<void> {
  await whenSaved();
  if (await startAnalysis()) toast('Finding the hits anew', { description: 'Mics or roles changed. What you decided stays.' });
}

const NO_NOTES: readonly string[] = [];

export function Intake({ onGo }: { onGo(s: Step): void }) {
  const id = useBench((s) => s.id);
  const data = useBench((s) => s.data);
  const plan = useBench((s) => s.plan);
  const running = useUploads((s) => s.running);
  const ready = plan !== null;
  useEffect(() => {
    if (!ready) return;
    const before = rolesNow();
    return () => {
      const now = rolesNow();
      // of mics that come in the hits are found with the upload
      if (Object.keys(now).length > 0 && Object.entries(before).some(([m, role]) => now[m] !== role)) void findAnew();
    };
  }, [ready]);
  useEffect(() => {
    void loadAnalysis();
    window.addEventListener('fresh-gap:jobs', loadAnalysis);
    return () => window.removeEventListener('fresh-gap:jobs', loadAnalysis);
  }, []);
  const notes = useBench((s) => (s.analysis?.fresh ? s.analysis.notes : NO_NOTES));
  const order = plan?.order;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the audio of mics changes only with files and order
  const audio = useMemo(() => new Map(transportMics(useBench.getState()).map((m) => [m.id, m])), [data, order]);
  if (!data) return null;
  const rate = data.recording.sampleRate ?? 48000;
  const padded = data.files.filter((f) => f.frames < data.recording.frames);
  const unknown = plan ? plan.order.filter((m) => plan.mics[m].role === 'other').length : 0;

  async function take(files: File[]) {
    await takeFiles(id, files);
    await openBench(id);
  }
  async function remove(fileId: number, name: string) {
    try {
      await request('DELETE', `/api/recordings/${id}/files/${fileId}`);
      await openBench(id);
      toast(`${name} is out`, { description: 'Undo begins anew from here.' });
    } catch (e) {
      const { title, text } = describe(e);
      toast.error(title, { description: text });
    }
  }
  return (
    <main className="min-h-0 flex-1 overflow-y-auto px-5 py-4">
      <div className="mx-auto max-w-[1000px]">
        <header className="mb-3 flex items-end gap-4">
          <div>
            <h1 className="font-head text-lg font-bold">{plan ? 'Who is who' : 'Bring in the mics'}</h1>
            <p className="text-ink2">
              {plan
                ? `${counted(data.files.length, 'file')}, ${counted(plan.order.length, 'mic')}, ${formatTime(data.recording.frames / rate, 1)} at ${rate / 1000} kHz. Roles are read from the file names: correct what is wrong.`
                : 'Drop the WAV files of one recording, one file per mic.'}
            </p>
          </div>
          <span className="flex-1" />
          <RecordingName id={id} name={data.recording.name} />
          {plan && (
            <button type="button" className="btn btn-ink" onClick={() => onGo('clean')}>
              Go on to Clean
            </button>
          )}
        </header>
        {padded.length > 0 && (
          <p role="status" className="card mb-3 border-doubt px-4 py-2">
            <b className="text-doubt">Different lengths.</b> {padded.map((f) => `${f.name} is ${((data.recording.frames - f.frames) / rate).toFixed(3)} s shorter`).join('; ')}. Silence follows there while you work; delivered files keep their own
            length.
          </p>
        )}
        {unknown > 0 && (
          <p role="status" className="card mb-3 border-doubt px-4 py-2">
            <b className="text-doubt">
              {counted(unknown, 'mic has', 'mics have')} no role yet.
            </b>{' '}
            Choose one where you know it; “Other” is a fine answer for anything that is not a drum.
          </p>
        )}
        {plan && (
          <table className="card w-full border-separate border-spacing-0">
            <thead>
              <tr className="text-left text-sm text-ink2">
                <th className="px-4 py-2 font-semibold">File</th>
                <th className="py-2 font-semibold">Role</th>
                <th className="py-2 pl-3 font-semibold">Name</th>
                <th className="py-2 text-right font-semibold">Peak, dBFS</th>
                <th className="py-2 text-right font-semibold">Format</th>
                <th className="py-2 text-right font-semibold">Length</th>
                <th className="w-12" aria-label="Remove" />
              </tr>
            </thead>
            <tbody>
              {data.files.flatMap((f) =>
                f.micIds
                  .filter((m) => plan.mics[m])
                  .map((m, k) => (
                    <tr key={m} className="[&>td]:border-t [&>td]:border-line">
                      <td className="max-w-[260px] truncate px-4 py-[5px]" title={f.name}>
                        {f.name}
                        {f.channels === 2 && <span className="text-ink2"> · {k === 0 ? 'left' : 'right'}</span>}
                      </td>
                      <td className="py-[3px]">
                        <RolePicker id={m} role={plan.mics[m].role} name={plan.mics[m].name} />
                      </td>
                      <td className="pl-1">
                        <NameField id={m} name={plan.mics[m].name} />
                      </td>
                      <PeakCell audio={audio.get(m)} />
                      <td className="whitespace-nowrap text-right text-ink2">{encodingLabel(f.encoding)}</td>
                      <td className="num text-right">{formatTime(f.frames / rate)}</td>
                      <td className="text-center">
                        {k === 0 && (
                          <AskFirst
                            label={`Take ${f.name} out`}
                            hint="Take out of the recording"
                            title={`Take “${f.name}” out?`}
                            text="What was done to it goes with it, and undo begins anew. The file on your disk is not touched."
                            action="Take out"
                            onSure={() => void remove(f.id, f.name)}
                          />
                        )}
                      </td>
                    </tr>
                  )),
              )}
            </tbody>
          </table>
        )}
        {notes.length > 0 && (
          <section className="card mt-3 px-4 py-2" aria-label="What was heard of the mics">
            <h2 className="text-sm font-semibold">What was heard of them</h2>
            <ul className="text-ink2">
              {notes.map((n) => (
                <li key={n}>{n}</li>
              ))}
            </ul>
          </section>
        )}
        <div className="mt-4">
          <DropArea compact={plan !== null} title={plan ? 'More mics of the same recording' : 'Drop WAV files or a folder here'} onFiles={(d) => take(d.files)} disabled={running} />
        </div>
        <UploadList />
      </div>
    </main>
  );
}
