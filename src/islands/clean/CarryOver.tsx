/** Carries this mic's treatment to its siblings, after a look at what it comes to there. */
import { Play, Square } from 'lucide-react';
import { Dialog } from 'radix-ui';
import { useEffect, useMemo, useRef, useState } from 'react';
import { counted } from '../../core/params/format';
import { type Part, carryOver, outlook, siblings } from '../../core/plan/carryOver';
import { roleOf } from '../../core/plan/roles';
import { Glyph } from '../shared/Glyph';
import { Toggle } from '../shared/Toggle';
import { signed } from '../shared/time';
import { goTo, togglePlay } from '../workbench/engine';
import { type Bench, dropGesture, sketch, useBench } from '../workbench/store';
import { carryTo } from './sliceState';

const PARTS: readonly { id: Part; label: string }[] = [{ id: 'debleed', label: 'De-bleed' }, { id: 'gate', label: 'Gate' }, { id: 'slices', label: 'Slices' }, { id: 'tail', label: 'Tail damping' }, { id: 'parts', label: 'Attack and note' }];

/** What is heard while carrying over is tried: the chosen mics together, in the loop, or in what is in view where there is none. */
function hear(targets: readonly string[]): void {
  const { loop, view, playing } = useBench.getState();
  const stretch = loop ?? { from: Math.round(view.from), to: Math.round(view.to) };
  useBench.setState({ solo: new Set(targets), alone: false, listen: 'after', keyListen: false, loop: stretch, loopOn: true });
  if (playing) return;
  goTo(stretch.from);
  togglePlay();
}

export function CarryOver({ open, onOpen }: { open: boolean; onOpen(v: boolean): void }) {
  const plan = useBench((s) => s.base);
  const focus = useBench((s) => s.focus);
  const [parts, setParts] = useState<readonly Part[]>(['debleed', 'gate', 'slices', 'tail', 'parts']);
  const close = useMemo(() => (plan ? plan.order.filter((id) => id !== focus && roleOf(plan.mics[id].role).group === 'close') : []), [plan, focus]);
  const [chosen, setChosen] = useState<ReadonlySet<string> | null>(null);
  const targets = useMemo(() => (plan ? close.filter((id) => (chosen ?? new Set(siblings(plan, focus))).has(id)) : []), [plan, close, chosen, focus]);
  const rows = useMemo(() => (open && plan ? outlook(plan, focus, close, parts) : []), [open, plan, focus, close, parts]);
  const [trying, setTrying] = useState(false);
  /** How things were heard before. */
  const heard = useRef<Pick<Bench, 'solo' | 'alone' | 'listen' | 'loop' | 'loopOn'> | null>(null);
  const stop = () => {
    if (!heard.current) return;
    dropGesture();
    if (useBench.getState().playing) togglePlay();
    useBench.setState(heard.current);
    heard.current = null;
    setTrying(false);
  };
  useEffect(() => {
    if (!trying) return;
    if (!heard.current) {
      const { solo, alone, listen, loop, loopOn } = useBench.getState();
      heard.current = { solo, alone, listen, loop, loopOn };
    }
    sketch((base) => carryOver(base, focus, targets, parts));
    hear(targets);
  }, [trying, focus, targets, parts]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: when this leaves the screen, whatever it is then
  useEffect(() => stop, []);
  if (!plan?.mics[focus]) return null;
  const byLevel = parts.includes('slices') && plan.mics[focus].treatment.slices.on && plan.mics[focus].treatment.slices.cutBy === 'level';
  const flip = (id: string) => {
    const next = new Set(targets);
    if (!next.delete(id)) next.add(id);
    setChosen(next);
  };
  return (
    <Dialog.Root
      open={open}
      onOpenChange={(v) => {
        if (v) setChosen(null);
        else stop();
        onOpen(v);
      }}
    >
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/20" />
        <Dialog.Content className="card fixed left-1/2 top-1/2 z-50 w-[640px] -translate-x-1/2 -translate-y-1/2 p-5 shadow-xl" aria-describedby={undefined}>
          <Dialog.Title className="mb-2 font-head text-lg font-bold">Carry over from {plan.mics[focus].name}</Dialog.Title>
          <div className="mb-3 flex gap-5">
            {PARTS.map((p) => (
              <span key={p.id} className="flex items-center gap-1.5">
                <Toggle label={p.label} checked={parts.includes(p.id)} onChange={(v) => setParts(v ? [...parts, p.id] : parts.filter((x) => x !== p.id))} />
                {p.label}
              </span>
            ))}
          </div>
          <table className="w-full text-left">
            <thead className="text-xs text-ink2">
              <tr className="border-b border-line">
                <th className="py-1 font-normal">to</th>
                <th className="text-right font-normal">thresholds</th>
                <th className="text-right font-normal">slices now</th>
                <th className="text-right font-normal">then</th>
                <th className="text-right font-normal">flagged</th>
                <th className="text-right font-normal">by hand, stays</th>
              </tr>
            </thead>
            <tbody>
              {rows.map((r) => (
                <tr key={r.micId} className={`border-b border-line ${targets.includes(r.micId) ? '' : 'text-ink2'}`}>
                  <td className="py-1">
                    <label className="flex items-center gap-2">
                      <input type="checkbox" checked={targets.includes(r.micId)} onChange={() => flip(r.micId)} className="accent-ink" />
                      <Glyph role={plan.mics[r.micId].role} size={14} /> {r.name}
                    </label>
                  </td>
                  <td className="num text-right">{r.louderDb === null ? 'as they are' : `${signed(r.louderDb)} dB`}</td>
                  <td className="num text-right">{r.slicesBefore}</td>
                  <td className="num text-right">{byLevel ? '–' : r.slicesAfter}</td>
                  <td className="num text-right">{byLevel ? '–' : r.flags}</td>
                  <td className="num text-right">{r.changedByHand || '–'}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <p className="mt-2 text-sm text-ink2">Level thresholds follow how loud each mic's own strokes are.{byLevel && ' Slices by level are counted once they are made from each mic.'}</p>
          <div className="mt-3 flex justify-end gap-2">
            <button
              type="button"
              aria-pressed={trying}
              disabled={!trying && (targets.length === 0 || parts.length === 0 || byLevel)}
              className={`mr-auto flex h-8 items-center gap-1.5 rounded-card border-[1.5px] px-3 disabled:opacity-45 ${trying ? 'border-hand bg-hand text-on-hand' : 'border-ink'}`}
              title={byLevel ? 'Slices by level are made when they are carried over' : 'Plays the chosen mics together as they would be, in the loop or what is in view; nothing is carried over yet'}
              onClick={() => (trying ? stop() : setTrying(true))}
            >
              {trying ? <Square aria-hidden="true" size={12} /> : <Play aria-hidden="true" size={13} />} {trying ? 'Stop trying' : 'Try on the loop'}
            </button>
            <Dialog.Close className="h-8 rounded-card border-[1.5px] border-ink px-3">Leave</Dialog.Close>
            <button
              type="button"
              disabled={targets.length === 0 || parts.length === 0}
              className="h-8 rounded-card border-[1.5px] border-ink bg-ink px-3 font-semibold text-paper disabled:opacity-45"
              onClick={() => {
                stop();
                void carryTo(targets, parts);
                onOpen(false);
              }}
            >
              Carry over to {counted(targets.length, 'mic')}
            </button>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
