/**
 * Slices: which stretches of a mic are kept, derived from settings, the drum's hits, how it rings, and edits by hand. Pure and quick, so that it is
 * done anew at every move of a setting; edits are tied to hits and outlive any setting. Frames throughout.
 */
import { firstIndex } from '../dsp/search';
import type { Curve, SliceSettings } from '../params/sliceParams';
import { type Ring, ringMs, strokeDb } from './ring';

export interface SliceHit {
  readonly id: string;
  readonly frame: number;
  readonly strength: number;
  /** Where the sound was found to end, for what a level found or a person kept. */
  readonly until?: number;
}

/** What a person changed at a hit (or at a place kept by hand); offsets are frames from the hit. */
export interface SliceEdit {
  readonly from?: number;
  readonly to?: number;
  readonly fadeIn?: number;
  readonly fadeOut?: number;
  readonly fadeInCurve?: Curve;
  readonly fadeOutCurve?: Curve;
  readonly dropped?: boolean;
  /** Cut before this hit, or joined with what comes before it, whatever the bridge says. */
  readonly split?: boolean;
  readonly join?: boolean;
  /** A stretch kept by hand where nothing was found: it lies here and lasts so long. */
  readonly at?: number;
  readonly lasts?: number;
}

export interface Slice {
  /** Id of its first hit. */
  readonly id: string;
  readonly hits: readonly SliceHit[];
  readonly from: number;
  readonly to: number;
  /** Full level from here to there at least: round the attacks. */
  readonly fullFrom: number;
  readonly fullTo: number;
  readonly fadeIn: number;
  readonly fadeOut: number;
  readonly fadeInCurve: Curve;
  readonly fadeOutCurve: Curve;
  /** Frames within which cuts may move to a zero crossing: [least, most] for each edge. */
  readonly fromRange: readonly [number, number];
  readonly toRange: readonly [number, number];
  /** Changed by hand at any of its hits. */
  readonly edited: boolean;
}

export interface SliceInput {
  readonly rate: number;
  readonly frames: number;
  readonly settings: SliceSettings;
  readonly ring: Ring | null;
  /** Rising. */
  readonly own: readonly SliceHit[];
  /** Frames of other drums' strokes as this mic hears them, rising. */
  readonly foreign: readonly number[];
  /** Those among them that are strong, of drums without a cymbal's ring, rising. */
  readonly strong: readonly number[];
  readonly edits: Readonly<Record<string, SliceEdit>>;
  /** Where own strokes begin that are to be heard, rising, whatever the slices are made from. */
  readonly attacks?: readonly number[];
}

/** Full level from this long before an attack to this long after it, whatever is set, seconds. */
export const GUARD_BEFORE_S = 0.002;
export const GUARD_AFTER_S = 0.005;
/** Where a foreign stroke falls into the lead, it begins this long after it. */
const AFTER_FOREIGN_S = 0.004;
/** A tail is at least this long. */
const LEAST_TAIL_S = 0.03;
/** A foreign stroke nearer than this after the attack cannot end a tail. */
const TOO_NEAR_S = 0.05;
const NATURAL_WITHOUT_RING_MS = 600;
/** The deep end of a natural tail, so far under the loudest strokes and so long after its own, is kept until another drum is struck strongly: what that leaves in the mic is louder. */
const DEEP_DB = 44;
const DEEP_MS = 400;
const LONGEST_SNAPPED_FADE_MS = 1.5;

interface Region {
  hit: SliceHit;
  from: number;
  to: number;
  edit: SliceEdit | undefined;
}

/** Hits that share a slice. */
interface Group {
  regions: Region[];
  from: number;
  end: number;
}

const firstAfter = (list: readonly number[], frame: number): number => firstIndex(list.length, (i) => list[i] > frame);

/** Length of a hit's tail, ms. */
export function tailMs(s: SliceSettings, ring: Ring | null, strength: number): number {
  if (s.tailBy === 'fixed') return s.tailMs;
  if (!ring) return NATURAL_WITHOUT_RING_MS;
  return ringMs(ring, strength, Math.min(Math.max(-s.ringDb, ring.spillDb), strokeDb(strength) - s.ownDb));
}

/** Where a hit's natural tail ends, frame: when it has rung out, or at a strong stroke of another drum into its deep end. */
export function naturalEnd(i: Pick<SliceInput, 'rate' | 'settings' | 'ring' | 'strong'>, hit: SliceHit): number {
  const at = (ms: number) => hit.frame + Math.round((ms / 1000) * i.rate);
  const to = at(tailMs({ ...i.settings, tailBy: 'natural' }, i.ring, hit.strength));
  // where the mic hardly hears others, the ring is worth more than what a stroke adds
  if (!i.ring || (i.ring.rawSpillDb ?? 0) <= -DEEP_DB) return to;
  const next = i.strong[firstAfter(i.strong, at(Math.max(DEEP_MS, ringMs(i.ring, hit.strength, -DEEP_DB))))];
  return next !== undefined && next < to ? next - Math.ceil(GUARD_BEFORE_S * i.rate) : to;
}

/** A stretch that a person kept has no attack to guard. */
const isKept = (e: SliceEdit | undefined): boolean => e?.at !== undefined;

