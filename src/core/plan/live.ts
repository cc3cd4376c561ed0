/**
 * A mic's treatment as the processors take it: settings and, where hits open the gate, the hits themselves. The worklet, the preview, the
 * export job and the command line all get it from here.
 */
import { type Gap, mergeGaps } from '../clean/gaps';
import { counts, thresholdOf } from './planHits';
import type { Plan, Treatment } from './plan';
import { roleOf } from './roles';

export interface KeyHit {
  readonly frame: number;
  readonly strength: number;
}

export interface LiveTreatment {
  readonly gate: Treatment['gate'];
  /** Joined, in order. */
  readonly gapList?: readonly Gap[];
  /** In order of time; empty where a level opens the gate. */
  readonly hits?: readonly KeyHit[];
}

const NONE: readonly KeyHit[] = [];
const made = new WeakMap<Treatment, { list: unknown; threshold: number; live: Required<LiveTreatment> }>();

/** The same object for the same settings and hits, so that whoever holds it sees when it changed. */
export function liveTreatment(plan: Plan, micId: string): Required<LiveTreatment> {
  const { treatment, role } = plan.mics[micId];
  const drum = roleOf(role).drum;
  const list = treatment.gate.keyBy === 'hits' && drum ? (plan.hits[drum] ?? null) : null;
  const threshold = drum ? thresholdOf(plan, drum) : 0;
  const known = made.get(treatment);
  if (known && known.list === list && known.threshold === threshold) return known.live;
  const least = treatment.gate.hitMin / 100;
  const hits = list
    ? Object.values(list)
        .filter((h) => counts(h, threshold) && h.strength >= least)
        .map((h) => ({ frame: h.frame, strength: h.strength }))
        .sort((a, b) => a.frame - b.frame)
    : NONE;
  const live = { gate: treatment.gate, gapList: mergeGaps(Object.values(treatment.gaps)), hits };
  made.set(treatment, { list, threshold, live });
  return live;
}
