/**
 * A mic's treatment as the processors take it: settings and, where hits matter, the hits themselves and the slices made from them. The worklet, the preview, the
 * export job and the command line all get it from here.
 */
import type { LiveDebleed } from '../clean/debleedMix';
import { type Gap, mergeGaps } from '../clean/gaps';
import type { LiveSlices } from '../clean/sliceStage';
import { type Slice, type SliceHit, type SliceInput, deriveSlices } from '../clean/slices';
import type { Closing } from '../clean/closingStage';
import type { LiveParts } from '../clean/partsStage';
import type { LiveTail } from '../clean/tailStage';
import type { FoundHit } from '../hits/detectHits';
import { kindOf } from '../hits/kinds';
import { SLICE_PARAMS } from '../params/sliceParams';
import { counts, thresholdOf } from './planHits';
import type { Plan, Treatment } from './plan';
import { roleOf } from './roles';

export interface KeyHit {
  readonly frame: number;
  readonly strength: number;
}

export interface LiveTreatment {
  /** Null where the mic goes in as it came. */
  readonly debleed?: LiveDebleed | null;
  readonly gate: Treatment['gate'];
  /** Joined, in order. */
  readonly gapList?: readonly Gap[];
  /** In order of time; empty where a level opens the gate. */
  readonly hits?: readonly KeyHit[];
  /** Null where the mic is not cut. */
  readonly slices?: LiveSlices | null;
  readonly tail?: LiveTail | null;
  readonly parts?: LiveParts | null;
  readonly closings?: readonly Closing[];
}

const NONE: readonly KeyHit[] = [];
interface Known {
  hits: Plan['hits'] | null;
  thresholds: Plan['thresholds'] | null;
  ring: unknown;
  live: Required<LiveTreatment>;
}
const made = new WeakMap<Treatment, Known>();

const allHits = new WeakMap<Plan['hits'], { thresholds: Plan['thresholds']; byDrum: Map<string, SliceHit[]> }>();

/** Hits that count, by drum, in order of time; the same object for the same plan hits. */
export function countedHits(plan: Pick<Plan, 'hits' | 'thresholds'>): ReadonlyMap<string, readonly SliceHit[]> {
  const known = allHits.get(plan.hits);
  if (known && known.thresholds === plan.thresholds) return known.byDrum;
  const byDrum = new Map<string, SliceHit[]>();
  for (const [drum, list] of Object.entries(plan.hits)) {
    const least = thresholdOf(plan, drum);
    byDrum.set(drum, Object.entries(list).filter(([, h]) => counts(h, least)).map(([id, h]) => ({ id, frame: h.frame, strength: h.strength })).sort((a, b) => a.frame - b.frame));
  }
  allHits.set(plan.hits, { thresholds: plan.thresholds, byDrum });
  return byDrum;
}

/** Found hits that do not count but may be strokes, at least this certain: they open slices and gates, and a de-bled hat's bands. Of toms, three of twelve less certain than .2 were strokes; of snares that the second finding alone hears seven of nine from .12 to .26; of hats none of 27 (docs/decisions/0009). */
export const MAY_BE = { cut: 0.12, hatBands: 0.26 };

function withDoubtful(plan: Pick<Plan, 'hits' | 'thresholds'>, drum: string, counted: readonly SliceHit[]): readonly SliceHit[] {
  const least = thresholdOf(plan, drum);
  const more = Object.entries(plan.hits[drum] ?? {}).filter(([, h]) => h.state === 'found' && h.certainty < least && h.certainty >= Math.min(MAY_BE.cut, least));
  return more.length ? [...counted, ...more.map(([id, h]) => ({ id, frame: h.frame, strength: h.strength }))].sort((a, b) => a.frame - b.frame) : counted;
}

/** Only a person is wholly certain: plans keep four digits, and what rounds to one may still be moved and judged. */
const MOST_CERTAIN = 0.9999;

/** All hits that may be strokes, by drum, in order of time: what de-bleed learns from. A person's are certain; found ones keep their certainty, and rejected ones are none. */
export function possibleHits(plan: Plan): Record<string, FoundHit[]> {
  const all = countedHits(plan);
  return Object.fromEntries(
    Object.entries(plan.hits).map(([d, list]) => {
      const counted = new Set(all.get(d)?.map((h) => h.id));
      const found = Object.entries(list).filter(([, h]) => h.state !== 'rejected');
      return [d, found.map(([id, h]) => ({ time: h.frame / plan.sampleRate, strength: h.strength, certainty: h.state === 'found' ? Math.min(h.certainty, MOST_CERTAIN) : counted.has(id) ? 1 : 0 })).sort((a, b) => a.time - b.time)];
    }),
  );
}

const foreignOf = new WeakMap<ReadonlyMap<string, readonly SliceHit[]>, Map<string, readonly number[]>>();

/** Frames of all strokes on other drums, rising. */
export function foreignHits(plan: Pick<Plan, 'hits' | 'thresholds'>, drum: string): readonly number[] {
  const all = countedHits(plan);
  const cache = foreignOf.get(all) ?? new Map<string, readonly number[]>();
  foreignOf.set(all, cache);
  const known = cache.get(drum);
  if (known) return known;
  const list = [...all].flatMap(([d, hits]) => (d === drum ? [] : hits.map((h) => h.frame))).sort((a, b) => a - b);
  cache.set(drum, list);
  return list;
}

