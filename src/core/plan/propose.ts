/**
 * A proposed treatment for every mic, from its role, its drum's hits and how that rings: where practitioners begin. Toms are cut into slices with natural
 * tails, kick and snare are gated by their own hits, hats and cymbals are de-bled alone; overheads and rooms stay as they are, since their spill is the kit. Figures are common practice, no source.
 */
import { counted } from '../params/format';
import { type Ring, ringMs } from '../clean/ring';
import { type Kind, kindOf } from '../hits/kinds';
import { DEBLEED_DEFAULTS } from '../params/debleedParams';
import { GATE_PARAMS, type GateSettings, SOFT_HIT_DB } from '../params/gateParams';
import { SLICE_DEFAULTS, SLICE_PARAMS, type SliceSettings } from '../params/sliceParams';
import type { Change, Edit, Json } from './edits';
import { sameJson } from './edits';
import { countedHits } from './live';
import type { Plan, PlanMic, Treatment } from './plan';
import { roleOf } from './roles';

/** Where a mic hears so little of others that the end of its drum's ring is louder, cuts come no sooner than where the loudest stroke is so far under that spill, dB. */
const UNDER_SPILL_DB = 12;
/** And no gate later than this, dB. */
const DEEPEST_DB = 72;
/** How far the loudest strokes of a de-bled drum are kept, dB under themselves: `usual`, and further where the raw mic hardly heard others. */
const keptTo = (usual: number, ring: Ring | null, most: number): number => Math.min(most, Math.max(usual, Math.round(UNDER_SPILL_DB - (ring?.rawSpillDb ?? 0))));

/** A gate stays open until the loudest stroke has fallen this far, and is closed once it has fallen the second: later where de-bleed has left little to close for. */
const RAW = { heldDb: -32, goneDb: -52 };
const DEBLED = { heldDb: -46, goneDb: -60 };
/** A hat's open strokes ring far longer than its usual ones: so many times its ring, and never shorter than this, ms. What a gate need not close, its bands have closed already. */
const HAT = { heldDb: -52, goneDb: -70, times: 2, leastMs: 600 };
/** Slices of a de-bled tom: what is left under its tail is little, and its attacks are found to 3 ms and better. Soft strokes are let go about where they are 50 dB under the loudest, and slices join only where they all but meet: deeper and longer, what others leave in the tails was heard between the strokes (docs/debleed.md). */
export const DEBLED_TOM = { leadMs: 5, fadeInMs: 3, ringDb: 46, ownDb: 35, fadeOutMs: 40, bridgeMs: 30 } satisfies Partial<SliceSettings>;
const WITHOUT_RING = { holdMs: 200, releaseMs: 200, softShorter: 0 };

/** Soft strokes of a de-bled drum are held until they have fallen this far, dB. */
const SOFT_OWN_DB = 36;

type GateTimes = Pick<GateSettings, 'holdMs' | 'releaseMs' | 'softShorter'>;

/** Hold and release that follow a drum's own ring. The release is the time to silence (96 dB), of which a closed gate needs the first 60. */
export function gateTimes(ring: Ring | null, debled = false, kind?: Kind): GateTimes {
  if (!ring) return WITHOUT_RING;
  const usual = debled ? (kind === 'hat' ? HAT : DEBLED) : RAW;
  const heldDb = debled ? -keptTo(-usual.heldDb, ring, DEEPEST_DB) : usual.heldDb;
  const goneDb = heldDb + usual.goneDb - usual.heldDb;
  const least = kind === 'hat' ? Math.max(HAT.leastMs, HAT.times * ringMs(ring, 1, heldDb)) : 60;
  const held = Math.min(2000, Math.max(least, ringMs(ring, 1, heldDb)));
  const gone = Math.max(held + 40, ringMs(ring, 1, goneDb));
  // a hat's open strokes may be soft
  const soft = debled && kind !== 'hat' ? ringMs(ring, 10 ** (-SOFT_HIT_DB / 20), Math.min(heldDb, -SOFT_HIT_DB - SOFT_OWN_DB)) : held;
  const shorter = Math.max(0, Math.min(GATE_PARAMS.softShorter.max, Math.round(100 * (1 - soft / held))));
  return { holdMs: Math.round(held), softShorter: shorter, releaseMs: Math.round(Math.min(1000, Math.max(60, gone - held))) };
}

const TOM: Partial<SliceSettings> = { ...SLICE_DEFAULTS, on: true, leadMs: 10, fadeInMs: 6 };

/** What is proposed for one mic; null where it is best left alone. `kept`: de-bleed has something for it. */
export function proposeTreatment(mic: PlanMic, strokes: number, kept = false): Treatment | null {
  const cut = proposeCut(mic, strokes, kept);
  return kept ? { ...(cut ?? mic.treatment), debleed: { ...DEBLEED_DEFAULTS, on: true } } : cut;
}

function proposeCut(mic: PlanMic, strokes: number, kept: boolean): Treatment | null {
  const { drum, group } = roleOf(mic.role);
  if (!drum || group !== 'close' || strokes === 0) return null;
  const kind = kindOf(drum);
  const { gate, slices } = mic.treatment;
  if (kind === 'tom') return { ...mic.treatment, gate: { ...gate, on: false }, slices: { ...slices, ...TOM, ...(kept ? { ...DEBLED_TOM, ringDb: keptTo(DEBLED_TOM.ringDb, mic.ring, SLICE_PARAMS.ringDb.max) } : {}) } };
  // what spills into a raw hat mic is the kit. De-bleed itself closes its bands where strokes have fallen: a gate gave 1.5 dB more and cut open strokes, which ring on for more than a second (docs/decisions/0009)
  if (kind === 'kick' || kind === 'snare') {
    // a doubtful kick is none: they are heard surely or not at all
    return { ...mic.treatment, gate: { ...gate, on: true, keyBy: 'hits', keyFrom: '', ratio: 100, rangeDb: 90, attackMs: 1.5, lookaheadMs: 3.5, hitMin: 0, hitMax: 100, softDb: 0, keepDoubtful: kept && kind === 'snare', ...gateTimes(mic.ring, kept, kind) }, slices: { ...slices, on: false } };
  }
  return null;
}

/** One edit that gives every mic its proposed treatment; mics that a person has already treated are left alone. `kept`: mics that de-bleed has something for. */
export function proposePlan(plan: Plan, untouched: (t: Treatment) => boolean, kept: ReadonlySet<string> = new Set()): Edit {
  const hits = countedHits(plan);
  const changes: Change[] = [];
  for (const id of plan.order) {
    const mic = plan.mics[id];
    if (!untouched(mic.treatment)) continue;
    const after = proposeTreatment(mic, hits.get(roleOf(mic.role).drum ?? '')?.length ?? 0, kept.has(id));
    if (after && !sameJson(after, mic.treatment)) changes.push({ path: ['mics', id, 'treatment'], before: mic.treatment as unknown as Json, after: after as unknown as Json });
  }
  return { label: `Proposed treatment of ${counted(changes.length, 'mic')}`, changes };
}
