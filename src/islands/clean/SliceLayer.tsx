/**
 * Slices on the waveform: a bar at the top of each to choose it by, edges and fades to take hold of. What a hand does to one that is selected it does to all
 * selected ones; with Alt they all get the same distance from their attack.
 */
import { useDrag } from '@use-gesture/react';
import { useMemo } from 'react';
import { fadeGain } from '../../core/clean/fades';
import type { Slice } from '../../core/clean/slices';
import { slicesOf } from '../../core/plan/live';
import { endGesture, useBench } from '../workbench/store';
import { formatTime } from '../shared/time';
import { heightOf } from './scale';
import { pickSlice, sketchEdge, sketchFade } from './sliceState';

/** More than this many in view are only drawn by their gain: handles would lie on each other. */
const MOST = 160;
const CURVE_POINTS = 24;

function Handle(p: { slice: Slice; edge: 'from' | 'to' | 'fadeIn' | 'fadeOut'; x: number; perPixel: number; label: string; top: number }) {
  const fade = p.edge === 'fadeIn' || p.edge === 'fadeOut';
  const bind = useDrag(
    ({ movement: [mx], altKey, first, last, memo, event }) => {
      event.stopPropagation();
      const s: Slice = first || !memo ? p.slice : memo;
      const by = Math.round(mx * p.perPixel);
      if (p.edge === 'fadeIn') sketchFade(s, 'fadeIn', s.fadeIn + by);
      else if (p.edge === 'fadeOut') sketchFade(s, 'fadeOut', s.fadeOut - by);
      else if (altKey) sketchEdge(s, p.edge, { to: p.edge === 'from' ? s.hits[0].frame - s.from - by : s.to - s.hits[s.hits.length - 1].frame + by });
      else sketchEdge(s, p.edge, { by });
      if (last) endGesture();
      return s;
    },
    { filterTaps: true, pointer: { keys: false } },
  );
  return (
    <button
      type="button"
      {...bind()}
      aria-label={p.label}
      title={fade ? `${p.label}: drag to lengthen or shorten` : `${p.label}: drag to move; with Alt the same distance for all selected`}
      data-slice-edge={p.edge}
      data-slice={p.slice.id}
      className={`absolute z-10 -translate-x-1/2 touch-none ${fade ? 'size-6 cursor-ew-resize' : 'bottom-0 w-3 cursor-col-resize'}`}
      style={{ left: p.x, top: p.top }}
    >
      <span aria-hidden="true" className={`absolute left-1/2 -translate-x-1/2 ${fade ? 'top-1.5 size-2.5 rotate-45 border-[1.5px] border-ink bg-sheet' : 'inset-y-0 w-[1.5px] bg-ink'}`} />
    </button>
  );
}

/** Path of a slice's gain over its fades, in pixels. */
function curve(s: Slice, x: (f: number) => number, height: number): string {
  // on the scale of the gain line, which is drawn over it where one is close enough
  const y = (g: number) => 2 + (1 - heightOf('lifted', g)) * (height - 5);
  const points: string[] = [];
  const put = (f: number, g: number) => points.push(`${x(f).toFixed(1)} ${y(g).toFixed(1)}`);
  for (let k = 0; k <= CURVE_POINTS; k++) put(s.from + (s.fadeIn * k) / CURVE_POINTS, s.fadeIn ? fadeGain(s.fadeInCurve, k / CURVE_POINTS) : 1);
  for (let k = 0; k <= CURVE_POINTS; k++) put(s.to - s.fadeOut + (s.fadeOut * k) / CURVE_POINTS, s.fadeOut ? fadeGain(s.fadeOutCurve, 1 - k / CURVE_POINTS) : 1);
  return `M${points.join('L')}`;
}

export function SliceLayer({ height }: { height: number }) {
  const plan = useBench((s) => s.plan);
  const focus = useBench((s) => s.focus);
  const view = useBench((s) => s.view);
  const picked = useBench((s) => s.slices);
  const width = useBench((s) => s.waveWidth);
  const rate = plan?.sampleRate ?? 48000;
  const list = useMemo(() => (plan ? slicesOf(plan, focus) : []), [plan, focus]);
  const shown = useMemo(() => list.filter((s) => s.to > view.from && s.from < view.to), [list, view]);
  if (shown.length === 0 || shown.length > MOST || width < 2) return null;
  const perPixel = (view.to - view.from) / width;
  const x = (f: number) => (f - view.from) / perPixel;
  return (
    <div className="pointer-events-none absolute inset-0 overflow-hidden [&>button]:pointer-events-auto" data-testid="slice-layer">
      <svg aria-hidden="true" className="absolute inset-0 h-full w-full">
        {shown.map((s) => (
          <path key={s.id} d={curve(s, x, height)} fill="none" stroke="var(--ink)" strokeWidth={1} strokeDasharray={s.edited ? undefined : '3 2'} />
        ))}
      </svg>
      {shown.map((s) => {
        const [a, b] = [x(s.from), x(s.to)];
        const at = `${formatTime(s.hits[0].frame / rate)}`;
        const wide = b - a > 26;
        return [
          <button
            key={`${s.id}-bar`}
            type="button"
            data-slice-bar={s.id}
            aria-pressed={picked.has(s.id)}
            aria-label={`Slice at ${at}${s.edited ? ', changed by hand' : ''}`}
            title="Click selects, Shift adds"
            onPointerDown={(e) => e.stopPropagation()}
            onClick={(e) => pickSlice(s.id, e.shiftKey)}
            className={`absolute top-0 h-[13px] border-b border-ink ${picked.has(s.id) ? 'bg-hand' : s.edited ? 'bg-ink2' : 'bg-line2'} hover:bg-ink`}
            style={{ left: a, width: Math.max(3, b - a) }}
          />,
          <Handle key={`${s.id}-from`} slice={s} edge="from" x={a} perPixel={perPixel} label={`Start of the slice at ${at}`} top={13} />,
          <Handle key={`${s.id}-to`} slice={s} edge="to" x={b} perPixel={perPixel} label={`End of the slice at ${at}`} top={13} />,
          wide && x(s.from + s.fadeIn) - a > 4 && <Handle key={`${s.id}-in`} slice={s} edge="fadeIn" x={x(s.from + s.fadeIn)} perPixel={perPixel} label={`Fade in of the slice at ${at}`} top={10} />,
          wide && <Handle key={`${s.id}-out`} slice={s} edge="fadeOut" x={x(s.to - s.fadeOut)} perPixel={perPixel} label={`Fade out of the slice at ${at}`} top={10} />,
        ];
      })}
    </div>
  );
}
