/** Slices of the focused mic: every setting from the table, what was changed by hand, what can be done to the selected ones. */
import { useMemo } from 'react';
import { sameJson } from '../../core/plan/edits';
import { counted, formatNumber } from '../../core/params/format';
import { SLICE_DEFAULTS, SLICE_PARAMS, type SliceSettings } from '../../core/params/sliceParams';
import { slicesOf } from '../../core/plan/live';
import { roleOf } from '../../core/plan/roles';
import { setFades } from '../../core/plan/sliceEdits';
import { Toggle } from '../shared/Toggle';
import { useKept } from '../shared/kept';
import { commit, focusedMic, useBench } from '../workbench/store';
import { ChoiceRow, SwitchRow } from './ChoiceRow';
import { Fold } from './Fold';
import { ParamRow } from './ParamRow';
import { drop, join, moveSlices, putSlices, reset, selectedSlices, settleSlices } from './sliceState';

type NumberId = { [K in keyof SliceSettings]: (typeof SLICE_PARAMS)[K] extends { kind: 'number' } ? K : never }[keyof SliceSettings];

const small = 'h-6 rounded-[6px] border border-line2 px-2 text-sm hover:border-ink disabled:opacity-45';

/** What is unfolded at first. */
const OPEN = { cut: true, keep: true, fades: true };

export function SlicePanel() {
  const focus = useBench((s) => s.focus);
  const mic = useBench(focusedMic);
  const plan = useBench((s) => s.plan);
  const picked = useBench((s) => s.slices);
  const [open, setOpen] = useKept('slices.open', OPEN);
  const list = useMemo(() => (plan ? slicesOf(plan, focus) : []), [plan, focus]);
  if (!mic || !plan) return null;
  const s = mic.treatment.slices;
  const drum = roleOf(mic.role).drum;
  const kept = list.reduce((n, x) => n + x.to - x.from, 0) / Math.max(1, plan.frames);
  const edited = Object.keys(mic.treatment.sliceEdits).length;
  const count = list.filter((x) => picked.has(x.id)).length;
  const row = (id: NumberId, extra: { disabled?: boolean } = {}) => (
    <ParamRow key={id} id={id} param={SLICE_PARAMS[id]} value={s[id]} onMove={(v) => moveSlices({ [id]: v })} onEnd={settleSlices} {...extra} />
  );
  const put = putSlices;
  const fold = (k: keyof typeof open) => ({ open: open[k], onOpen: (v: boolean) => setOpen((o) => ({ ...o, [k]: v })) });
  const curve = (which: 'fadeInCurve' | 'fadeOutCurve', v: SliceSettings['fadeInCurve']) => {
    // a curve for the selected ones, or for all
    const base = useBench.getState().base;
    if (count && base) commit(setFades(base, focus, selectedSlices(), { [which]: v }));
    else put({ [which]: v });
  };
  return (
    <section aria-label="Slices" className="card border-[1.5px] border-ink px-3 pb-1">
      <header className="flex h-8 items-center gap-2">
        <Toggle label={`Slices of ${mic.name}`} checked={s.on} onChange={(on) => put({ on })} title="Slices on or off (C)" />
        <h2 className="font-head text-base font-bold">Slices</h2>
        <span className="num truncate text-sm text-ink2" data-testid="slice-count" title={s.on ? `${counted(list.length, 'slice')}, ${Math.round(kept * 100)} % of the song kept` : 'The mic is not cut'}>
          {s.on ? `${list.length}, ${Math.round(kept * 100)} %` : 'off'}
        </span>
        <button type="button" disabled={sameJson(s, SLICE_DEFAULTS)} onClick={() => put({ ...SLICE_DEFAULTS, on: s.on })} className="ml-auto h-6 rounded-[6px] px-1.5 text-sm hover:bg-soft disabled:opacity-45" title="Every setting of the slices back to its default; what was changed by hand stays">
          Defaults
        </button>
      </header>
      <Fold title="Cut" note={s.cutBy === 'hits' ? (drum ? 'at own hits' : 'no own drum') : `over ${formatNumber(SLICE_PARAMS.openDb, s.openDb)}`} {...fold('cut')}>
        <ChoiceRow id="cutBy" param={SLICE_PARAMS.cutBy as never} value={s.cutBy} onChange={(cutBy) => put({ cutBy })} />
        {s.cutBy === 'level' ? ['openDb', 'closeDb'].map((id) => row(id as NumberId)) : (
          <>
            {row('hitMin')}
            <SwitchRow param={SLICE_PARAMS.keepDoubtful} value={s.keepDoubtful} onChange={(keepDoubtful) => put({ keepDoubtful })} />
          </>
        )}
        {row('bridgeMs')}
        {row('shortestMs')}
        {row('zeroMs')}
      </Fold>
      <Fold title="Keep" note={s.tailBy === 'natural' ? (mic.ring ? 'as long as it rings' : 'ring not learnt yet') : formatNumber(SLICE_PARAMS.tailMs, s.tailMs)} {...fold('keep')}>
        {row('leadMs')}
        <SwitchRow param={SLICE_PARAMS.clearLead} value={s.clearLead} onChange={(clearLead) => put({ clearLead })} />
        <ChoiceRow id="tailBy" param={SLICE_PARAMS.tailBy as never} value={s.tailBy} onChange={(tailBy) => put({ tailBy })} />
        {s.tailBy === 'natural' ? row('ringDb') : row('tailMs')}
        {s.tailBy === 'natural' && row('ownDb')}
        <SwitchRow param={SLICE_PARAMS.endBefore} value={s.endBefore} onChange={(endBefore) => put({ endBefore })} />
        {row('gapDb')}
      </Fold>
      <Fold title="Fades" note={count ? `curves: ${count} selected` : ''} {...fold('fades')}>
        {row('fadeInMs')}
        <ChoiceRow id="fadeInCurve" param={SLICE_PARAMS.fadeInCurve as never} value={s.fadeInCurve} onChange={(v) => curve('fadeInCurve', v)} />
        {row('fadeOutMs')}
        <ChoiceRow id="fadeOutCurve" param={SLICE_PARAMS.fadeOutCurve as never} value={s.fadeOutCurve} onChange={(v) => curve('fadeOutCurve', v)} />
      </Fold>
      <div className="flex flex-wrap items-center gap-1.5 border-t border-line py-1.5">
        <span className="num text-sm text-ink2" data-testid="slices-selected">
          {count} selected
        </span>
        <span className="ml-auto flex gap-1.5">
          <button type="button" className={small} disabled={!count} onClick={drop} title="Drop the selected slices (X)">
            Drop
          </button>
          <button type="button" className={small} disabled={count < 2} onClick={join} title="Join the selected slices (J)">
            Join
          </button>
          <button type="button" className={small} disabled={!count} onClick={() => reset(false)} title="The selected slices as the settings make them (R)">
            Reset
          </button>
        </span>
        <span className="num w-full text-sm text-ink2">
          {edited} changed by hand
          <button type="button" className={`${small} float-right`} disabled={!edited} onClick={() => reset(true)} title="Every slice of this mic as the settings make it">
            Reset all
          </button>
        </span>
      </div>
    </section>
  );
}
