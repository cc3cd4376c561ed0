/**
 * Settings by name: starting points of our own for each kind of drum, told by what they are for, and those that a person saves. They hold settings only: no hits, no edits by hand,
 * no other mic. Figures are common practice, no source.
 */
import type { Kind } from '../hits/kinds';
import { kindOf } from '../hits/kinds';
import type { DebleedSettings } from '../params/debleedParams';
import type { PartsSettings } from '../params/partsParams';
import { GATE_DEFAULTS, type GateSettings } from '../params/gateParams';
import { SLICE_DEFAULTS, type SliceSettings, TAIL_DEFAULTS, type TailSettings } from '../params/sliceParams';
import { type Change, type Edit, type Json, sameJson } from './edits';
import type { Plan } from './plan';
import { roleOf } from './roles';
import { DEBLED_TOM, gateTimes } from './propose';

export const SETTINGS_FORMAT = 'fresh-gap-settings';

export interface NamedSettings {
  readonly format: typeof SETTINGS_FORMAT;
  readonly version: 1;
  readonly name: string;
  readonly gate: GateSettings;
  readonly slices: SliceSettings;
  readonly tail: TailSettings;
  /** What older ones lack stays as the mic has it. */
  readonly debleed?: DebleedSettings;
  readonly parts?: PartsSettings;
}

export interface StartingPoint {
  readonly id: string;
  readonly kinds: readonly Kind[];
  readonly label: string;
  readonly purpose: string;
  readonly gate?: Partial<GateSettings>;
  readonly slices?: Partial<SliceSettings>;
  readonly tail?: Partial<TailSettings>;
  /** Hold and release of the gate follow the drum's own ring. */
  readonly ringing?: boolean;
}

const BY_HITS: Partial<GateSettings> = { on: true, keyBy: 'hits', attackMs: 1.5, lookaheadMs: 3.5 };

export const STARTING_POINTS: readonly StartingPoint[] = [
  { id: 'kick-own', kinds: ['kick'], label: 'Only the kick', purpose: 'Opens for its own strokes and rings out; nothing between them.', gate: BY_HITS, ringing: true },
  { id: 'kick-lower', kinds: ['kick'], label: 'Kit turned down', purpose: 'Leaves the rest of the kit 20 dB lower, for songs that live from it.', gate: { ...BY_HITS, rangeDb: 20 }, ringing: true },
  { id: 'snare-ghosts', kinds: ['snare'], label: 'Ghost notes kept', purpose: 'Opens for every stroke, for soft ones less far, so that hat and kick come up less behind them.', gate: { ...BY_HITS, softDb: 6, rangeDb: 40 }, ringing: true },
  { id: 'snare-backbeat', kinds: ['snare'], label: 'Back beats only', purpose: 'Leaves soft strokes out: for a mic that only carries the loud ones.', gate: { ...BY_HITS, hitMin: 45 }, ringing: true },
  { id: 'tom-cut', kinds: ['tom'], label: 'Cut, natural tail', purpose: 'Silence between strokes, each as long as the drum rings.', slices: { on: true, leadMs: 10, fadeInMs: 6 } },
  { id: 'tom-dark', kinds: ['tom'], label: 'Cut, tails darkened', purpose: 'The same under loud cymbals: after the stick only the note rings on.', slices: { on: true, leadMs: 10, fadeInMs: 6 }, tail: { on: true } },
  { id: 'tom-ballad', kinds: ['tom'], label: 'Long and gentle', purpose: 'Slow songs: longer fades, the rest of the kit 20 dB lower instead of gone.', slices: { on: true, leadMs: 25, fadeInMs: 15, ringDb: 60, fadeOutMs: 500, fadeOutCurve: 's', gapDb: 20 } },
  { id: 'hat-lower', kinds: ['hat'], label: 'Kit turned down', purpose: 'Opens for hat strokes, the snare behind it 12 dB lower.', gate: { ...BY_HITS, rangeDb: 12 }, ringing: true },
];

export const pointsFor = (role: string): readonly StartingPoint[] => {
  const drum = roleOf(role).drum;
  return drum ? STARTING_POINTS.filter((p) => p.kinds.includes(kindOf(drum))) : [];
};

function editTo(plan: Plan, micId: string, label: string, wanted: Pick<NamedSettings, 'gate' | 'slices' | 'tail' | 'debleed' | 'parts'>): Edit {
  const { treatment } = plan.mics[micId];
  const changes: Change[] = (['gate', 'slices', 'tail', 'debleed', 'parts'] as const).flatMap((part) =>
    wanted[part] === undefined || sameJson(treatment[part], wanted[part]) ? [] : [{ path: ['mics', micId, 'treatment', part], before: treatment[part] as unknown as Json, after: wanted[part] as unknown as Json }],
  );
  return { label: `${plan.mics[micId].name}: ${label}`, changes };
}

/** A mic's settings become those of a starting point: what it does not say is at its default. De-bleed stays as it is; where it is on, tails may ring longer. */
export function applyPoint(plan: Plan, micId: string, p: StartingPoint): Edit {
  const { ring, role, treatment } = plan.mics[micId];
  const drum = roleOf(role).drum;
  const debled = treatment.debleed.on;
  const times = p.ringing ? gateTimes(ring, debled, drum ? kindOf(drum) : undefined) : {};
  const tails = debled && p.kinds.includes('tom') ? DEBLED_TOM : {};
  return editTo(plan, micId, p.label, { gate: { ...GATE_DEFAULTS, ...p.gate, ...times }, slices: { ...SLICE_DEFAULTS, ...tails, ...p.slices }, tail: { ...TAIL_DEFAULTS, ...p.tail } });
}

/** A mic's settings under a name. A key mic belongs to the recording and stays out. */
export function namedSettings(plan: Plan, micId: string, name: string): NamedSettings {
  const { gate, slices, tail, debleed, parts } = plan.mics[micId].treatment;
  // amounts belong to the other drums of one kit
  return { format: SETTINGS_FORMAT, version: 1, name, gate: { ...gate, keyFrom: '' }, slices, tail, debleed: { ...debleed, amounts: {} }, parts };
}

/** A mic's settings become saved ones; its key mic stays. */
export const applyNamed = (plan: Plan, micId: string, s: NamedSettings): Edit =>
  editTo(plan, micId, s.name, { gate: { ...s.gate, keyFrom: plan.mics[micId].treatment.gate.keyFrom }, slices: s.slices, tail: s.tail, debleed: s.debleed && { ...s.debleed, amounts: plan.mics[micId].treatment.debleed.amounts }, parts: s.parts });
