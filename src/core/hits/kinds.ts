/** What differs between kinds of drums in the finding of hits: which bands rise, where a stroke begins to be heard, how many patterns. */
export type Kind = 'kick' | 'snare' | 'hat' | 'tom' | 'cymbal';

/** A second bass drum and a second snare ("kick-2", "snare-2") are of their kinds. */
export const kindOf = (drum: string): Kind => (['kick', 'snare', 'hat', 'tom'] as const).find((k) => drum.startsWith(k)) ?? 'cymbal';

/** Bands in which candidates are sought, Hz. */
export const RISE_BANDS: readonly (readonly [number, number])[] = [[40, 110], [90, 220], [200, 450], [450, 1200], [1200, 3500], [3500, 8000], [8000, 16000]];

/** Which of them rise when the drum is struck. */
export const RISES_IN: Record<Kind, readonly number[]> = { kick: [0, 1, 2, 3, 4, 5], snare: [1, 2, 3, 4, 5, 6], hat: [3, 4, 5, 6], tom: [1, 2, 3, 4, 5], cymbal: [4, 5, 6] };

/** Band in which the first rise is sought, Hz. */
export const ATTACK_BAND: Record<Kind, readonly [number, number]> = { kick: [100, 12000], snare: [400, 12000], hat: [2000, 14000], tom: [400, 12000], cymbal: [2000, 14000] };

/** How far before its clear beginning a stroke may already swell, seconds. */
export const SWELL_S: Record<Kind, number> = { kick: 0.008, snare: 0.004, hat: 0, tom: 0.003, cymbal: 0 };

/** Edges of the bands of patterns, Hz. */
export const EDGES: readonly number[] = [30, 75, 120, 180, 270, 400, 650, 1100, 2000, 4000, 8000, 16000];
export const BANDS = EDGES.length - 1;

const RANGE: Record<Kind, readonly [number, number]> = { kick: [30, 180], snare: [180, 8000], hat: [4000, 16000], tom: [75, 400], cymbal: [4000, 16000] };

/** Pattern bands within the drum's own range. */
export const ownBands = (kind: Kind): number[] => Array.from({ length: BANDS }, (_, b) => b).filter((b) => EDGES[b] >= RANGE[kind][0] && EDGES[b + 1] <= RANGE[kind][1]);

/** A drum whose sound changes a lot with where and how it is struck gets several patterns. */
export const PATTERNS: Record<Kind, number> = { kick: 2, snare: 2, hat: 2, tom: 1, cymbal: 3 };

/** Cymbals are struck together with kick and snare: what those add in the lows is not theirs. */
const CYMBALS_FROM_HZ = 650;

/** Bands in which a drum's level is told. */
export const heardBands = (drum: string): number[] => {
  const kind = kindOf(drum);
  return Array.from({ length: BANDS }, (_, b) => b).filter((b) => (kind !== 'cymbal' && kind !== 'hat') || EDGES[b] >= CYMBALS_FROM_HZ);
};
