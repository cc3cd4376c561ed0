/** The strokes of a drum over the song, those that the map rests on solid: each can be heard in the mic of the cell. */
import { useMemo, useRef } from 'react';
import type { Plan } from '../../core/plan/plan';
import { type ListedHit, listHits } from '../../core/plan/planHits';
import { useSize } from '../clean/useSize';
import { drumLabel } from '../hits/hitsState';
import { formatTime } from '../shared/time';
import { restsOn } from './strokes';

const HEIGHT = 24;
const LEAST = 5;

export function Strokes(p: { plan: Plan; drum: string; micName: string; sure: number; chosen: ListedHit; onHear(h: ListedHit): void }) {
  const box = useRef<HTMLDivElement>(null);
  const { width } = useSize(box);
  const { hits, thresholds, frames, sampleRate } = p.plan;
  // biome-ignore lint/correctness/useExhaustiveDependencies: of the plan only these matter
  const strokes = useMemo(() => listHits(p.plan, p.drum), [hits, thresholds, p.drum]);
  const x = (h: ListedHit) => 2 + (h.frame / Math.max(1, frames)) * Math.max(0, width - 4);
  const bar = (h: ListedHit) => `M${x(h).toFixed(1)} ${HEIGHT - 1}V${(HEIGHT - 1 - LEAST - (HEIGHT - 2 - LEAST) * h.strength).toFixed(1)}`;
  // biome-ignore lint/correctness/useExhaustiveDependencies: bars follow the width and the strokes
  const [solid, faint] = useMemo(() => {
    const rests = restsOn(strokes, p.sure);
    return [strokes.filter((h) => rests.has(h.id)).map(bar).join(''), strokes.filter((h) => !rests.has(h.id)).map(bar).join('')];
  }, [strokes, p.sure, width, frames]);
  const at = strokes.findIndex((h) => h.id === p.chosen.id);
  const words = (h: ListedHit) => `${formatTime(h.frame / sampleRate)}, ${Math.round(100 * h.strength)} %`;
  const go = (i: number) => {
    const h = strokes[Math.max(0, Math.min(strokes.length - 1, i))];
    if (h) p.onHear(h);
  };
  return (
    <div className="flex items-center gap-2 pb-1 text-sm text-ink2">
      <span title="Taller is stronger; solid strokes are those that levels and delays rest on">Strokes</span>
      <div
        ref={box}
        role="slider"
        tabIndex={0}
        aria-label={`Strokes of ${drumLabel(p.drum)}, heard in ${p.micName}`}
        aria-valuemin={1}
        aria-valuemax={strokes.length}
        aria-valuenow={at + 1}
        aria-valuetext={words(p.chosen)}
        title="Click a stroke to hear it in this mic, arrow keys go to the next"
        className="relative h-6 min-w-0 flex-1 cursor-pointer border-b border-line2"
        onPointerDown={(e) => {
          const from = e.currentTarget.getBoundingClientRect().left;
          const nearest = strokes.map((h, i) => ({ i, far: Math.abs(x(h) - (e.clientX - from)) })).sort((a, b) => a.far - b.far)[0];
          if (nearest) go(nearest.i);
        }}
        onKeyDown={(e) => {
          const to = { ArrowLeft: at - 1, ArrowDown: at - 1, ArrowRight: at + 1, ArrowUp: at + 1, Home: 0, End: strokes.length - 1 }[e.key];
          if (to === undefined || e.altKey || e.ctrlKey || e.metaKey) return;
          e.preventDefault();
          e.stopPropagation();
          go(to);
        }}
      >
        <svg width={width} height={HEIGHT} aria-hidden="true" className="absolute inset-0">
          <path d={faint} stroke="var(--line2)" strokeDasharray="2 2" />
          <path d={solid} stroke="var(--ink)" strokeWidth={1.5} />
          <path d={bar(p.chosen)} stroke="var(--hand)" strokeWidth={4} />
        </svg>
      </div>
      <span className="num w-[118px] text-right">{words(p.chosen)}</span>
    </div>
  );
}
