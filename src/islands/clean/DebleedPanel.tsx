/** De-bleed of the focused mic: computed ahead for all close mics at once, then settings that move at once. */
import { DEBLEED_DEFAULTS, DEBLEED_PARAMS, type DebleedSettings } from '../../core/params/debleedParams';
import { sameJson } from '../../core/plan/edits';
import { roleOf } from '../../core/plan/roles';
import { editDebleed } from '../../core/plan/sliceEdits';
import { Toggle } from '../shared/Toggle';
import { formatTime, signed } from '../shared/time';
import { useKept } from '../shared/kept';
import { commit, endGesture, focusedMic, sketch, useBench } from '../workbench/store';
import { DebleedJob } from './DebleedJob';
import { TakeOut } from './TakeOut';
import { ParamRow } from './ParamRow';

const ROWS = ['depthDb', 'attackMs', 'fromHz', 'toHz'] as const;

function Figure(p: { label: string; db: number | null; title: string }) {
  return (
    <div title={p.title}>
      <dt className="text-xs text-ink2">{p.label}</dt>
      <dd className="num text-[15px] leading-5">
        {signed(p.db)} <span className="text-xs text-ink2">dB</span>
      </dd>
    </div>
  );
}

export function DebleedPanel() {
  const [open, setOpen] = useKept('debleed.open', false);
  const focus = useBench((s) => s.focus);
  const mic = useBench(focusedMic);
  const plan = useBench((s) => s.plan);
  const kept = useBench((s) => s.data?.debled[s.focus]);
  const job = useBench((s) => s.debleed?.job ?? null);
  const figures = useBench((s) => (s.preview?.micId === s.focus ? s.preview.debleed : null));
  if (!mic || !plan) return null;
  const t = mic.treatment.debleed;
  const put = (patch: Partial<DebleedSettings>) => commit(editDebleed(useBench.getState().base ?? plan, focus, patch));
  const { drum, group } = roleOf(mic.role);
  const close = drum !== null && group === 'close';
  const running = job?.state === 'queued' || job?.state === 'running';
  return (
    <section aria-label="De-bleed" className="card border-[1.5px] border-ink px-3 pb-2">
      <header className="flex h-8 items-center gap-2">
        <Toggle label={`De-bleed of ${mic.name}`} checked={t.on} onChange={(on) => put({ on })} title="De-bleed on or off (V)" />
        <h2 className="whitespace-nowrap font-head text-base font-bold">De-bleed</h2>
        <span className="truncate text-sm text-ink2">{!close ? 'close mics only' : !kept ? (running ? 'being computed' : 'not computed yet') : kept.stretch ? `only ${formatTime(kept.stretch.from / plan.sampleRate)} to ${formatTime(kept.stretch.to / plan.sampleRate)}` : t.on ? 'on' : 'off'}</span>
        <button type="button" disabled={sameJson(t, DEBLEED_DEFAULTS)} onClick={() => put(DEBLEED_DEFAULTS)} className="ml-auto h-6 rounded-[6px] px-1.5 text-sm hover:bg-soft disabled:opacity-45" title="Every setting back to its default, off">
          Restore
        </button>
      </header>
      <div className="border-t border-line pt-1">
        {kept && t.on && (
          <dl className="grid grid-cols-3 gap-2 pb-1" data-testid="debleed-figures">
            <Figure label="In gaps" db={figures?.gapsDb ?? null} title="Level against the raw mic where the drum has rung out" />
            <Figure label="In tails" db={figures?.tailsDb ?? null} title="Level against the raw mic 60 to 400 ms after own strokes: the drum's own ring stays" />
            <Figure label="Attacks" db={figures?.attackDb ?? null} title="Level against the raw mic in the first 10 ms of own strokes: near 0 is right" />
          </dl>
        )}
        {ROWS.map((row) => (
          <ParamRow key={row} id={row} param={DEBLEED_PARAMS[row]} value={t[row]} disabled={!kept} onMove={(v) => sketch((base) => editDebleed(base, focus, { [row]: v }))} onEnd={endGesture} />
        ))}
      </div>
      {kept && !kept.stretch && close && <TakeOut open={open} onOpen={setOpen} />}
      {kept && kept.share < 1 && (
        <p className="pt-1 text-sm text-doubt">
          {kept.share > 0 ? `Only ${Math.round(100 * kept.share)} % is used here:` : 'Left as it came:'} it would have taken {(-kept.lossDb).toFixed(1)} dB of the drum's own loud strokes.
        </p>
      )}
      {t.on && close && !kept && !running && <p className="pt-1 text-sm text-doubt">On, but nothing is heard of it before it is computed.</p>}
      <DebleedJob />
      <p className="pt-1 text-xs text-ink2">Learns from all mics how each drum reaches this one, and takes the others out. Hits are found again on what is left; yours stay as you decided.</p>
    </section>
  );
}
