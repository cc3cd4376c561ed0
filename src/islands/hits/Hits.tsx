/** Step Hits: who struck when. The chosen hit in all mics, all hits over time, and the queue of doubtful ones. */
import { FileMusic, Radar } from 'lucide-react';
import { useEffect, useRef } from 'react';
import { toast } from 'sonner';
import { counted } from '../../core/params/format';
import type { AnalysisView } from '../../server/analysis';
import { describe, refresher, request } from '../shared/api';
import { formatTime } from '../shared/time';
import { useBench } from '../workbench/store';
import { HitMap } from './HitMap';
import { ListenClosely } from './ListenClosely';
import { Microscope } from './Microscope';
import { Queue } from './Queue';
import { countsFor } from '../../core/plan/planHits';
import { drumLabel, drumsOf, hitOf, importMidi, nextDoubtful } from './hitsState';

const STALE = 'Files, roles or the program changed since the hits were found: find them again.';

export const loadAnalysis = refresher(
  () => request<AnalysisView>('GET', `/api/recordings/${useBench.getState().id}/analysis`),
  (analysis) => useBench.setState({ analysis }),
);

/** Has the hits found; whether that could be asked for. */
export async function startAnalysis(): Promise<boolean> {
  try {
    await request('POST', `/api/recordings/${useBench.getState().id}/analysis`);
    await loadAnalysis();
    return true;
  } catch (e) {
    const { title, text } = describe(e);
    toast.error(title, { description: text });
    return false;
  }
}

export function Hits() {
  const plan = useBench((s) => s.plan);
  const analysis = useBench((s) => s.analysis);
  const ref = useBench((s) => s.hit);
  const closely = useBench((s) => s.debleed?.heard ?? false);
  const opener = useRef<HTMLInputElement>(null);
  useEffect(() => {
    void loadAnalysis();
    window.addEventListener('fresh-gap:jobs', loadAnalysis);
    return () => window.removeEventListener('fresh-gap:jobs', loadAnalysis);
  }, []);
  const have = plan !== null && Object.values(plan.hits).some((l) => Object.keys(l).length > 0);
  useEffect(() => {
    if (have && !useBench.getState().hit) nextDoubtful();
  }, [have]);
  // a chosen hit that a new finding replaced is gone
  const gone = plan !== null && ref !== null && hitOf(plan, ref) === null;
  useEffect(() => {
    if (gone) nextDoubtful();
  }, [gone]);
  if (!plan) return null;
  async function openMidi(e: React.ChangeEvent<HTMLInputElement>) {
    const file = e.target.files?.[0];
    e.target.value = '';
    if (!file) return;
    try {
      const n = importMidi(new Uint8Array(await file.arrayBuffer()));
      toast.success(`${counted(n.added, 'hit')} added, ${n.kept} ${n.kept === 1 ? 'was' : 'were'} there`, n.unknown ? { description: `${counted(n.unknown, 'note')} of no drum here, or behind the end.` } : undefined);
    } catch (err) {
      const { title, text } = describe(err);
      toast.error(title, { description: text });
    }
  }
  const job = analysis?.job ?? null;
  const running = job?.state === 'queued' || job?.state === 'running';
  const stale = analysis && !analysis.fresh && have && !running;
  const notes = [...(stale ? [STALE] : []), ...(analysis?.notes ?? [])];
  const hit = hitOf(plan, ref);
  const total = drumsOf(plan).reduce((n, d) => n + countsFor(plan, d).strokes, 0);
  const again = (
    <button type="button" className="btn" disabled={running} onClick={startAnalysis} title={`Listens to all mics anew, as they are; what you decided stays${closely ? '. What was heard closely is replaced, until you listen closely again' : ''}`}>
      <Radar aria-hidden="true" size={15} /> {have ? 'Find again' : 'Find the hits'}
    </button>
  );
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[1fr_300px]">
      <main className="flex min-h-0 min-w-0 flex-col gap-2 px-4 py-2.5">
        <header className="flex min-h-8 flex-wrap items-center gap-x-3 gap-y-1">
          <h1 className="whitespace-nowrap font-head text-lg font-bold">{hit ? `Who struck at ${formatTime(hit.frame / plan.sampleRate)}?` : 'Hits'}</h1>
          <span className="truncate text-ink2">{hit ? `${drumLabel(hit.drum)}?` : counted(total, 'hit')}</span>
          <span className="ml-auto" />
          {running && (
            <span role="status" className="flex items-center gap-2 text-ink2">
              <progress aria-label="Analysis" max={1} value={job?.progress ?? 0} className="h-1.5 w-24" /> {Math.round(100 * (job?.progress ?? 0))} %
            </span>
          )}
          {stale && <span className="whitespace-nowrap text-sm text-doubt" title={STALE}>out of date</span>}
          <button type="button" className="btn" onClick={() => opener.current?.click()} title="Adds the strokes of a Standard MIDI File, by percussion key or track name">
            <FileMusic aria-hidden="true" size={15} /> From MIDI
          </button>
          <input ref={opener} type="file" accept=".mid,.midi" hidden aria-label="MIDI file" onChange={(e) => void openMidi(e)} />
          {again}
          {have && !running && <ListenClosely />}
        </header>
        {job?.state === 'failed' && (
          <p role="alert" className="card border-hand px-3 py-1.5 text-hand">
            The analysis failed: {job.error?.message}. Try it again; if it fails once more, look at the server's output.
          </p>
        )}
        {have ? (
          <>
            <div className="grid min-h-0 flex-[1.25]">{hit ? <Microscope /> : <p className="card grid place-items-center text-ink2">Choose a hit below to see it in every mic.</p>}</div>
            <HitMap />
            <p className="flex gap-4 text-sm text-ink2">
              <span>The owner hears it first. Size is strength, hollow is in doubt, crossed out does not count.</span>
              <span className="ml-auto">Drag selects, double-click adds, wheel zooms</span>
            </p>
            {notes.length > 0 && <p className="max-h-10 overflow-y-auto text-sm text-ink2">{notes.join(' ')}</p>}
          </>
        ) : (
          <div className="card grid flex-1 place-items-center">
            <div className="max-w-sm text-center">
              <p className="font-head text-lg font-bold">{running ? 'Listening to all mics together ...' : 'No hits yet'}</p>
              <p className="mb-3 mt-1 text-ink2">Every stroke of every drum is found from who hears it first and loudest. It takes a few seconds a minute of song.</p>
              {!running && again}
            </div>
          </div>
        )}
      </main>
      <Queue />
    </div>
  );
}
