/**
 * All drums' hits over the part of the song in view: a lane a drum, size by strength, hollow in doubt. Click chooses, drag selects a
 * range over lanes, Shift adds, double-click adds a hit; the wheel zooms.
 */
import { useGesture } from '@use-gesture/react';
import { useEffect, useMemo, useRef, useState } from 'react';
import { type ListedHit, counts, isDoubtful, listHits, thresholdOf } from '../../core/plan/planHits';
import type { Plan } from '../../core/plan/plan';
import { Playhead } from '../clean/Playhead';
import { Ruler } from '../clean/Ruler';
import { usePalette } from '../clean/usePalette';
import { useSize } from '../clean/useSize';
import { scrollView, zoomView } from '../clean/viewMoves';
import { Glyph } from '../shared/Glyph';
import { useBench } from '../workbench/store';
import { readColors } from './drawHits';
import { drawLanes } from './drawLanes';
import { add, choose, drumLabel, drumsOf, keyOf } from './hitsState';

const REACH_PX = 9;

export function HitMap() {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const { width, height, dpr } = useSize(box);
  const plan = useBench((s) => s.plan) as Plan;
  const view = useBench((s) => s.view);
  const hit = useBench((s) => s.hit);
  const picked = useBench((s) => s.picked);
  const frames = useBench((s) => s.data?.recording.frames ?? 1);
  const palette = usePalette();
  const [band, setBand] = useState<{ x0: number; y0: number; x1: number; y1: number } | null>(null);
  const drums = useMemo(() => drumsOf(plan), [plan]);
  const lanes = useMemo(() => drums.map((d) => listHits(plan, d, true)), [plan, drums]);
  const laneHeight = height / Math.max(1, drums.length);

  useEffect(() => {
    if (!canvas.current || width < 2 || height < 2) return;
    void palette;
    drawLanes(canvas.current, { plan, drums, lanes, view, width, laneHeight, dpr, colors: readColors(), out: true, chosen: (h) => (picked.size > 0 && picked.has(keyOf(h))) || (hit?.id === h.id && hit.drum === h.drum) });
  }, [lanes, drums, view, width, height, dpr, laneHeight, plan, hit, picked, palette]);

  const place = (x: number, y: number) => {
    const r = (box.current as HTMLDivElement).getBoundingClientRect();
    const v = useBench.getState().view;
    return { frame: v.from + ((x - r.left) / r.width) * (v.to - v.from), lane: Math.floor((y - r.top) / laneHeight), px: x - r.left, py: y - r.top };
  };
  const nearest = (x: number, y: number): ListedHit | null => {
    const { frame, lane } = place(x, y);
    const per = width / (view.to - view.from);
    const near = (lanes[lane] ?? []).filter((h) => Math.abs(h.frame - frame) * per < REACH_PX && (h.state !== 'found' || counts(h, thresholdOf(plan, h.drum)) || isDoubtful(h, thresholdOf(plan, h.drum))));
    return near.sort((a, b) => Math.abs(a.frame - frame) - Math.abs(b.frame - frame))[0] ?? null;
  };
  useGesture(
    {
      onWheel: ({ event, delta: [dx, dy], shiftKey }) => {
        event.preventDefault();
        if (!box.current) return;
        const r = box.current.getBoundingClientRect();
        const v = useBench.getState().view;
        const sideways = shiftKey ? dy || dx : Math.abs(dx) > Math.abs(dy) ? dx : 0;
        if (sideways) useBench.setState({ view: scrollView(v, (sideways / r.width) * (v.to - v.from), frames) });
        else useBench.setState({ view: zoomView(v, Math.exp(dy * 0.0022), (event.clientX - r.left) / r.width, frames) });
      },
      onDrag: ({ tap, first, last, xy: [x, y], initial: [x0, y0], shiftKey }) => {
        if (tap) {
          const h = nearest(x, y);
          if (h && shiftKey) {
            const next = new Set(useBench.getState().picked);
            if (!next.delete(keyOf(h))) next.add(keyOf(h));
            useBench.setState({ picked: next });
          } else choose(h, false);
          return;
        }
        const [a, b] = [place(x0, y0), place(x, y)];
        if (last) setBand(null);
        else if (!first) setBand({ x0: Math.min(a.px, b.px), y0: Math.min(a.py, b.py), x1: Math.max(a.px, b.px), y1: Math.max(a.py, b.py) });
        if (last) {
          const [from, to] = [Math.min(a.frame, b.frame), Math.max(a.frame, b.frame)];
          const [top, bottom] = [Math.min(a.lane, b.lane), Math.max(a.lane, b.lane)];
          const inside = lanes.slice(Math.max(0, top), bottom + 1).flatMap((list, k) => list.filter((h) => h.frame >= from && h.frame <= to && counts(h, thresholdOf(plan, drums[Math.max(0, top) + k]))));
          useBench.setState((s) => ({ picked: new Set([...(shiftKey ? s.picked : []), ...inside.map(keyOf)]) }));
        }
      },
    },
    { target: box, eventOptions: { passive: false }, drag: { filterTaps: true, pointer: { keys: false } } },
  );
  return (
    <div className="card grid min-h-0 flex-1 grid-cols-[92px_1fr] grid-rows-[auto_minmax(0,1fr)] overflow-hidden" data-testid="hit-map">
      <div className="border-b border-r border-line pl-2 text-xs leading-[23px] text-ink2">time</div>
      <Ruler />
      <div className="min-h-0 overflow-hidden border-r border-line">
        {drums.map((d) => (
          <div key={d} className="flex items-center gap-1.5 overflow-hidden pl-2 text-sm text-ink2" style={{ height: laneHeight }}>
            <Glyph role={d} size={14} />
            {drumLabel(d)}
          </div>
        ))}
      </div>
      {/* biome-ignore lint/a11y/noStaticElementInteractions: every action here has a key and a command too */}
      <div
        ref={box}
        className="relative min-h-0 cursor-crosshair touch-none select-none"
        onDoubleClick={(e) => {
          const { frame, lane } = place(e.clientX, e.clientY);
          if (drums[lane] && !nearest(e.clientX, e.clientY)) add(drums[lane], frame);
        }}
      >
        <canvas ref={canvas} className="absolute inset-0 h-full w-full" role="img" aria-label="Hits of every drum over time" />
        {band && <div className="pointer-events-none absolute border border-hand bg-hand-soft opacity-40" style={{ left: band.x0, top: band.y0, width: band.x1 - band.x0, height: band.y1 - band.y0 }} />}
        <Playhead />
      </div>
    </div>
  );
}
