/** Computing de-bleed: a button, or how far it is and a way to stop it. */
import { AudioWaveform, Square } from 'lucide-react';
import { useEffect, useState } from 'react';
import { toast } from 'sonner';
import type { DebleedView } from '../../server/debleed';
import { describe, refresher, request } from '../shared/api';
import { debleedStretch } from '../workbench/engine';
import { useBench } from '../workbench/store';

/** What is computed first, while the song waits: so much of the loop, or of what is in view, seconds. */
const FIRST_S = 10;

function firstStretch(): { from: number; to: number } {
  const { loop, loopOn, view, data } = useBench.getState();
  const s = loopOn && loop ? loop : view;
  const from = Math.max(0, Math.round(s.from));
  return { from, to: Math.min(Math.round(s.to), from + FIRST_S * (data?.recording.sampleRate ?? 48000), data?.recording.frames ?? 0) };
}

export const loadDebleed = refresher(
  () => request<DebleedView>('GET', `/api/recordings/${useBench.getState().id}/debleed`),
  (debleed) => useBench.setState({ debleed }),
);

/** Starts de-bleed of the whole song, or cancels its job; whether that went well. */
export async function askDebleed(what: 'start' | { cancel: string | undefined }): Promise<boolean> {
  try {
    await request('POST', what === 'start' ? `/api/recordings/${useBench.getState().id}/debleed` : `/api/jobs/${what.cancel}/cancel`);
    await loadDebleed();
    return true;
  } catch (e) {
    const { title, text } = describe(e);
    toast.error(title, { description: text });
    return false;
  }
}

export function DebleedJob() {
  const any = useBench((s) => Object.values(s.data?.debled ?? {}).some((d) => !d.stretch));
  const view = useBench((s) => s.debleed);
  const [first, setFirst] = useState(false);
  const compute = async () => {
    const { focus, data } = useBench.getState();
    if (!data?.debled[focus]) {
      setFirst(true);
      const { from, to } = firstStretch();
      try {
        await debleedStretch(focus, from, to);
      } catch (e) {
        const { title, text } = describe(e);
        toast.error(title, { description: text });
        return;
      } finally {
        setFirst(false);
      }
    }
    await askDebleed('start');
  };
  useEffect(() => {
    void loadDebleed();
    window.addEventListener('fresh-gap:jobs', loadDebleed);
    return () => window.removeEventListener('fresh-gap:jobs', loadDebleed);
  }, []);
  const job = view?.job ?? null;
  const running = job?.state === 'queued' || job?.state === 'running';
  return (
    <>
      {any && view && !view.fresh && !running && <p className="pt-1 text-sm text-doubt">Files, roles or the program changed since it was computed.</p>}
      {job?.state === 'failed' && (
        <p role="alert" className="pt-1 text-sm text-hand">
          It failed: {job.error?.message}
        </p>
      )}
      <div className="flex min-h-8 items-center gap-2 pt-1.5">
        {first ? (
          <span role="status" className="text-sm text-ink2">
            The {useBench.getState().loopOn ? 'loop' : 'stretch in view'} first, from a few seconds…
          </span>
        ) : running ? (
          <>
            <span role="status" className="flex min-w-0 flex-1 items-center gap-2 text-sm text-ink2">
              <progress aria-label="De-bleed" max={1} value={job?.progress ?? 0} className="h-1.5 w-14 shrink-0" />
              <span className="num whitespace-nowrap">{Math.round(100 * (job?.progress ?? 0))} %</span>
            </span>
            <button type="button" className="btn" onClick={() => void askDebleed({ cancel: job?.id })}>
              <Square aria-hidden="true" size={12} /> Cancel
            </button>
          </>
        ) : (
          <button type="button" className="btn" onClick={() => void compute()} title="The loop, or what is in view, at once; then all close mics of the whole song, from all mics together; it takes about as long as the song plays">
            <AudioWaveform aria-hidden="true" size={15} /> {any ? 'Compute again' : 'Compute de-bleed'}
          </button>
        )}
      </div>
      {running && <p className="text-sm text-ink2">{job?.note}</p>}
    </>
  );
}
