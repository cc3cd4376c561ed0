/**
 * Hits in the plan: what the analysis found and what a person decided. Found ones below a drum's threshold stay, without counting, so
 * that the threshold can be turned; what a person confirmed, moved, added or rejected is never overwritten by a new analysis.
 */
import { counted } from '../params/format';
import type { Ring } from '../clean/ring';
import { type Change, type Edit, type Json, sameJson } from './edits';
import type { Plan } from './plan';

export type HitState = 'found' | 'confirmed' | 'rejected' | 'added';

export interface PlanHit {
  /** Of the attack at the drum's own mic. */
  readonly frame: number;
  readonly strength: number;
  readonly certainty: number;
  readonly state: HitState;
}

export interface ListedHit extends PlanHit {
  readonly id: string;
  readonly drum: string;
}

export const DEFAULT_THRESHOLD = 0.4;
/** Found hits between these certainties, and those just under the threshold, are for a person to decide. */
const DOUBT_UP_TO = 0.8;
const DOUBT_UNDER = 0.2;
/** Two hits of one drum nearer than this are the same stroke, seconds. */
const SAME_S = 0.012;

export const thresholdOf = (plan: Pick<Plan, 'thresholds'>, drum: string): number => plan.thresholds[drum] ?? DEFAULT_THRESHOLD;

/** Whether a hit counts as a stroke. */
export const counts = (h: Pick<PlanHit, 'state' | 'certainty'>, threshold: number): boolean => h.state === 'confirmed' || h.state === 'added' || (h.state === 'found' && h.certainty >= threshold);

export const isDoubtful = (h: Pick<PlanHit, 'state' | 'certainty'>, threshold: number): boolean => h.state === 'found' && h.certainty < DOUBT_UP_TO && h.certainty >= threshold - DOUBT_UNDER;

/** How many hits of a drum count, and how many are in doubt. */
export function countsFor(plan: Pick<Plan, 'hits' | 'thresholds'>, drum: string): { strokes: number; doubtful: number } {
  const t = thresholdOf(plan, drum);
  const list = Object.values(plan.hits[drum] ?? {});
  return { strokes: list.filter((h) => counts(h, t)).length, doubtful: list.filter((h) => isDoubtful(h, t)).length };
}

/** Hits of a drum in order of time. `all`: also those that do not count. */
export function listHits(plan: Pick<Plan, 'hits' | 'thresholds'>, drum: string, all = false): ListedHit[] {
  const t = thresholdOf(plan, drum);
  return Object.entries(plan.hits[drum] ?? {})
    .filter(([, h]) => all || counts(h, t))
    .map(([id, h]) => ({ ...h, id, drum }))
    .sort((a, b) => a.frame - b.frame);
}

const json = (h: PlanHit | null): Json => (h ? { frame: h.frame, strength: h.strength, certainty: h.certainty, state: h.state } : null);

/** One change of one hit; null where it is not there. */
export const hitChange = (plan: Pick<Plan, 'hits'>, drum: string, id: string, after: PlanHit | null): Change => ({ path: ['hits', drum, id], before: json(plan.hits[drum]?.[id] ?? null), after: json(after) });

/** Gives hits a state of a person's. */
export function decideHits(plan: Plan, hits: readonly ListedHit[], state: 'confirmed' | 'rejected', label: string): Edit {
  return { label, changes: hits.map((h) => hitChange(plan, h.drum, h.id, { ...h, state })) };
}

/** Gives hits to another drum: they are rejected where they were and confirmed there. */
export function giveHits(plan: Plan, hits: readonly ListedHit[], drum: string, label: string): Edit {
  return {
    label,
    changes: hits.filter((h) => h.drum !== drum).flatMap((h) => [hitChange(plan, h.drum, h.id, { ...h, state: 'rejected' }), hitChange(plan, drum, h.id, { ...h, state: 'confirmed' })]),
  };
}

/** Moves hits by frames; a moved hit is confirmed. */
export function moveHits(plan: Plan, hits: readonly ListedHit[], by: number, label: string): Edit {
  return { label, changes: hits.map((h) => hitChange(plan, h.drum, h.id, { ...h, frame: Math.min(Math.max(0, plan.frames - 1), Math.max(0, h.frame + by)), state: h.state === 'added' ? 'added' : 'confirmed' })) };
}

/** A free id for a hit at a frame. */
export function hitId(plan: Pick<Plan, 'hits'>, drum: string, frame: number): string {
  const taken = plan.hits[drum] ?? {};
  let id = String(frame);
  for (let n = 2; Object.hasOwn(taken, id); n++) id = `${frame}-${n}`;
  return id;
}

export interface AnalysedHit {
  /** Seconds. */
  readonly time: number;
  readonly strength: number;
  readonly certainty: number;
}

/** What an analysis found, as one edit: decided hits stay as they are, found ones are replaced, none lands on a decided stroke. `rings` by mic id. */
export function mergeAnalysis(plan: Plan, found: Readonly<Record<string, readonly AnalysedHit[]>>, rings: Readonly<Record<string, Ring | null>> = {}): Edit {
  const changes: Change[] = [];
  const near = SAME_S * plan.sampleRate;
  let total = 0;
  for (const drum of new Set([...Object.keys(plan.hits), ...Object.keys(found)])) {
    const was = plan.hits[drum] ?? null;
    const kept = Object.entries(was ?? {}).filter(([, h]) => h.state !== 'found');
    const next: Record<string, PlanHit> = Object.fromEntries(kept);
    for (const h of found[drum] ?? []) {
      const frame = Math.round(h.time * plan.sampleRate);
      if (kept.some(([, k]) => Math.abs(k.frame - frame) < near)) continue;
      next[hitId({ hits: { [drum]: next } }, drum, frame)] = { frame, strength: Number(h.strength.toFixed(4)), certainty: Number(h.certainty.toFixed(4)), state: 'found' };
    }
    total += Object.values(next).filter((h) => counts(h, thresholdOf(plan, drum))).length;
    changes.push({ path: ['hits', drum], before: was as unknown as Json, after: next as unknown as Json });
  }
  for (const [id, ring] of Object.entries(rings)) {
    if (plan.mics[id] && !sameJson(plan.mics[id].ring, ring)) changes.push({ path: ['mics', id, 'ring'], before: plan.mics[id].ring as unknown as Json, after: ring as unknown as Json });
  }
  return { label: `${counted(total, 'hit')} found`, changes };
}
