/** Decibels and amplitudes. Amplitude 1 is 0 dBFS. */

/** Amplitude ratio of `db` decibels: 10^(db/20). */
export const dbToGain = (db: number): number => 10 ** (db / 20);

/** Decibels of an amplitude; silence and anything under `floorDb` reads `floorDb`. */
export function gainToDb(gain: number, floorDb = -144): number {
  const g = Math.abs(gain);
  return g > 0 ? Math.max(floorDb, 20 * Math.log10(g)) : floorDb;
}
