/** What the spill map says of each mic, in numbers and in words: how loud others are in it against its own drum, and what that calls for. Limits are common practice, no source. */
import type { Ring } from '../clean/ring';
import { type Kind, kindOf } from '../hits/kinds';
import type { Plan } from '../plan/plan';
import { countsFor, listHits } from '../plan/planHits';
import { gateTimes } from '../plan/propose';
import { roleOf } from '../plan/roles';
import type { SpillRow } from './spillMap';

/** A medium stroke of a drum in a mic, in dB that compare across drums and mics. */
export const strokeInMic = (row: SpillRow, mic: number): number => row.strokeDb + row.mics[mic].levelDb;
export const strokeBandInMic = (row: SpillRow, mic: number, band: number): number => row.strokeBandsDb[band] + row.mics[mic].bandsDb[band];

/** Mics x drums (rows of the map): dB under (over) a medium stroke of the mic's own drum, or of the loudest drum where it has none; 0 for that drum itself. */
export function spillMatrix(spill: readonly SpillRow[], owns: readonly (string | null)[]): number[][] {
  return owns.map((own, m) => {
    const levels = spill.map((r) => strokeInMic(r, m));
    const at = spill.findIndex((r) => r.drum === own);
    const reference = at >= 0 ? levels[at] : Math.max(...levels);
    return levels.map((l) => l - reference);
  });
}

export type Call = 'debleed' | 'cut' | 'stay' | 'wanted' | 'unknown';

export interface Verdict {
  readonly micId: string;
  readonly call: Call;
  /** Drums whose medium stroke comes nearest to the mic's own, the loudest first. */
  readonly loudest: readonly { readonly drum: string; readonly db: number; readonly delayMs: number | null }[];
  /** Own strokes that count, and of those found the ones in doubt. */
  readonly strokes: number;
  readonly doubtful: number;
  /** Whether the drum's own strokes are on the map; where none was sure enough for it, levels are against the loudest drum. */
  readonly mapped: boolean;
  /** What there is to take, and what a gate could do; null for mics without own strokes. */
  readonly reach: CutReach | null;
}

/** What is told of a mic by its drum's hits and ring alone. */
export interface CutReach {
  /** Level of the raw mic away from own strokes, dB against the loudest of them; null where the ring is not known. */
  readonly gapsDb: number | null;
  /** Share of the song in which a gate by its hits would be closed, 0..1. */
  readonly closed: number;
  /** Own strokes, and those in whose held tail another drum is struck that the mic hears: there a gate leaves it. */
  readonly tails: number;
  readonly struck: number;
}

/** From this on spill is under soft strokes too, where a gate alone fails; from that on it is heard at all, dB. */
const DEBLEED_FROM_DB = -16;
const HEARD_FROM_DB = -30;

/** The stroke itself, in which another's cannot be told from it, s. */
const STROKE_S = 0.02;
/** Of a gate's release, which is the time to silence (96 dB), it needs so much until it is closed for the ear (60 dB). */
const CLOSED_AT = 60 / 96;

/** `loud`: drums that the mic hears besides its own. */
export function cutReach(plan: Plan, drum: string, ring: Ring | null, loud: readonly string[]): CutReach | null {
  const own = listHits(plan, drum).map((h) => h.frame);
  if (own.length === 0) return null;
  const { holdMs, releaseMs } = gateTimes(ring, false, kindOf(drum));
  const held = Math.round(((holdMs + CLOSED_AT * releaseMs) / 1000) * plan.sampleRate);
  const stroke = Math.round(STROKE_S * plan.sampleRate);
  const others = loud.flatMap((d) => listHits(plan, d).map((h) => h.frame)).sort((a, b) => a - b);
  let [open, struck, next] = [0, 0, 0];
  own.forEach((f, i) => {
    const end = Math.min(f + held, own[i + 1] ?? plan.frames);
    open += Math.max(0, end - f);
    while (next < others.length && others[next] <= f + stroke) next++;
    if (others[next] < end) struck++;
  });
  return { gapsDb: ring?.spillDb ?? null, closed: Math.max(0, 1 - open / Math.max(1, plan.frames)), tails: own.length, struck };
}

/** `rings`: of the raw mics, in their order; `shares`: how much of de-bleed is used, by mic, once it is computed. */
export function verdicts(plan: Plan, spill: readonly SpillRow[], rings: readonly (Ring | null)[] = [], shares: Readonly<Record<string, number>> = {}): Verdict[] {
  const owns = plan.order.map((id) => roleOf(plan.mics[id].role).drum);
  const matrix = spillMatrix(spill, owns);
  return plan.order.map((micId, m) => {
    const { drum, group } = roleOf(plan.mics[micId].role);
    const all = spill.flatMap((r, d) => (r.drum === drum ? [] : [{ drum: r.drum, db: matrix[m][d], delayMs: r.mics[m].delayMs }])).sort((a, b) => b.db - a.db);
    const { strokes, doubtful } = drum ? countsFor(plan, drum) : { strokes: 0, doubtful: 0 };
    const mapped = spill.some((r) => r.drum === drum);
    const top = all[0]?.db ?? Number.NEGATIVE_INFINITY;
    const call: Call = group !== 'close' || !drum ? 'wanted' : !mapped && strokes === 0 ? 'unknown' : mapped && top < HEARD_FROM_DB ? 'stay' : callOf(kindOf(drum), mapped ? top : 0, shares[micId]);
    const reach = group === 'close' && drum ? cutReach(plan, drum, rings[m] ?? null, all.filter((x) => !mapped || x.db >= HEARD_FROM_DB).map((x) => x.drum)) : null;
    return { micId, call, loudest: all.slice(0, 2), strokes, doubtful, mapped, reach };
  });
}

/** Once de-bleed is computed it is used wherever it costs the drum nothing; a hat is not cut, its open strokes ring too long for that. */
function callOf(kind: Kind, top: number, share: number | undefined): Call {
  if (share !== undefined) return share > 0 ? 'debleed' : kind === 'hat' ? 'stay' : 'cut';
  return top >= DEBLEED_FROM_DB || kind === 'tom' || kind === 'hat' ? 'debleed' : 'cut';
}
