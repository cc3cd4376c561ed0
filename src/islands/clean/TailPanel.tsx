/** Tail damping of the focused mic. */
import { sameJson } from '../../core/plan/edits';
import { TAIL_DEFAULTS, TAIL_PARAMS, type TailSettings } from '../../core/params/sliceParams';
import { roleOf } from '../../core/plan/roles';
import { editTail } from '../../core/plan/sliceEdits';
import { Toggle } from '../shared/Toggle';
import { commit, endGesture, focusedMic, sketch, useBench } from '../workbench/store';
import { ParamRow } from './ParamRow';

const ROWS = ['lowpassHz', 'fullMs', 'closeMs', 'depthDb', 'softDb', 'duckDb'] as const;

export function TailPanel() {
  const focus = useBench((s) => s.focus);
  const mic = useBench(focusedMic);
  const plan = useBench((s) => s.plan);
  if (!mic || !plan) return null;
  const t = mic.treatment.tail;
  const put = (patch: Partial<TailSettings>) => commit(editTail(useBench.getState().base ?? plan, focus, patch));
  const drum = roleOf(mic.role).drum;
  return (
    <section aria-label="Tail damping" className="card border-[1.5px] border-ink px-3 pb-2">
      <header className="flex h-8 items-center gap-2">
        <Toggle label={`Tail damping of ${mic.name}`} checked={t.on} onChange={(on) => put({ on })} title="Tail damping on or off (D)" />
        <h2 className="font-head text-base font-bold">Tail damping</h2>
        <span className="truncate text-sm text-ink2">{!drum ? 'no own drum' : t.on ? 'on' : 'off'}</span>
        <button type="button" disabled={sameJson(t, TAIL_DEFAULTS)} onClick={() => put(TAIL_DEFAULTS)} className="ml-auto h-6 rounded-[6px] px-1.5 text-sm hover:bg-soft disabled:opacity-45" title="Every setting back to its default, off">
          Restore
        </button>
      </header>
      <div className="border-t border-line pt-1">
        {ROWS.map((id) => (
          <ParamRow key={id} id={id} param={TAIL_PARAMS[id]} value={t[id]} onMove={(v) => sketch((base) => editTail(base, focus, { [id]: v }))} onEnd={endGesture} />
        ))}
      </div>
      <p className="pt-1 text-xs text-ink2">Open at every own stroke, to the sample; symmetric, so that nothing shifts in time. A long song is drawn with it a moment later.</p>
    </section>
  );
}
