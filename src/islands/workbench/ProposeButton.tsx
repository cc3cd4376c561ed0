/** Asks for what the program proposes: de-bleed is computed first where it is not, unless one does without. */
import { Square, Wand2 } from 'lucide-react';
import { hasDebleed, propose, proposeDebled, stopProposing } from './proposing';
import { useBench } from './store';

/** `meter`: nothing else here tells how far de-bleed is, or stops it. */
export function ProposeButton({ meter = false }: { meter?: boolean }) {
  const there = useBench((s) => hasDebleed(s.data?.debled));
  const job = useBench((s) => (s.proposing ? s.debleed?.job : null));
  if (job && (job.state === 'queued' || job.state === 'running'))
    return (
      <>
        {meter && (
          <div className="flex items-center gap-2">
            <progress aria-label="De-bleed, before treatments are proposed" max={1} value={job.progress} className="h-1.5 w-20" />
            <span className="num text-sm">{Math.round(100 * job.progress)} %</span>
            <button type="button" className="btn ml-auto" onClick={() => void stopProposing()}>
              <Square aria-hidden="true" size={12} /> Cancel
            </button>
          </div>
        )}
        {meter && job.note && <p className="text-xs text-ink2">{job.note}</p>}
        <p role="status" className="text-xs text-ink2">
          Treatments are proposed when de-bleed is done.{' '}
          <button type="button" className="underline decoration-line2 underline-offset-2 hover:decoration-ink" onClick={propose}>
            Propose now, without it
          </button>
        </p>
      </>
    );
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
      <button
        type="button"
        className="btn"
        onClick={() => void proposeDebled()}
        title={`De-bleed${there ? '' : ', which is computed first and takes up to as long as the song plays'}, gates and slices for every mic that is untouched; one step of undo takes it back`}
      >
        <Wand2 aria-hidden="true" size={14} /> Propose treatments
      </button>
      {!there && (
        <button type="button" className="min-h-6 text-xs underline decoration-line2 underline-offset-2 hover:decoration-ink" onClick={propose} title="Gates and slices on the mics as they came: there in a moment, but soft strokes under loud spill fare worse">
          without de-bleed
        </button>
      )}
    </div>
  );
}
