/** Step Deliver: cleaned files as one zip, and the plan as a file. */
import { Download, FileJson, FolderInput } from 'lucide-react';
import { Checkbox } from 'radix-ui';
import { useEffect, useMemo, useRef, useState } from 'react';
import { toast } from 'sonner';
import { counted } from '../../core/params/format';
import { isUntouched } from '../../core/plan/plan';
import { listHits } from '../../core/plan/planHits';
import { type HitFiles, NO_HIT_FILES } from '../../server/hitFiles';
import type { ExportResult } from '../../server/jobs/exportJob';
import type { PlanState } from '../../server/sql/plans';
import type { JobRow } from '../../server/sql/jobs';
import { describe, refresher, request } from '../shared/api';
import { Glyph } from '../shared/Glyph';
import { Segments } from '../shared/Segments';
import { formatBytes } from '../shared/time';
import { useKept } from '../shared/kept';
import { HitOptions } from './HitOptions';
import { CLIENT, openBench, useBench } from '../workbench/store';
import { treatmentWords } from '../workbench/treatmentWords';

/** Files that are not delivered, at first. */
const NONE: ReadonlySet<string> = new Set();
const time = new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit' });

function complain(e: unknown) {
  const { title, text } = describe(e);
  toast.error(title, { description: text });
}

function JobLine({ job, onCancel }: { job: JobRow; onCancel(): void }) {
  const result = job.state === 'done' ? (job.result as ExportResult) : null;
  const clipped = result?.files.filter((f) => f.clipped > 0) ?? [];
  return (
    <li className="border-t border-line px-4 py-2.5 first:border-t-0" data-job={job.state}>
      <div className="flex items-center gap-3">
        <span className="num text-ink2">{time.format(new Date(job.createdAt))}</span>
        {result ? (
          <>
            <span className="font-semibold">{result.zipName}</span>
            <span className="text-ink2">
              {result.files.filter((f) => f.key && f.fileId !== null).length} cleaned, {result.files.filter((f) => !f.key).length} as they are,{result.files.some((f) => f.fileId === null) && ` ${result.files.filter((f) => f.fileId === null).length} of hits,`} {formatBytes(result.files.reduce((n, f) => n + f.bytes, 0))}
            </span>
            <span className="flex-1" />
            <a className="btn btn-ink no-underline" href={`/bulk/jobs/${job.id}/zip`} download>
              <Download aria-hidden="true" size={15} /> Download
            </a>
          </>
        ) : job.state === 'queued' || job.state === 'running' ? (
          <>
            <progress aria-label="Export" max={1} value={job.progress} className="h-1.5 w-48 accent-ink" />
            <span className="num">{Math.round(job.progress * 100)} %</span>
            <span className="truncate text-ink2">{job.state === 'queued' ? 'waits for its turn' : job.note}</span>
            <span className="flex-1" />
            <button type="button" className="btn" onClick={onCancel}>
              Cancel
            </button>
          </>
        ) : job.state === 'cancelled' ? (
          <span className="text-ink2">Cancelled; nothing was kept.</span>
        ) : (
          <span role="alert" className="text-hand">
            Failed: {job.error?.message ?? 'unknown'}
          </span>
        )}
      </div>
      {clipped.length > 0 && (
        <p className="mt-1 text-doubt">
          {clipped.map((f) => `${f.name}: ${f.clipped} samples over full scale were limited`).join('; ')}. Lower the gate's output level, or deliver 32-bit float.
        </p>
      )}
    </li>
  );
}

