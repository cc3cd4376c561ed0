/** Closing low-passes of the focused mic: added over the selection or the loop, for a last sound that rings out. */
import { Trash2 } from 'lucide-react';
import { CLOSING_HZ, addClosing, dropClosing, moveClosing } from '../../core/plan/closings';
import { formatTime } from '../shared/time';
import { commit, endGesture, focusedMic, sketch, useBench } from '../workbench/store';
import { ParamRow } from './ParamRow';
import { fitView } from './viewMoves';

export function Closings() {
  const focus = useBench((s) => s.focus);
  const mic = useBench(focusedMic);
  const plan = useBench((s) => s.plan);
  const selection = useBench((s) => s.selection);
  const loop = useBench((s) => s.loop);
  if (!mic || !plan) return null;
  const stretch = selection ?? loop;
  const rate = plan.sampleRate;
  const list = Object.entries(mic.treatment.closings).sort((a, b) => a[1].from - b[1].from);
  return (
    <section aria-label="Closing low-pass" className="card border-[1.5px] border-ink px-3 pb-2">
      <header className="flex h-8 items-center gap-2">
        <h2 className="whitespace-nowrap font-head text-base font-bold">Closing low-pass</h2>
        <button
          type="button"
          disabled={!stretch}
          className="ml-auto h-6 whitespace-nowrap rounded-[6px] border border-line2 px-2 text-sm hover:border-ink disabled:opacity-45"
          title={stretch ? 'From open at its start to the frequency at its end' : 'Mark a stretch first: drag the ruler, or step with Shift'}
          onClick={() => stretch && commit(addClosing(useBench.getState().base ?? plan, focus, Math.max(0, Math.round(stretch.from)), Math.min(plan.frames, Math.round(stretch.to))))}
        >
          Add over the {selection ? 'selection' : 'loop'}
        </button>
      </header>
      {list.length === 0 ? (
        <p className="border-t border-line pt-1 text-xs text-ink2">For a last sound that rings out: over a stretch that you mark, a low-pass of 24 dB per octave goes from 20 kHz down to its frequency.</p>
      ) : (
        <ul className="divide-y divide-line border-t border-line">
          {list.map(([id, c]) => (
            <li key={id} className="pt-1">
              <div className="flex items-center gap-1.5">
                <button type="button" className="num text-sm hover:underline" title="Show it" onClick={() => useBench.setState({ view: fitView(c.from, c.to, plan.frames) })}>
                  {formatTime(c.from / rate)} – {formatTime(c.to / rate)}
                </button>
                <span className="num text-sm text-ink2">{((c.to - c.from) / rate).toFixed(2)} s</span>
                <button type="button" className="ml-auto grid size-6 place-items-center rounded-[6px] hover:bg-soft" aria-label={`Remove the closing low-pass at ${formatTime(c.from / rate)}`} onClick={() => commit(dropClosing(useBench.getState().base ?? plan, focus, id))}>
                  <Trash2 aria-hidden="true" size={13} />
                </button>
              </div>
              <ParamRow id={`closing-${id}`} param={CLOSING_HZ} value={c.hz} onMove={(hz) => sketch((base) => moveClosing(base, focus, id, hz))} onEnd={endGesture} />
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
