/**
 * The plan: everything about a recording that is not raw audio. Plain immutable JSON keyed by ids, the same in the app, the
 * command line and the database. Mics are found again by file name and channel, never by position.
 */
import type { Closing } from '../clean/closingStage';
import type { Gap } from '../clean/gaps';
import type { Ring } from '../clean/ring';
import type { SliceEdit } from '../clean/slices';
import { DEBLEED_DEFAULTS, type DebleedSettings } from '../params/debleedParams';
import { GATE_DEFAULTS, type GateSettings } from '../params/gateParams';
import { PARTS_DEFAULTS, type PartsSettings } from '../params/partsParams';
import { SLICE_DEFAULTS, type SliceSettings, TAIL_DEFAULTS, type TailSettings } from '../params/sliceParams';
import { sharedBeginning, stemOf } from './fileNames';
import { type NamedChannel, guessRoles } from './guessRoles';
import type { PlanHit } from './planHits';
import { rankOf, roleOf } from './roles';

export const PLAN_FORMAT = 'fresh-gap-plan';
export const PLAN_VERSION = 6;

export interface Treatment {
  readonly debleed: Readonly<DebleedSettings>;
  readonly gate: Readonly<GateSettings>;
  /** Stretches dropped by hand, by an id of their own. */
  readonly gaps: Readonly<Record<string, Gap>>;
  readonly slices: Readonly<SliceSettings>;
  /** What a person changed at single slices, by the id of a hit. */
  readonly sliceEdits: Readonly<Record<string, SliceEdit>>;
  /** Where the mic is over the slices' level: first and last frames, rising. Made from the audio when the level moves. */
  readonly marks: readonly (readonly [number, number])[];
  readonly tail: Readonly<TailSettings>;
  readonly parts: Readonly<PartsSettings>;
  /** Stretches over which a low-pass closes, by an id of their own. */
  readonly closings: Readonly<Record<string, Closing>>;
}

export const NO_TREATMENT: Treatment = { debleed: DEBLEED_DEFAULTS, gate: GATE_DEFAULTS, gaps: {}, slices: SLICE_DEFAULTS, sliceEdits: {}, marks: [], tail: TAIL_DEFAULTS, parts: PARTS_DEFAULTS, closings: {} };

/** How loud and where a mic is heard in the kit while working; never part of what is delivered. */
export interface Mix {
  readonly levelDb: number;
  /** -1 left to 1 right. */
  readonly pan: number;
}

export interface PlanMic {
  readonly file: string;
  readonly channel: number;
  readonly name: string;
  /** A role id; see roles.ts. */
  readonly role: string;
  readonly mix: Mix;
  readonly treatment: Treatment;
  /** How its drum rings in it, learnt by the analysis; null before that and for mics without a drum. */
  readonly ring: Ring | null;
  /** Another treatment of the mic, put aside to compare; null where there is none. */
  readonly second: Treatment | null;
}

export interface Plan {
  readonly format: typeof PLAN_FORMAT;
  readonly version: number;
  readonly sampleRate: number;
  /** Frames of the longest mic; shorter ones are followed by silence. */
  readonly frames: number;
  /** Mic ids in the order they are shown. */
  readonly order: readonly string[];
  readonly mics: Readonly<Record<string, PlanMic>>;
  /** Hits by drum and by an id of their own. */
  readonly hits: Readonly<Record<string, Readonly<Record<string, PlanHit>>>>;
  /** Least certainty of a found hit that counts, by drum; 0.4 where none is given. */
  readonly thresholds: Readonly<Record<string, number>>;
}

export interface MicSource extends NamedChannel {
  readonly frames: number;
}

/** A short id of lower-case words from a file name, unique among `taken`: "06 Tom 1.wav" gives "06-tom-1". */
export function micId(file: string, channel: number, channels: number, taken: ReadonlySet<string>): string {
  const base = stemOf(file).toLowerCase().replace(/[^a-z0-9]+/g, '-').replace(/^-|-$/g, '') || 'mic';
  const id = channels > 1 ? `${base}-${channel === 0 ? 'left' : 'right'}` : base;
  let n = 2;
  let free = id;
  while (taken.has(free)) free = `${id}-${n++}`;
  return free;
}

/** Names shown for mics: the role, with the file's own words, which other files do not begin with, behind it where two mics share a role. */
function displayNames(roles: readonly string[], sources: readonly NamedChannel[]): string[] {
  const shared = sharedBeginning([...new Set(sources.map((s) => s.file))]).length;
  return roles.map((r, i) => {
    const label = roleOf(r).label;
    const twin = roles.filter((x) => x === r).length > 1;
    const stem = stemOf(sources[i].file).slice(shared).replace(/^\d+[\s_.-]*/, '');
    if (r === 'other') return stem || label;
    return twin ? `${label} (${stem}${sources[i].channels > 1 ? `, ${sources[i].channel === 0 ? 'left' : 'right'}` : ''})` : label;
  });
}

/** One mic as it is first opened: no treatment, heard at 0 dB where its role sits. */
export function newMic(source: NamedChannel, role: string, name: string): PlanMic {
  return {
    file: source.file,
    channel: source.channel,
    name,
    role,
    mix: { levelDb: 0, pan: roleOf(role).pan },
    treatment: NO_TREATMENT,
    ring: null,
    second: null,
  };
}

/** The first plan of a recording: roles guessed from the names unless given, nothing treated. `ids` may give the mics' ids. */
export function createPlan(sampleRate: number, sources: readonly MicSource[], ids?: readonly string[], given?: readonly string[]): Plan {
  const roles = given ?? guessRoles(sources);
  const names = displayNames(roles, sources);
  const taken = new Set<string>();
  const order = sources.map((s, i) => {
    const id = ids?.[i] ?? micId(s.file, s.channel, s.channels, taken);
    taken.add(id);
    return id;
  });
  return {
    format: PLAN_FORMAT,
    version: PLAN_VERSION,
    sampleRate,
    frames: Math.max(0, ...sources.map((s) => s.frames)),
    order,
    mics: Object.fromEntries(sources.map((s, i) => [order[i], newMic(s, roles[i], names[i])])),
    hits: {},
    thresholds: {},
  };
}

/** True where cleaning would return the very samples that came in. */
export const isUntouched = (t: Treatment): boolean => !t.debleed.on && !t.gate.on && !t.slices.on && !t.tail.on && !t.parts.on && Object.keys(t.gaps).length === 0 && Object.keys(t.closings).length === 0;

/** Orders mics as engineers read a kit: close mics drum by drum, then overheads, rooms, the rest; equal roles keep their order. */
export function byRole(mics: Readonly<Record<string, PlanMic>>, ids: readonly string[]): string[] {
  const at = (id: string) => rankOf(mics[id].role);
  return [...ids].sort((a, b) => at(a) - at(b) || ids.indexOf(a) - ids.indexOf(b));
}