export function Deliver() {
  const id = useBench((s) => s.id);
  const data = useBench((s) => s.data);
  const plan = useBench((s) => s.plan);
  const [encoding, setEncoding] = useKept<'pcm24' | 'float32'>('deliver.encoding', 'pcm24');
  const [suffix, setSuffix] = useKept('deliver.suffix', '_clean');
  const [hits, setHits] = useKept<HitFiles>('deliver.hits', NO_HIT_FILES);
  const [left, setLeft] = useKept('deliver.left', NONE);
  const [jobs, setJobs] = useState<JobRow[]>(data?.exports ?? []);
  const opener = useRef<HTMLInputElement>(null);

  const refresh = useMemo(() => refresher(() => request<JobRow[]>('GET', `/api/recordings/${id}/exports`), setJobs), [id]);
  useEffect(() => {
    void refresh();
    window.addEventListener('fresh-gap:jobs', refresh);
    return () => window.removeEventListener('fresh-gap:jobs', refresh);
  }, [refresh]);

  if (!data || !plan) return null;
  const files = data.files.map((f) => ({ ...f, untouched: f.micIds.every((m) => isUntouched(plan.mics[m].treatment)), out: f.name.replace(/(\.[A-Za-z0-9]{2,4})?$/, `${suffix}$1`) }));
  const chosen = files.filter((f) => !left.has(f.name));
  const hitCount = Object.keys(plan.hits).reduce((n, d) => n + listHits(plan, d).length, 0);
  const badSuffix = /[\\/:*?"<>|]/.test(suffix);

  async function start() {
    try {
      await request('POST', `/api/recordings/${id}/exports`, { encoding, suffix, files: chosen.map((f) => f.name), ...(hitCount > 0 ? { hits } : {}) });
      await refresh();
    } catch (e) {
      complain(e);
    }
  }
  async function openPlan(file: File | undefined) {
    if (!file) return;
    try {
      const raw = JSON.parse(await file.text());
      const s = await request<PlanState & { missing: string[] }>('POST', `/api/recordings/${id}/plan`, { revision: useBench.getState().revision, client: CLIENT, plan: raw });
      await openBench(id);
      toast.success('Plan opened', { description: s.missing.length ? `It also names ${s.missing.join(', ')}, which this recording does not have.` : 'Undo takes it back.' });
    } catch (e) {
      if (e instanceof SyntaxError) toast.error('This is not a plan', { description: 'The file is no JSON. Choose a plan saved from Fresh Gap.' });
      else complain(e);
    }
  }
  function savePlan() {
    const a = document.createElement('a');
    a.href = URL.createObjectURL(new Blob([`${JSON.stringify(plan, null, 1)}\n`], { type: 'application/json' }));
    a.download = `${data?.recording.name ?? 'recording'}.plan.json`.replace(/[^\p{L}\p{N} ._-]+/gu, '');
    a.click();
    setTimeout(() => URL.revokeObjectURL(a.href), 1000);
  }

  return (
    <main className="min-h-0 flex-1 overflow-y-auto px-5 py-4">
      <div className="mx-auto grid max-w-[1000px] grid-cols-[1fr_300px] gap-4">
        <section aria-label="Files to deliver">
          <h1 className="font-head text-lg font-bold">What will be delivered</h1>
          <p className="mb-2 text-ink2">Same length and start as the originals. Mics left as they are come out bit for bit as they went in.</p>
          <table className="card w-full border-separate border-spacing-0">
            <tbody>
              {files.map((f) => (
                <tr key={f.name} className="[&>td]:border-t [&>td]:border-line first:[&>td]:border-t-0">
                  <td className="w-10 pl-3.5">
                    <Checkbox.Root
                      aria-label={`Deliver ${f.name}`}
                      checked={!left.has(f.name)}
                      onCheckedChange={(v) => {
                        const next = new Set(left);
                        if (v) next.delete(f.name);
                        else next.add(f.name);
                        setLeft(next);
                      }}
                      className="grid size-6 place-items-center"
                    >
                      <span className="grid size-4 place-items-center rounded-[4px] border-[1.5px] border-ink">
                        <Checkbox.Indicator className="size-2.5 rounded-[2px] bg-ink" />
                      </span>
                    </Checkbox.Root>
                  </td>
                  <td className="w-7">
                    <Glyph role={plan.mics[f.micIds[0]].role} />
                  </td>
                  <td className="max-w-[260px] truncate py-[7px] font-semibold" title={f.out}>
                    {f.out}
                  </td>
                  <td className="pr-4 text-right text-ink2">{f.untouched ? 'as it is' : [...new Set(f.micIds.map((m) => treatmentWords(plan, plan.mics[m])))].join(', ')}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
        <div className="flex flex-col gap-4">
          <section aria-label="Export" className="card p-4">
            <h2 className="font-head text-base font-bold">Cleaned files</h2>
            <div className="mt-3 flex items-center justify-between">
              <span className="text-ink2">Format</span>
              <Segments
                small
                label="Format"
                value={encoding}
                options={[
                  { value: 'pcm24', label: '24 bit', hint: '24-bit WAV with TPDF dither' },
                  { value: 'float32', label: '32-bit float', hint: '32-bit float WAV' },
                ]}
                onChange={setEncoding}
              />
            </div>
            <p className="mt-1 text-sm text-ink2">{encoding === 'pcm24' ? 'With TPDF dither where the sound was changed.' : 'No dither, nothing limited.'}</p>
            <label className="mt-3 flex items-center justify-between gap-3">
              <span className="text-ink2">Added to names</span>
              <input value={suffix} maxLength={40} onChange={(e) => setSuffix(e.target.value)} aria-invalid={badSuffix} className={`num h-7 w-[140px] rounded-[6px] border bg-transparent px-2 ${badSuffix ? 'border-hand' : 'border-line2'}`} />
            </label>
            {badSuffix && (
              <p role="alert" className="mt-1 text-sm text-hand">
                File names cannot hold \ / : * ? " &lt; &gt; |
              </p>
            )}
            <button type="button" className="btn btn-ink mt-4 w-full justify-center" disabled={chosen.length === 0 || badSuffix} onClick={start}>
              Export {counted(chosen.length, 'file')}
            </button>
          </section>
          <section aria-label="Hits" className="card p-4">
            <h2 className="mb-1.5 font-head text-base font-bold">Hits, in the same zip</h2>
            <HitOptions cutMics={plan.order.filter((m) => plan.mics[m].treatment.slices.on).length} drums={Object.keys(plan.hits).filter((d) => listHits(plan, d).length > 0)} count={hitCount} value={hits} onChange={setHits} />
          </section>
          <section aria-label="Plan file" className="card p-4">
            <h2 className="font-head text-base font-bold">Plan</h2>
            <p className="mt-1 text-ink2">All settings as one file: for another copy of the recording, or for the command line.</p>
            <div className="mt-3 flex gap-2">
              <button type="button" className="btn" onClick={savePlan}>
                <FileJson aria-hidden="true" size={15} /> Save plan
              </button>
              <button type="button" className="btn" onClick={() => opener.current?.click()}>
                <FolderInput aria-hidden="true" size={15} /> Open plan
              </button>
              <input
                ref={opener}
                type="file"
                accept=".json,application/json"
                hidden
                data-testid="plan-input"
                onChange={(e) => {
                  void openPlan(e.target.files?.[0]);
                  e.target.value = '';
                }}
              />
            </div>
          </section>
        </div>
        {jobs.length > 0 && (
          <section aria-label="Exports" className="col-span-2">
            <h2 className="mb-2 font-head text-base font-bold">Exports</h2>
            <ul className="card">
              {jobs.map((j) => (
                <JobLine key={j.id} job={j} onCancel={() => request('POST', `/api/jobs/${j.id}/cancel`).then(refresh, complain)} />
              ))}
            </ul>
          </section>
        )}
      </div>
    </main>
  );
}
