/** What becomes of every treated mic: worked out one after the other by a worker of its own, kept while the page lives, done anew only where a treatment changed. */
import { create } from 'zustand';
import { isUntouched } from '../../core/plan/plan';
import { overlaid } from '../../engine/blocks';
import type { FromPreview, LoudnessResult, PreviewResult } from '../../engine/previewProtocol';
import PreviewWorker from '../../engine/preview.worker.ts?worker';
import { previewRequest } from '../workbench/engine';
import { useBench } from '../workbench/store';

export interface Outcome {
  /** What it was asked for: another treatment or other strokes make another. */
  readonly asked: string;
  readonly result: Pick<PreviewResult, 'clean' | 'figures' | 'strokes' | 'attacks' | 'debleed'>;
  readonly lufs: LoudnessResult['lufs'];
  readonly whole: LoudnessResult['whole'];
  readonly rungOut: number;
}

interface Outcomes {
  readonly recording: string;
  readonly byMic: Readonly<Record<string, Outcome>>;
  /** The mic that is worked on. */
  readonly doing: string | null;
  readonly failed: Readonly<Record<string, string>>;
}

export const useOutcomes = create<Outcomes>(() => ({ recording: '', byMic: {}, doing: null, failed: {} }));

/** Mics with a treatment, in the order of the kit. */
export function treated(): string[] {
  const { plan } = useBench.getState();
  return plan ? plan.order.filter((m) => !isUntouched(plan.mics[m].treatment)) : [];
}

/** The focused mic first: its places are waited for. */
const inTurn = (focus: string) => treated().sort((a, b) => Number(b === focus) - Number(a === focus));

const WAIT_MS = 200;

/** Works while it is wanted; returns how to stop. */
export function followOutcomes(): () => void {
  const worker = new PreviewWorker();
  for (const overlay of overlaid()) worker.postMessage({ type: 'overlay', overlay });
  const { setState: put, getState: now } = useOutcomes;
  const recording = useBench.getState().id;
  if (now().recording !== recording) put({ recording, byMic: {}, failed: {} });
  put({ doing: null, failed: {} });
  let id = 0;
  let again: ReturnType<typeof setTimeout> | undefined;
  let job: { micId: string; asked: string; rungOut: number; result: PreviewResult | null } | null = null;
  const next = () => {
    clearTimeout(again);
    if (job) return;
    const s = useBench.getState();
    // a hand on a control: once it lets go
    if (s.gesture) return;
    for (const micId of inTurn(s.focus)) {
      const request = previewRequest(s, micId);
      if (!request) {
        // sound is still being set up
        again = setTimeout(next, WAIT_MS);
        return;
      }
      const asked = JSON.stringify(request);
      if (now().byMic[micId]?.asked === asked || now().failed[micId] === asked) continue;
      job = { micId, asked, rungOut: request.rungOut, result: null };
      put({ doing: micId });
      worker.postMessage({ ...request, id: ++id });
      return;
    }
    put({ doing: null });
  };
  worker.onmessage = (e: MessageEvent<FromPreview>) => {
    const m = e.data;
    if (!job || m.id !== id) return;
    if (m.type === 'failed') {
      put({ failed: { ...now().failed, [job.micId]: job.asked } });
      job = null;
      next();
    } else if (m.type === 'preview') {
      // where tails are damped a second, final one follows: the loudness waits for the damping itself
      if (job.result === null) worker.postMessage({ type: 'loudness', id });
      job.result = m;
    } else if (m.type === 'loudness' && job.result) {
      const { clean, figures, strokes, attacks, debleed } = job.result;
      put({ byMic: { ...now().byMic, [job.micId]: { asked: job.asked, result: { clean, figures, strokes, attacks, debleed }, lufs: m.lufs, whole: m.whole, rungOut: job.rungOut } } });
      job = null;
      next();
    }
  };
  const stop = useBench.subscribe((s, old) => {
    if (s.plan !== old.plan || s.gesture !== old.gesture || s.data !== old.data) next();
  });
  next();
  return () => {
    stop();
    clearTimeout(again);
    worker.terminate();
    put({ doing: null });
  };
}
