/** Time scale over the waveform. Drag on it to set the loop, drag the loop's ends to change it, click to go there. */
import { useDrag } from '@use-gesture/react';
import { useRef } from 'react';
import { formatTime } from '../shared/time';
import { goTo } from '../workbench/engine';
import { useBench } from '../workbench/store';
import { rulerStep } from './scale';
import { useSize } from './useSize';

/** Shortest loop, seconds. */
const MIN_LOOP = 0.05;

export function setLoopBetween(a: number, b: number): void {
  const s = useBench.getState();
  const rate = s.data?.recording.sampleRate ?? 48000;
  const frames = s.data?.recording.frames ?? 0;
  const from = Math.max(0, Math.round(Math.min(a, b)));
  const to = Math.min(frames, Math.round(Math.max(a, b)));
  if (to - from >= MIN_LOOP * rate) useBench.setState({ loop: { from, to }, loopOn: true });
}

function LoopEnd(p: { at: number; label: string; which: 'from' | 'to'; width: number }) {
  const s = useBench.getState;
  const rate = s().data?.recording.sampleRate ?? 48000;
  const move = (frame: number) => {
    const { loop } = s();
    if (loop) setLoopBetween(p.which === 'from' ? Math.min(frame, loop.to - MIN_LOOP * rate) : loop.from, p.which === 'to' ? Math.max(frame, loop.from + MIN_LOOP * rate) : loop.to);
  };
  const bind = useDrag(({ event, movement: [mx], memo }) => {
    event.stopPropagation();
    const { view, loop } = s();
    const start: number = memo ?? (loop as { from: number; to: number })[p.which];
    move(start + (mx / p.width) * (view.to - view.from));
    return start;
  }, { pointer: { keys: false } });
  return (
    <div
      {...bind()}
      role="slider"
      tabIndex={0}
      aria-label={p.label}
      aria-valuenow={Math.round(((s().loop?.[p.which] ?? 0) / rate) * 1000) / 1000}
      aria-valuetext={formatTime((s().loop?.[p.which] ?? 0) / rate)}
      onKeyDown={(e) => {
        const step = { ArrowLeft: -0.01, ArrowRight: 0.01 }[e.key];
        if (step === undefined) return;
        e.preventDefault();
        e.stopPropagation();
        move((s().loop?.[p.which] ?? 0) + step * rate);
      }}
      className={`absolute top-0 bottom-0 w-3 cursor-ew-resize touch-none ${p.which === 'from' ? '' : '-translate-x-full'}`}
      style={{ left: `${100 * p.at}%` }}
    >
      <span className={`absolute top-0 bottom-0 w-[5px] bg-hand ${p.which === 'from' ? 'left-0' : 'right-0'}`} />
    </div>
  );
}

export function Ruler() {
  const ref = useRef<HTMLDivElement>(null);
  const { width } = useSize(ref);
  const view = useBench((s) => s.view);
  const loop = useBench((s) => s.loop);
  const loopOn = useBench((s) => s.loopOn);
  const rate = useBench((s) => s.data?.recording.sampleRate ?? 48000);
  const span = view.to - view.from;
  const bind = useDrag(
    ({ tap, xy: [x], initial: [x0], currentTarget }) => {
      const box = (currentTarget as HTMLElement).getBoundingClientRect();
      const at = (px: number) => view.from + ((px - box.left) / box.width) * span;
      if (tap) goTo(at(x));
      else setLoopBetween(at(x0), at(x));
    },
    { filterTaps: true, pointer: { keys: false } },
  );
  const step = rulerStep(span / rate / Math.max(1, width), 84);
  const digits = step >= 1 ? 0 : step >= 0.1 ? 1 : step >= 0.01 ? 2 : step >= 0.001 ? 3 : step >= 0.0001 ? 4 : 5;
  const marks: number[] = [];
  for (let t = Math.ceil(view.from / rate / step - 1e-9) * step; t < view.to / rate; t += step) marks.push(t);
  const share = (frame: number) => (frame - view.from) / span;
  return (
    <div ref={ref} {...bind()} title="Drag to set a loop, click to go there" data-testid="ruler" className="relative h-6 cursor-text touch-none select-none overflow-hidden border-b border-line">
      {loop && (
        <div className={`absolute top-0 bottom-0 ${loopOn ? 'bg-hand-soft' : 'bg-soft'}`} style={{ left: `${100 * share(loop.from)}%`, width: `${(100 * (loop.to - loop.from)) / span}%` }} />
      )}
      {marks.map((t) => (
        <span key={t.toFixed(6)} className="num pointer-events-none absolute top-0 bottom-0 border-l border-line pl-1 text-xs leading-[23px] text-ink2" style={{ left: `${100 * share(t * rate)}%` }}>
          {formatTime(t, digits)}
        </span>
      ))}
      {loop && <LoopEnd at={share(loop.from)} label="Loop start" which="from" width={width} />}
      {loop && <LoopEnd at={share(loop.to)} label="Loop end" which="to" width={width} />}
    </div>
  );
}
