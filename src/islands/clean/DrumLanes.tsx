/** Who strikes when, over the waveform: every drum's hits in view on a lane each, so that a spike has a name before it is played. */
import { useEffect, useMemo, useRef } from 'react';
import { type ListedHit, counts, isDoubtful, listHits, thresholdOf } from '../../core/plan/planHits';
import { roleOf } from '../../core/plan/roles';
import { readColors } from '../hits/drawHits';
import { drawLanes } from '../hits/drawLanes';
import { drumLabel, drumsOf } from '../hits/hitsState';
import { formatTime } from '../shared/time';
import { goTo } from '../workbench/engine';
import { focusedMic, useBench } from '../workbench/store';
import { usePalette } from './usePalette';
import { useSize } from './useSize';

const LANE = 14;
/** From so many drums on lanes are narrower. */
const MANY = 9;
const NARROW = 11;
const REACH_PX = 9;
/** One hears what leads to a stroke. */
const BEFORE_S = 0.05;
const HINT = 'Who strikes when: size is strength, hollow is in doubt, crossed out does not count. Click a hit to go there';

/** Two cells of the waveform's grid: names, and lanes. */
export function DrumLanes() {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const { width, dpr } = useSize(box);
  const plan = useBench((s) => s.plan);
  const view = useBench((s) => s.view);
  const hit = useBench((s) => s.hit);
  const own = useBench((s) => roleOf(focusedMic(s)?.role ?? 'other').drum);
  const palette = usePalette();
  const [hits, thresholds] = [plan?.hits, plan?.thresholds];
  // biome-ignore lint/correctness/useExhaustiveDependencies: of the plan only these matter
  const drums = useMemo(() => (plan ? drumsOf(plan).filter((d) => listHits(plan, d).length > 0) : []), [hits, thresholds, plan?.order]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: of the plan only these matter
  const lanes = useMemo(() => (plan ? drums.map((d) => listHits(plan, d, true)) : []), [hits, thresholds, drums]);
  const laneHeight = drums.length < MANY ? LANE : NARROW;

  useEffect(() => {
    if (!canvas.current || !thresholds || width < 2 || drums.length === 0) return;
    void palette;
    drawLanes(canvas.current, { plan: { thresholds }, drums, lanes, view, width, laneHeight, dpr, colors: readColors(), out: false, chosen: (h) => hit?.drum === h.drum && hit.id === h.id });
  }, [thresholds, drums, lanes, view, width, laneHeight, dpr, palette, hit]);

  // two cells all the same: they stand in a grid
  if (!plan || drums.length === 0)
    return (
      <>
        <div />
        <div ref={box} />
      </>
    );
  const shown = (h: ListedHit) => counts(h, thresholdOf(plan, h.drum)) || isDoubtful(h, thresholdOf(plan, h.drum));
  const at = (e: React.MouseEvent): ListedHit | null => {
    const r = e.currentTarget.getBoundingClientRect();
    const frame = view.from + ((e.clientX - r.left) / r.width) * (view.to - view.from);
    const reach = (REACH_PX * (view.to - view.from)) / r.width;
    const lane = lanes[Math.floor((e.clientY - r.top) / laneHeight)] ?? [];
    return lane.filter((h) => Math.abs(h.frame - frame) < reach && shown(h)).sort((a, b) => Math.abs(a.frame - frame) - Math.abs(b.frame - frame))[0] ?? null;
  };
  return (
    <>
      <div className="overflow-hidden border-b border-r border-line" data-testid="lane-names">
        {drums.map((d) => (
          <div key={d} className={`truncate pl-2 text-xs ${d === own ? 'font-bold text-ink' : 'text-ink2'}`} style={{ height: laneHeight, lineHeight: `${laneHeight}px` }}>
            {drumLabel(d)}
          </div>
        ))}
      </div>
      {/* biome-ignore lint/a11y/noStaticElementInteractions: hits are walked by keys here (stepping) and in Hits */}
      {/* biome-ignore lint/a11y/useKeyWithClickEvents: the same */}
      <div
        ref={box}
        data-testid="drum-lanes"
        className="relative cursor-pointer overflow-hidden border-b border-line"
        style={{ height: laneHeight * drums.length }}
        title={HINT}
        onMouseMove={(e) => {
          const h = at(e);
          e.currentTarget.title = h ? `${drumLabel(h.drum)} at ${formatTime(h.frame / plan.sampleRate)}, strength ${Math.round(100 * h.strength)} %${isDoubtful(h, thresholdOf(plan, h.drum)) ? `, ${Math.round(100 * h.certainty)} % certain` : ''}` : HINT;
        }}
        onClick={(e) => {
          const h = at(e);
          if (!h) return;
          useBench.setState({ hit: { drum: h.drum, id: h.id } });
          goTo(h.frame - BEFORE_S * plan.sampleRate);
        }}
      >
        <canvas ref={canvas} className="absolute inset-0 h-full w-full" role="img" aria-label={`Hits of every drum in view: ${drums.map(drumLabel).join(', ')}`} />
      </div>
    </>
  );
}
