/** Hits on lanes, one a drum: size by strength, hollow in doubt, crossed out where they do not count. */
import { type ListedHit, counts, isDoubtful, thresholdOf } from '../../core/plan/planHits';
import type { Plan } from '../../core/plan/plan';
import { type HitColors, colorOf, createStamps } from './drawHits';

export interface Lanes {
  readonly plan: Pick<Plan, 'thresholds'>;
  readonly drums: readonly string[];
  /** By drum, rising. */
  readonly lanes: readonly (readonly ListedHit[])[];
  readonly view: { readonly from: number; readonly to: number };
  readonly width: number;
  readonly laneHeight: number;
  readonly dpr: number;
  readonly colors: HitColors;
  /** Whether those are drawn too that a person took out. */
  readonly out: boolean;
  chosen(h: ListedHit): boolean;
}

const GROW = 8;

/** Clears the canvas and draws. */
export function drawLanes(el: HTMLCanvasElement, o: Lanes): void {
  el.width = Math.round(o.width * o.dpr);
  el.height = Math.round(o.laneHeight * o.drums.length * o.dpr);
  const g = el.getContext('2d');
  if (!g) return;
  g.scale(o.dpr, o.dpr);
  const perFrame = o.width / (o.view.to - o.view.from);
  const stamps = createStamps(el.width, el.height, o.dpr);
  const chosen: [number, number, number][] = [];
  o.lanes.forEach((list, lane) => {
    const y = (lane + 0.5) * o.laneHeight;
    g.strokeStyle = o.colors.line;
    g.lineWidth = 1;
    g.beginPath();
    g.moveTo(0, Math.floor(y) + 0.5);
    g.lineTo(o.width, Math.floor(y) + 0.5);
    g.stroke();
    const threshold = thresholdOf(o.plan, o.drums[lane]);
    const color = colorOf(o.drums[lane], o.colors);
    const most = Math.min(GROW, o.laneHeight * 0.36);
    for (const h of list) {
      if (h.frame < o.view.from || h.frame > o.view.to) continue;
      const on = counts(h, threshold);
      const doubt = isDoubtful(h, threshold);
      if (!on && !doubt && (h.state === 'found' || !o.out)) continue;
      const x = (h.frame - o.view.from) * perFrame;
      stamps.stamp(h.drum, x, y, 2 + (most - 2) * Math.sqrt(h.strength), color, !on ? 'out' : doubt ? 'doubt' : 'sure', o.colors.sheet);
      if (o.chosen(h)) chosen.push([x, y, most]);
    }
  });
  g.setTransform(1, 0, 0, 1, 0, 0);
  stamps.putOn(g);
  g.setTransform(o.dpr, 0, 0, o.dpr, 0, 0);
  g.strokeStyle = o.colors.hand;
  g.lineWidth = 1.5;
  for (const [x, y, most] of chosen) g.strokeRect(x - most - 2, y - most - 2, 2 * most + 4, 2 * most + 4);
}
