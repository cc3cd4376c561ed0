/** Left of the Hits view: every drum with how certain a hit must be to count, how many count and how many are in doubt. */
import { Slider } from 'radix-ui';
import { thresholdOf } from '../../core/plan/planHits';
import type { Plan } from '../../core/plan/plan';
import { Glyph } from '../shared/Glyph';
import { commit, endGesture, sketch, useBench } from '../workbench/store';
import { countsFor } from '../../core/plan/planHits';
import { drumLabel, drumsOf, setThreshold } from './hitsState';

function Row({ drum }: { drum: string }) {
  const plan = useBench((s) => s.plan) as Plan;
  const { strokes: hits, doubtful: doubts } = countsFor(plan, drum);
  const value = Math.round(100 * thresholdOf(plan, drum));
  return (
    <li className="px-2 py-1.5" title={`A found hit of ${drumLabel(drum)} counts from ${value} % certain on. Double-click: 40 %`}>
      <div className="flex items-center gap-2">
        <Glyph role={drum} />
        <span className="flex-1 truncate">{drumLabel(drum)}</span>
        <span className="num text-sm text-ink2" data-count={drum}>
          {hits}
          {doubts > 0 && <span className="text-doubt"> · {doubts} ?</span>}
        </span>
      </div>
      <div className="flex items-center gap-2 pl-[26px]">
        <Slider.Root
          min={10}
          max={95}
          step={1}
          value={[105 - value]}
          onValueChange={([v]) => sketch((base) => setThreshold(drum, (105 - v) / 100, base))}
          onValueCommit={endGesture}
          onDoubleClick={() => commit(setThreshold(drum, 0.4, useBench.getState().base ?? plan))}
          className="relative flex h-6 flex-1 touch-none items-center"
        >
          <Slider.Track className="relative h-[3px] grow rounded bg-line">
            <Slider.Range className="absolute h-full rounded bg-ink" />
          </Slider.Track>
          <Slider.Thumb aria-label={`Keenness for ${drumLabel(drum)}`} aria-valuetext={`counts from ${value} % certain`} className="block h-[15px] w-[9px] rounded-[4px] border-[1.5px] border-ink bg-sheet active:bg-hand" />
        </Slider.Root>
        <span className="num w-9 text-right text-xs text-ink2">{value} %</span>
      </div>
    </li>
  );
}

export function DrumPanel() {
  const plan = useBench((s) => s.plan);
  if (!plan) return null;
  return (
    <nav aria-label="Drums" className="flex min-h-0 flex-col border-r border-line">
      <h2 className="px-4 pb-1 pt-2.5 text-sm font-bold text-ink2">How keen to listen</h2>
      <ul className="min-h-0 flex-1 overflow-y-auto px-2 pb-2">
        {drumsOf(plan).map((d) => (
          <Row key={d} drum={d} />
        ))}
      </ul>
      <p className="px-4 pb-3 text-xs text-ink2">Farther right: less certain hits count too. The figure is the least certainty.</p>
    </nav>
  );
}
