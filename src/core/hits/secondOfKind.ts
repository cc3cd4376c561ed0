/** Two bass drums and two snares: each is heard in the other's mic, in its own kind's colour, and passes for a soft stroke there. */
import type { FoundHit } from './detectHits';
import { THRESHOLD } from './passes';

/** The other drum of a kind that a kit may have two of; null for all others. */
export const otherOfKind = (drum: string): string | null => (/^(kick|snare)$/.test(drum) ? `${drum}-2` : /^(kick|snare)-2$/.test(drum) ? drum.slice(0, -2) : null);

/** A stroke so near to one of the other drum of its kind, seconds, that is no more than so much of its strength, is that one heard here. */
const TOGETHER_S = 0.008;
const OF_THE_OTHER = 1 / 6;
/** A hit that is as sure as this a person has set. */
const SAID = 1;

/** Every drum's hits without those that are the other drum's of its kind. What a person said stays. */
export function withoutOthersOfKind<T extends Pick<FoundHit, 'time' | 'strength' | 'certainty'>>(drums: Readonly<Record<string, readonly T[]>>): Record<string, T[]> {
  return Object.fromEntries(Object.entries(drums).map(([drum, list]) => {
    const others = drums[otherOfKind(drum) ?? ''] ?? [];
    const heardHere = (h: T) => others.some((o) => o.certainty >= THRESHOLD && Math.abs(o.time - h.time) < TOGETHER_S && h.strength <= OF_THE_OTHER * o.strength);
    return [drum, list.filter((h) => h.certainty === SAID || !heardHere(h))];
  }));
}