const otherHits = (plan: Pick<Plan, 'hits' | 'thresholds'>, drum: string, of: (d: string) => boolean, least: number): number[] =>
  [...countedHits(plan)].flatMap(([d, hits]) => (d === drum || !of(d) ? [] : hits.filter((h) => h.strength >= least).map((h) => h.frame))).sort((a, b) => a - b);

/** Strokes at least this strong on these stand out of another drum's tail. */
const LOUD = 0.6;
const harsh = (drum: string) => drum === 'crash' || kindOf(drum) === 'snare';

/** Frames of strong strokes on snares and crash where those are other drums, rising. */
export const loudForeign = (plan: Pick<Plan, 'hits' | 'thresholds'>, drum: string): number[] => otherHits(plan, drum, harsh, LOUD);

/** Strokes at least this strong of kick, snare and toms cover the deep end of another drum's tail. */
const STRONG = 0.4;
const COVERING: ReadonlySet<string> = new Set(['kick', 'snare', 'tom']);

/** What the slices of a mic are derived from. */
export function sliceInput(plan: Plan, micId: string): SliceInput {
  const mic = plan.mics[micId];
  const drum = roleOf(mic.role).drum ?? '';
  const { slices: settings, sliceEdits, marks } = mic.treatment;
  const counted = countedHits(plan).get(drum) ?? [];
  const own = settings.keepDoubtful ? withDoubtful(plan, drum, counted) : counted;
  const attacks = own.filter((h) => !sliceEdits[h.id]?.dropped).map((h) => h.frame);
  return { attacks, rate: plan.sampleRate, frames: plan.frames, settings, ring: mic.ring, own: settings.cutBy === 'level' ? markedHits(plan, marks, own) : own, foreign: foreignHits(plan, drum), strong: otherHits(plan, drum, (d) => COVERING.has(kindOf(d)), STRONG), edits: sliceEdits };
}

/** Marks that a level found, as hits: those that hold an own stroke by its id, the others by their place. A level rises over its threshold after the attack: the stroke begins where it is known to. */
function markedHits(plan: Plan, marks: Treatment['marks'], own: readonly SliceHit[]): SliceHit[] {
  const grain = Math.round(plan.sampleRate / 20);
  let k = 0;
  return marks.map(([from, to]) => {
    while (k < own.length && own[k].frame < from - grain / 2) k++;
    const hit = k < own.length && own[k].frame <= to ? own[k] : null;
    // a stroke begins one slice, not the next too
    if (hit) k++;
    return { id: hit ? hit.id : `at-${Math.round(from / grain)}`, frame: hit ? Math.min(hit.frame, from) : from, strength: hit?.strength ?? 1, until: to };
  });
}

/** The slices of a mic, or none where it is not cut. */
export const slicesOf = (plan: Plan, micId: string): readonly Slice[] => liveTreatment(plan, micId).slices?.list ?? [];

/** Drums that stay in part, in order of their ids. */
const leftOf = (amounts: Readonly<Record<string, number>>) =>
  Object.keys(amounts).filter((d) => amounts[d] < 100).sort().map((source) => ({ source, gain: 1 - amounts[source] / 100 }));

/** The same object for the same settings and hits, so that whoever holds it sees when it changed. */
export function liveTreatment(plan: Plan, micId: string): Required<LiveTreatment> {
  const { treatment, role, ring } = plan.mics[micId];
  const { debleed, gate, slices, tail, parts } = treatment;
  const drum = roleOf(role).drum;
  const byHits = gate.keyBy === 'hits' || slices.on || tail.on || parts.on || (debleed.on && debleed.attackMs > 0);
  const [hits, thresholds] = [byHits ? plan.hits : null, byHits ? plan.thresholds : null];
  const known = made.get(treatment);
  if (known && known.hits === hits && known.thresholds === thresholds && known.ring === ring) return known.live;
  const own = byHits && drum ? (countedHits(plan).get(drum) ?? []) : [];
  const live: Required<LiveTreatment> = {
    debleed: debleed.on ? { settings: debleed, hits: debleed.attackMs > 0 ? own.map((h) => h.frame) : [], left: leftOf(debleed.amounts) } : null,
    gate,
    gapList: mergeGaps(Object.values(treatment.gaps)),
    hits: gate.keyBy === 'hits' ? (gate.keepDoubtful && drum ? withDoubtful(plan, drum, own) : own).filter((h) => h.strength >= gate.hitMin / 100 && (gate.hitMax >= 100 || h.strength <= gate.hitMax / 100)).map((h) => ({ frame: h.frame, strength: h.strength })) : NONE,
    slices: slices.on ? { list: deriveSlices(sliceInput(plan, micId)), gapGain: slices.gapDb >= SLICE_PARAMS.gapDb.end.from ? 0 : 10 ** (-slices.gapDb / 20) } : null,
    tail: tail.on ? { settings: tail, hits: own, foreign: tail.duckDb > 0 ? foreignHits(plan, drum ?? '') : [] } : null,
    parts: parts.on ? { settings: parts, hits: own.map((h) => h.frame) } : null,
    closings: Object.values(treatment.closings),
  };
  made.set(treatment, { hits, thresholds, ring, live });
  return live;
}
