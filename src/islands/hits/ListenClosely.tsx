/** Hears the hits again once every close mic is freed of the other drums: the de-bleed job, started, watched and stopped from step Hits. */
import { Ear, Square } from 'lucide-react';
import { useEffect } from 'react';
import { askDebleed, loadDebleed } from '../clean/DebleedJob';
import { useBench } from '../workbench/store';

export function ListenClosely() {
  const view = useBench((s) => s.debleed);
  useEffect(() => {
    void loadDebleed();
    window.addEventListener('fresh-gap:jobs', loadDebleed);
    return () => window.removeEventListener('fresh-gap:jobs', loadDebleed);
  }, []);
  const job = view?.job ?? null;
  if (job?.state === 'queued' || job?.state === 'running') {
    return (
      <>
        <span role="status" className="flex items-center gap-2 whitespace-nowrap text-ink2" title={job.note}>
          <progress aria-label="Listening closely" max={1} value={job.progress} className="h-1.5 w-16" /> <span className="num">{Math.round(100 * job.progress)} %</span>
        </span>
        <button type="button" className="btn" onClick={() => void askDebleed({ cancel: job.id })}>
          <Square aria-hidden="true" size={12} /> Cancel
        </button>
      </>
    );
  }
  return (
    <>
      {job?.state === 'failed' && <span role="alert" className="truncate text-sm text-hand" title={job.error?.message}>Listening closely failed: {job.error?.message}</span>}
      {view?.heard && <span className="whitespace-nowrap text-sm text-ink2">heard closely</span>}
      <button type="button" className="btn" onClick={() => void askDebleed('start')} title="Takes the other drums out of every close mic and listens to them again: fewer strokes are lost or doubtful. It takes up to as long as the song plays, and de-bleed is computed with it; what you decided stays">
        <Ear aria-hidden="true" size={15} /> Listen closely
      </button>
    </>
  );
}
