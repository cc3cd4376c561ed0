/** Which of a drum's mics tells its strokes. */
export interface SongMic {
  /** Drum the mic belongs to, or null. */
  readonly own: string | null;
  readonly overhead: boolean;
  /** Of several mics of a drum the lowest tells its strokes, whatever their order; see plan/roles. */
  readonly rank?: number;
}

/** A drum's own mics, by place: first the one that tells its strokes. */
export const ownMics = (mics: readonly SongMic[], drum: string): number[] =>
  mics.flatMap((m, i) => (m.own === drum ? [i] : [])).sort((a, b) => (mics[a].rank ?? 0) - (mics[b].rank ?? 0));
