/** How hard a cymbal was struck, by what its strokes add to a mic of its own, or to the overheads where no pattern of it is known. */
import type { FoundHit } from './detectHits';
import type { Ear } from './ears';
import { BANDS, ownBands } from './kinds';
import { THRESHOLD } from './passes';
import { increment, topMean } from './song';

/** The hits with strengths 0..1: amplitude of what they add to the highs of `mics`, one of the drum's own or all overheads, against the mean of the five loudest that count. */
export async function withOwnStrengths(ear: Pick<Ear, 'powers'>, mics: readonly Float32Array[], rate: number, hits: readonly FoundHit[]): Promise<FoundHit[]> {
  if (hits.length === 0) return [];
  const bands = ownBands('cymbal');
  const added = new Float64Array(hits.length);
  for (const x of mics) {
    const [powers] = await ear.powers(x, rate, [Float64Array.from(hits, (h) => h.time)]);
    hits.forEach((_, i) => {
      for (const b of bands) added[i] += increment(powers[2 * i * BANDS + b], powers[(2 * i + 1) * BANDS + b]);
    });
  }
  const counted = added.filter((_, i) => hits[i].certainty >= THRESHOLD);
  const loudest = topMean(counted.length > 0 ? counted : added);
  return hits.map((h, i) => ({ ...h, strength: Math.min(1, Math.sqrt(added[i] / loudest)) }));
}

/** Of a cymbal that is struck so seldom that no pattern is learnt, nothing explains any stroke: then all are softer than this. */
const UNTOLD = 0.005;
export const untold = (hits: readonly FoundHit[]): boolean => hits.length > 0 && hits.every((h) => h.strength < UNTOLD);
