/** The steps of the work, in its order. */
export const STEPS = [
  { id: 'intake', label: 'Intake' },
  { id: 'spill', label: 'Spill' },
  { id: 'hits', label: 'Hits' },
  { id: 'clean', label: 'Clean' },
  { id: 'compare', label: 'Compare' },
  { id: 'deliver', label: 'Deliver' },
] as const;

export type Step = (typeof STEPS)[number]['id'];
