/** What is delivered of the hits. */
export interface HitFiles {
  readonly midi: boolean;
  /** MIDI keys that differ from General MIDI's, by drum. */
  readonly keys: Readonly<Record<string, number>>;
  /** Velocity is strength to this power; under 1 lifts soft strokes. */
  readonly curve: number;
  readonly ticks: 'none' | 'own' | 'synthetic';
  readonly csv: boolean;
  readonly labels: boolean;
  /** Slices of every cut mic, as a table and as labels. */
  readonly cuts: boolean;
  /** Slices of every cut mic as WAV files of their own, with time reference. */
  readonly slices: boolean;
}

export const NO_HIT_FILES: HitFiles = { midi: false, keys: {}, curve: 1, ticks: 'none', csv: false, labels: false, cuts: false, slices: false };
