/** What the spill map says of each mic, in numbers and in words: how loud others are in it against its own drum, and what that calls for. Limits are common practice, no source. */
import { kindOf } from '../hits/kinds';
import type { Plan } from '../plan/plan';
import { countsFor } from '../plan/planHits';
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

export type Call = 'debleed' | 'gate' | 'stay' | 'wanted' | 'unknown';

export interface Verdict {
  readonly micId: string;
  readonly call: Call;
  /** Drums whose medium stroke comes nearest to the mic's own, the loudest first. */
  readonly loudest: readonly { readonly drum: string; readonly db: number; readonly delayMs: number | null }[];
  /** Own strokes that count, and of those found the ones in doubt. */
  readonly strokes: number;
  readonly doubtful: number;
}

/** From this on spill is under soft strokes too, where a gate alone fails; from that on it is heard at all, dB. */
const DEBLEED_FROM_DB = -16;
const HEARD_FROM_DB = -30;

export function verdicts(plan: Plan, spill: readonly SpillRow[]): Verdict[] {
  const owns = plan.order.map((id) => roleOf(plan.mics[id].role).drum);
  const matrix = spillMatrix(spill, owns);
  return plan.order.map((micId, m) => {
    const { drum, group } = roleOf(plan.mics[micId].role);
    const loudest = spill.flatMap((r, d) => (r.drum === drum ? [] : [{ drum: r.drum, db: matrix[m][d], delayMs: r.mics[m].delayMs }])).sort((a, b) => b.db - a.db).slice(0, 2);
    const { strokes, doubtful } = drum ? countsFor(plan, drum) : { strokes: 0, doubtful: 0 };
    const known = spill.some((r) => r.drum === drum);
    const top = loudest[0]?.db ?? Number.NEGATIVE_INFINITY;
    const call: Call = group !== 'close' || !drum ? 'wanted' : !known ? 'unknown' : top < HEARD_FROM_DB ? 'stay' : top >= DEBLEED_FROM_DB || kindOf(drum) === 'tom' ? 'debleed' : 'gate';
    return { micId, call, loudest, strokes, doubtful };
  });
}
