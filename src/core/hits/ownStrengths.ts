/** How hard a cymbal with a mic of its own was struck, by what its strokes add to that mic. */
import type { FoundHit } from './detectHits';
import type { Ear } from './ears';
import { BANDS, ownBands } from './kinds';
import { THRESHOLD } from './passes';
import { increment, topMean } from './song';

/** The hits with strengths 0..1: amplitude of what they add to the highs of `x`, their drum's own mic, against the mean of the five loudest that count. */
export async function withOwnStrengths(ear: Pick<Ear, 'powers'>, x: Float32Array, rate: number, hits: readonly FoundHit[]): Promise<FoundHit[]> {
  if (hits.length === 0) return [];
  const [powers] = await ear.powers(x, rate, [Float64Array.from(hits, (h) => h.time)]);
  const bands = ownBands('cymbal');
  const added = hits.map((_, i) => bands.reduce((sum, b) => sum + increment(powers[2 * i * BANDS + b], powers[(2 * i + 1) * BANDS + b]), 0));
  const counted = added.filter((_, i) => hits[i].certainty >= THRESHOLD);
  const loudest = topMean(counted.length > 0 ? counted : added);
  return hits.map((h, i) => ({ ...h, strength: Math.min(1, Math.sqrt(added[i] / loudest)) }));
}
