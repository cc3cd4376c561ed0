/** A level on the waveform that can be taken hold of: a line above and below the middle, a handle at the edge. */
import { useDrag } from '@use-gesture/react';
import { formatNumber } from '../../core/params/format';
import { GATE_PARAMS } from '../../core/params/gateParams';
import { type WaveScale, dbAt, heightOfDb } from './scale';

export interface LevelLineProps {
  label: string;
  db: number;
  minDb: number;
  maxDb: number;
  scale: WaveScale;
  /** Height of the waveform, px. */
  height: number;
  dashed?: boolean;
  /** Words sit above or below the line, so that two close lines stay readable. */
  below?: boolean;
  /** Of a gate that is off: to be taken hold of, but not at work. */
  faint?: boolean;
  onMove(db: number): void;
  onEnd(): void;
}

export function LevelLine(p: LevelLineProps) {
  const mid = p.height / 2;
  const offset = heightOfDb(p.scale, p.db) * mid;
  const clamp = (db: number) => Math.round(Math.min(p.maxDb, Math.max(p.minDb, db)) * 2) / 2;
  const bind = useDrag(
    ({ event, last, memo, movement: [, my] }) => {
      event.stopPropagation();
      const start: number = memo ?? offset;
      p.onMove(clamp(dbAt(p.scale, (start - my) / mid)));
      if (last) p.onEnd();
      return start;
    },
    { filterTaps: true, pointer: { keys: false } },
  );
  const key = (e: React.KeyboardEvent) => {
    const step = { ArrowUp: 0.5, ArrowDown: -0.5, PageUp: 3, PageDown: -3 }[e.key];
    if (step === undefined) return;
    e.preventDefault();
    e.stopPropagation();
    p.onMove(clamp(p.db + step));
    p.onEnd();
  };
  const text = formatNumber(GATE_PARAMS.thresholdDb, p.db);
  const line = `absolute left-0 right-0 h-0 border-hand ${p.dashed ? 'border-t border-dashed' : 'border-t-[1.5px]'} ${p.faint ? 'opacity-40' : ''}`;
  return (
    <>
      <div className={`pointer-events-none ${line}`} style={{ top: mid - offset }} />
      <div className={`pointer-events-none ${line} ${p.faint ? '' : 'opacity-45'}`} style={{ top: mid + offset }} />
      <div
        {...bind()}
        role="slider"
        tabIndex={0}
        aria-label={p.label}
        aria-orientation="vertical"
        aria-valuenow={p.db}
        aria-valuemin={p.minDb}
        aria-valuemax={p.maxDb}
        aria-valuetext={text}
        onKeyDown={key}
        data-level={p.label}
        className="absolute left-0 right-0 z-10 h-3 -translate-y-1/2 cursor-ns-resize touch-none"
        style={{ top: mid - offset }}
      >
        <span className={`num absolute right-1 rounded-[5px] border bg-sheet px-1.5 text-xs ${p.faint ? 'border-line2 text-ink2' : 'border-hand text-hand'} ${p.below ? 'top-2' : 'bottom-2'}`}>
          {p.label.toLowerCase()} {text}
        </span>
      </div>
    </>
  );
}
