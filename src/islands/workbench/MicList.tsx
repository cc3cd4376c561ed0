/** The mics, always at hand: who it is, what is done to it, how loud, solo and mute. */
import { Slider } from 'radix-ui';
import { counted } from '../../core/params/format';
import { editMic } from '../../core/plan/edits';
import type { Plan } from '../../core/plan/plan';
import { Glyph } from '../shared/Glyph';
import { signed } from '../shared/time';
import { MicMeter } from './Meter';
import { commit, endGesture, sketch, useBench } from './store';
import { treatmentWords } from './treatmentWords';

function Letter(p: { letter: string; label: string; on: boolean; tone: 'hand' | 'ink'; onClick(): void }) {
  const lit = p.tone === 'hand' ? 'border-hand bg-hand text-on-hand' : 'border-ink bg-ink text-paper';
  return (
    <button
      type="button"
      aria-pressed={p.on}
      aria-label={p.label}
      title={p.label}
      onClick={(e) => {
        e.stopPropagation();
        p.onClick();
      }}
      className={`size-6 rounded-[6px] border text-xs font-bold ${p.on ? lit : 'border-line2 text-ink2 hover:border-ink'}`}
    >
      {p.letter}
    </button>
  );
}

function MicRow({ id }: { id: string }) {
  const plan = useBench((s) => s.plan) as Plan;
  const mic = plan.mics[id];
  const focused = useBench((s) => s.focus === id);
  const solo = useBench((s) => s.solo.has(id));
  const muted = useBench((s) => s.muted.has(id));
  const flip = (key: 'solo' | 'muted') => {
    const next = new Set(useBench.getState()[key]);
    if (!next.delete(id)) next.add(id);
    useBench.setState({ [key]: next });
  };
  const focus = () => useBench.setState({ focus: id });
  const level = mic.mix.levelDb;
  const move = (levelDb: number) => sketch((base) => editMic(base, id, { levelDb }));
  return (
    <li data-mic={id} className={`relative rounded-card border-[1.5px] px-2 pb-1 pt-1 ${focused ? 'border-ink bg-sheet' : 'border-transparent hover:bg-soft'}`}>
      <button type="button" className="absolute inset-0 rounded-card" aria-current={focused} aria-label={`${mic.name}, ${treatmentWords(plan, mic)}`} onClick={focus} title={`${mic.file}: ${treatmentWords(plan, mic)}`} />
      <div className="pointer-events-none relative flex items-center gap-2">
        <Glyph role={mic.role} />
        <span className="flex-1 truncate leading-[18px]">{mic.name}</span>
        <span className="num text-xs text-ink2">{signed(level)}</span>
      </div>
      <div className="pointer-events-none relative grid grid-cols-[1fr_auto] items-center gap-2 pl-[26px] [&_[role=slider]]:pointer-events-auto [&_button]:pointer-events-auto">
        <div className="min-w-0">
          <span className="block truncate text-xs leading-[14px] text-ink2">{treatmentWords(plan, mic, true)}</span>
          <Slider.Root
            min={-30}
            max={12}
            step={0.5}
            value={[Math.max(-30, level)]}
            onValueChange={([v]) => move(v)}
            onValueCommit={endGesture}
            onDoubleClick={() => useBench.getState().base && commit(editMic(useBench.getState().base as Plan, id, { levelDb: 0 }))}
            title="Level in the kit while listening. Double-click: 0 dB"
            className="pointer-events-auto relative flex h-2.5 touch-none items-center"
          >
            <Slider.Track className="relative h-px grow bg-line2" />
            <Slider.Thumb aria-label={`Level of ${mic.name}`} aria-valuetext={`${signed(level)} dB`} className="block h-2.5 w-[6px] rounded-[2px] border border-ink bg-sheet active:bg-hand" />
          </Slider.Root>
          <MicMeter id={id} />
        </div>
        <span className="flex gap-1">
          <Letter letter="S" label={`Solo ${mic.name}`} on={solo} tone="hand" onClick={() => flip('solo')} />
          <Letter letter="M" label={`Mute ${mic.name}`} on={muted} tone="ink" onClick={() => flip('muted')} />
        </span>
      </div>
    </li>
  );
}

export function MicList() {
  const order = useBench((s) => s.plan?.order) ?? [];
  return (
    <nav aria-label="Mics" className="flex min-h-0 flex-col border-r border-line">
      <h2 className="flex items-baseline justify-between px-4 pb-1 pt-2.5 text-sm font-bold text-ink2">
        {counted(order.length, 'mic')} <span className="text-xs font-normal">level, dB</span>
      </h2>
      <ul className="min-h-0 flex-1 overflow-y-auto px-2 pb-2">
        {order.map((id) => (
          <MicRow key={id} id={id} />
        ))}
      </ul>
    </nav>
  );
}