function regionOf(i: SliceInput, hit: SliceHit): Region {
  const { rate, settings: s, foreign } = i;
  const frames = (ms: number) => Math.round((ms / 1000) * rate);
  const guard = Math.ceil(GUARD_BEFORE_S * rate);
  const edit = i.edits[hit.id];
  if (isKept(edit)) return { hit, edit, from: Math.max(0, hit.frame + (edit?.from ?? 0)), to: Math.min(i.frames, Math.max(hit.frame + 1, edit?.to === undefined ? (hit.until ?? 0) : hit.frame + edit.to)) };
  let from = hit.frame - frames(s.leadMs);
  if (s.clearLead) {
    const k = firstAfter(foreign, hit.frame - guard) - 1;
    if (k >= 0 && foreign[k] > from - Math.round(AFTER_FOREIGN_S * rate)) from = Math.max(from, foreign[k] + Math.round(AFTER_FOREIGN_S * rate));
  }
  let to = hit.until === undefined ? (s.tailBy === 'natural' ? naturalEnd(i, hit) : hit.frame + frames(s.tailMs)) : hit.until + frames(s.tailBy === 'fixed' ? s.tailMs : s.fadeOutMs);
  if (s.endBefore) {
    const next = foreign[firstAfter(foreign, hit.frame + Math.round(TOO_NEAR_S * rate))];
    if (next !== undefined && next < to) to = next - guard;
  }
  to = Math.max(to, hit.frame + Math.round(LEAST_TAIL_S * rate));
  if (edit?.from !== undefined) from = hit.frame + edit.from;
  if (edit?.to !== undefined) to = hit.frame + edit.to;
  return { hit, edit, from: Math.max(0, Math.min(from, hit.frame - guard)), to: Math.min(i.frames, Math.max(to, hit.frame + Math.ceil(GUARD_AFTER_S * rate))) };
}

/** Stretches kept by hand, as hits of their own. */
const keptByHand = (edits: SliceInput['edits']): SliceHit[] => Object.entries(edits).flatMap(([id, e]) => (e.at !== undefined && e.lasts !== undefined ? [{ id, frame: e.at, strength: 1, until: e.at + e.lasts }] : []));

/** The slices in order; they do not overlap. */
export function deriveSlices(i: SliceInput): Slice[] {
  const { rate, settings: s } = i;
  const frames = (ms: number) => Math.round((ms / 1000) * rate);
  const least = s.hitMin / 100;
  const hits = [...i.own.filter((h) => h.strength >= least || i.edits[h.id] !== undefined), ...keptByHand(i.edits)].filter((h) => !i.edits[h.id]?.dropped).sort((a, b) => a.frame - b.frame);
  const groups: Group[] = [];
  const bridge = frames(s.bridgeMs);
  const held = Math.ceil(GUARD_AFTER_S * rate);
  for (const hit of hits) {
    const r = regionOf(i, hit);
    const last = groups[groups.length - 1];
    const apart = r.edit?.split && last && r.from >= last.regions[last.regions.length - 1].hit.frame + (isKept(last.regions[last.regions.length - 1].edit) ? 1 : held);
    if (last && !apart && (r.from - last.end < Math.max(1, bridge) || r.edit?.join || r.edit?.split)) {
      last.regions.push(r);
      last.from = Math.max(Math.min(last.from, r.from), groups[groups.length - 2]?.end ?? 0);
      last.end = r.edit?.to !== undefined ? r.to : Math.max(last.end, r.to);
    } else {
      // a cut by hand ends what came before it
      if (last) last.end = Math.min(last.end, r.from);
      groups.push({ regions: [r], from: r.from, end: r.to });
    }
  }
  return groups.map((g) => sliceOf(i, g)).filter((x) => x.to - x.from >= frames(s.shortestMs) || x.edited);
}

function sliceOf(i: SliceInput, { regions, from, end }: Group): Slice {
  const { rate, settings: s } = i;
  const frames = (ms: number) => Math.round((ms / 1000) * rate);
  const [first, last] = [regions[0], regions[regions.length - 1]];
  // the guard is round the earliest and the latest attack
  const attacks = regions.filter((r) => !isKept(r.edit)).map((r) => r.hit.frame);
  const open = attacks.length ? attacks[0] - Math.ceil(GUARD_BEFORE_S * rate) : end;
  const held = attacks.length ? attacks[attacks.length - 1] + Math.ceil(GUARD_AFTER_S * rate) : from;
  const to = Math.max(held, end);
  const reach = frames(s.zeroMs);
  const fadeOut = Math.max(0, Math.min(last.edit?.fadeOut ?? frames(s.fadeOutMs), to - held));
  // a cut that fades needs no zero crossing, and the fade begins before its end is heard
  const reachOut = fadeOut > frames(LONGEST_SNAPPED_FADE_MS) ? 0 : reach;
  return {
    id: first.hit.id, hits: regions.map((r) => r.hit), from, to, fullFrom: open, fullTo: held, edited: regions.some((r) => i.edits[r.hit.id] !== undefined),
    fadeIn: Math.max(0, Math.min(first.edit?.fadeIn ?? frames(s.fadeInMs), open - from)),
    fadeOut,
    fadeInCurve: first.edit?.fadeInCurve ?? s.fadeInCurve,
    fadeOutCurve: last.edit?.fadeOutCurve ?? s.fadeOutCurve,
    fromRange: [Math.max(0, from - reach), Math.max(from, Math.min(from + reach, open))],
    toRange: [Math.min(to, Math.max(to - reachOut, held)), Math.min(i.frames, to + reachOut)],
  };
}

/** The gaps between slices, in order. */
export function gapsBetween(slices: readonly Slice[], frames: number): { from: number; to: number }[] {
  const out: { from: number; to: number }[] = [];
  let at = 0;
  for (const s of slices) {
    if (s.from > at) out.push({ from: at, to: s.from });
    at = Math.max(at, s.to);
  }
  if (at < frames) out.push({ from: at, to: frames });
  return out;
}
