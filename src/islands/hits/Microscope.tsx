/**
 * All mics around the chosen hit, a few tens of ms, each at its own scale: who heard it first is seen at once. The line at 0 is the hit;
 * small marks show when the drum usually reaches each mic. Drag moves the hit, the arrow keys do so by a millisecond or a sample.
 */
import { useDrag } from '@use-gesture/react';
import { useEffect, useMemo, useRef, useState } from 'react';
import { moveHits } from '../../core/plan/planHits';
import { mainMic } from '../../core/plan/mainMic';
import type { Plan } from '../../core/plan/plan';
import { usePalette } from '../clean/usePalette';
import { useSize } from '../clean/useSize';
import { samplesOf } from '../clean/waveData';
import { transportMics } from '../workbench/engine';
import { endGesture, sketch, useBench } from '../workbench/store';
import { readColors } from './drawHits';
import { delayIn, drumLabel, hear, hitOf, micsByArrival } from './hitsState';

const BEFORE_MS = 15;
const AFTER_MS = 45;
const MARKS = [-10, 0, 10, 20, 30, 40];

export function Microscope() {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const { width, height, dpr } = useSize(box);
  const plan = useBench((s) => s.plan) as Plan;
  const data = useBench((s) => s.data);
  const analysis = useBench((s) => s.analysis);
  const ref = useBench((s) => s.hit);
  const hit = hitOf(plan, ref);
  const palette = usePalette();
  const [tick, setTick] = useState(0);
  const rate = plan.sampleRate;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the mics only change with files and roles
  const mics = useMemo(() => transportMics({ data, plan }), [data, plan.order]);
  const heard = useBench((s) => (s.alone && s.loopOn && hit && s.loop && s.loop.from <= hit.frame && s.loop.to > hit.frame ? s.focus : null));
  const owner = hit ? mainMic(plan, hit.drum) : '';
  const delayOf = (id: string) => (hit ? delayIn(plan, analysis?.spill, hit.drum, id) : null);
  const order = hit ? micsByArrival(plan, analysis?.spill, hit.drum) : [];
  const laneHeight = (height - 18) / Math.max(1, order.length);
  const orderKey = order.join(' ');
  const from = hit ? hit.frame - (BEFORE_MS / 1000) * rate : 0;
  const to = hit ? hit.frame + (AFTER_MS / 1000) * rate : 1;

  // biome-ignore lint/correctness/useExhaustiveDependencies: tick says that audio has come; the order stands for its parts
  useEffect(() => {
    const el = canvas.current;
    if (!el || width < 2 || height < 2) return;
    el.width = Math.round(width * dpr);
    el.height = Math.round(height * dpr);
    const g = el.getContext('2d');
    if (!g || !hit) return;
    const c = readColors();
    g.scale(dpr, dpr);
    const x = (ms: number) => ((ms + BEFORE_MS) / (BEFORE_MS + AFTER_MS)) * width;
    g.strokeStyle = c.soft;
    for (const ms of MARKS) {
      g.beginPath();
      g.moveTo(x(ms), 0);
      g.lineTo(x(ms), height - 18);
      g.stroke();
    }
    order.forEach((id, lane) => {
      const audio = mics.find((m) => m.id === id);
      const got = audio && samplesOf(audio, Math.max(0, from), to, () => setTick((t) => t + 1));
      const mid = (lane + 0.5) * laneHeight;
      if (got) {
        const a = Math.max(0, Math.floor(from) - got.origin);
        const b = Math.min(got.samples.length, Math.ceil(to) - got.origin);
        let peak = 1e-5;
        for (let i = a; i < b; i++) peak = Math.max(peak, Math.abs(got.samples[i]));
        g.strokeStyle = id === owner ? c.ink : c.ink2;
        g.lineWidth = id === owner ? 1.6 : 1;
        g.beginPath();
        for (let i = a; i < b; i++) {
          const px = ((got.origin + i - from) / (to - from)) * width;
          const py = mid - (got.samples[i] / peak) * laneHeight * 0.46;
          if (i === a) g.moveTo(px, py);
          else g.lineTo(px, py);
        }
        g.stroke();
      }
      const delay = delayOf(id);
      if (delay !== null && delay > -BEFORE_MS && delay < AFTER_MS) {
        g.strokeStyle = c.hand;
        g.lineWidth = id === owner ? 2 : 1.5;
        g.beginPath();
        g.moveTo(x(delay), mid - laneHeight * 0.4);
        g.lineTo(x(delay), mid + laneHeight * 0.4);
        g.stroke();
      }
    });
  }, [orderKey, hit?.frame, hit?.drum, mics, width, height, dpr, laneHeight, analysis, palette, tick]);

  const bind = useDrag(
    ({ movement: [mx], last, tap, memo }) => {
      const s = useBench.getState();
      const start = memo ?? (s.base && hitOf(s.base, s.hit));
      if (!start || tap) return start;
      const by = Math.round((mx / width) * ((BEFORE_MS + AFTER_MS) / 1000) * rate);
      if (by !== 0) sketch((base) => moveHits(base, [start], by, `Moved ${drumLabel(start.drum)} by ${((1000 * by) / rate).toFixed(1)} ms`));
      if (last) endGesture();
      return start;
    },
    { filterTaps: true, pointer: { keys: false } },
  );
  return (
    <div className="card grid min-h-0 grid-cols-[92px_52px_1fr] grid-rows-[minmax(0,1fr)] overflow-hidden" data-testid="microscope">
      <div className="min-h-0 overflow-hidden border-r border-line">
        {order.map((id) => (
          <button
            key={id}
            type="button"
            aria-label={`Hear the hit in ${plan.mics[id].name}`}
            aria-pressed={heard === id}
            title={`${plan.mics[id].name}: hear the hit in this mic alone`}
            onClick={() => hear({ mic: id })}
            className={`block w-full truncate pl-2 pr-1 text-left text-xs hover:bg-line ${id === owner ? 'font-bold' : heard === id ? 'text-ink' : 'text-ink2'} ${heard === id ? 'bg-line' : ''}`}
            style={{ height: laneHeight }}
          >
            {plan.mics[id].name}
          </button>
        ))}
      </div>
      <div className="num min-h-0 overflow-hidden text-right text-xs text-ink2">
        {order.map((id) => {
          const d = delayOf(id);
          return (
            <div key={id} className="flex items-center justify-end pr-1.5" style={{ height: laneHeight }} title="When the drum usually reaches this mic, ms after its own">
              {id === owner ? 'own' : d === null ? '' : `${d >= 0 ? '+' : '−'}${Math.abs(d).toFixed(1)}`}
            </div>
          );
        })}
        <div className="pr-1.5 leading-[18px]">ms</div>
      </div>
      <div ref={box} {...bind()} className="relative min-h-0 cursor-ew-resize touch-none">
        <canvas ref={canvas} className="absolute inset-0 h-full w-full" role="img" aria-label="All mics around the chosen hit" />
        {MARKS.map((ms) => (
          <span key={ms} className="num absolute bottom-0 -translate-x-1/2 text-xs leading-[18px] text-ink2" style={{ left: `${((ms + BEFORE_MS) / (BEFORE_MS + AFTER_MS)) * 100}%` }}>
            {ms === 0 ? '0' : ms}
          </span>
        ))}
      </div>
    </div>
  );
}
