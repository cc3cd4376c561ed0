/** What de-bleed takes out of the focused mic, drum by drum, with how loud each is there; a drum that is to stay in part has its image computed first. */
import { useEffect, useMemo } from 'react';
import { toast } from 'sonner';
import { REST } from '../../core/params/debleedParams';
import type { NumberParam } from '../../core/params/types';
import { editDebleed } from '../../core/plan/sliceEdits';
import { roleOf } from '../../core/plan/roles';
import { spillMatrix } from '../../core/spill/verdict';
import { drumLabel } from '../hits/hitsState';
import { loadAnalysis } from '../hits/Hits';
import { describe, request } from '../shared/api';
import { signed } from '../shared/time';
import { commit, endGesture, focusedMic, sketch, useBench } from '../workbench/store';
import { Fold } from './Fold';
import { loadDebleed } from './DebleedJob';
import { ParamRow } from './ParamRow';

const AMOUNT: NumberParam = { kind: 'number', label: '', unit: '%', min: 0, max: 100, default: 100, step: 1, scale: 'linear', end: { at: 'max', from: 99.5, text: 'all' }, help: 'How much of it is taken out of this mic.' };

export const sourceLabel = (source: string): string => (source === REST ? 'Cymbals, rest' : drumLabel(source));

async function computeImage(micId: string, source: string): Promise<void> {
  try {
    await request('POST', `/api/recordings/${useBench.getState().id}/images`, { micId, source });
    await loadDebleed();
  } catch (e) {
    const { title, text } = describe(e);
    toast.error(title, { description: text });
  }
}

export function TakeOut(p: { open: boolean; onOpen(v: boolean): void }) {
  const focus = useBench((s) => s.focus);
  const mic = useBench(focusedMic);
  const plan = useBench((s) => s.plan);
  const have = useBench((s) => s.data?.images[s.focus]);
  const waiting = useBench((s) => s.debleed?.images);
  const spill = useBench((s) => s.analysis?.spill);
  useEffect(() => {
    if (p.open) void loadAnalysis();
  }, [p.open]);
  const own = mic ? roleOf(mic.role).drum : null;
  const order = plan?.order;
  const drums = useMemo(() => {
    const close = (order ?? []).map((id) => roleOf(plan?.mics[id].role ?? 'other')).filter((r) => r.group === 'close').map((r) => r.drum);
    return [...new Set(close)].filter((d): d is string => d !== null && d !== own);
  }, [order, plan?.mics, own]);
  if (!mic || !plan) return null;
  const { amounts } = mic.treatment.debleed;
  const m = plan.order.indexOf(focus);
  const matrix = spill?.every((r) => r.mics.length === plan.order.length && r.strokeDb !== undefined) ? spillMatrix(spill, plan.order.map((id) => roleOf(plan.mics[id].role).drum)) : null;
  const levelOf = (source: string) => {
    const d = spill?.findIndex((r) => r.drum === source) ?? -1;
    return matrix && d >= 0 ? `${signed(Math.round(matrix[m][d]), 0)} dB` : '';
  };
  const withAmount = (source: string, v: number) => {
    const { [source]: _old, ...rest } = useBench.getState().base?.mics[focus].treatment.debleed.amounts ?? {};
    return v >= AMOUNT.max - 0.5 ? rest : { ...rest, [source]: v };
  };
  const named = [...drums, REST];
  const lessThanAll = named.filter((d) => (amounts[d] ?? 100) < 100);
  return (
    <Fold title="Taken out" note={lessThanAll.length ? lessThanAll.map((d) => `${sourceLabel(d)} ${Math.round(amounts[d])} %`).join(', ') : 'everything'} {...p}>
      {named.map((source) => {
        const amount = amounts[source] ?? 100;
        const job = waiting?.find((j) => (j.input as { micId: string; source: string }).micId === focus && (j.input as { source: string }).source === source);
        const missing = amount < 100 && !have?.[source];
        return (
          <div key={source}>
            <ParamRow
              id={`amount-${source}`}
              param={{ ...AMOUNT, label: sourceLabel(source) }}
              value={amount}
              extra={<span className="num ml-auto whitespace-nowrap text-xs text-ink2" title="A medium stroke of it in this mic against one of its own">{levelOf(source)}</span>}
              onMove={(v) => sketch((base) => editDebleed(base, focus, { amounts: withAmount(source, v) }))}
              onEnd={() => {
                endGesture();
                const now = useBench.getState();
                if ((now.base?.mics[focus].treatment.debleed.amounts[source] ?? 100) < 100 && !now.data?.images[focus]?.[source] && (!job || job.state === 'failed')) void computeImage(focus, source);
              }}
            />
            {missing && (
              <p role="status" className="flex items-center gap-2 pb-1 text-xs text-doubt">
                {job && job.state !== 'failed' ? (
                  <>
                    <progress aria-label={`Image of ${sourceLabel(source)}`} max={1} value={job.progress} className="h-1 w-10" /> computing its image; until then all of it is out
                  </>
                ) : (
                  <button type="button" className="underline" onClick={() => void computeImage(focus, source)}>
                    {job ? `Its image could not be computed: ${job.error?.message} Try again` : 'Its image is not computed: compute it'}
                  </button>
                )}
              </p>
            )}
          </div>
        );
      })}
      {lessThanAll.length > 0 && (
        <button type="button" className="text-xs underline" onClick={() => commit(editDebleed(useBench.getState().base ?? plan, focus, { amounts: {} }))}>
          Take out everything again
        </button>
      )}
    </Fold>
  );
}
