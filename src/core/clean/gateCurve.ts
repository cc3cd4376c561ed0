/**
 * The static curve of the gate: output level over input level, both in dB. Downward expansion with a quadratic knee, mirrored
 * from D. Giannoulis, M. Massberg and J. Reiss, "Digital Dynamic Range Compressor Design", JAES 60(6), 2012, limited by the range.
 */
import { closedGain, type GateSettings, isHardGate } from '../params/gateParams';

/**
 * Reduction in dB (0 or more, before the range limits it) of a level `levelDb` under a corner `cornerDb`.
 * Over the knee 0; inside it (R - 1)(d - W/2)^2 / 2W; under it (R - 1)(-d), with d = level - corner.
 */
export function expanderReductionDb(levelDb: number, cornerDb: number, ratio: number, kneeDb: number): number {
  const d = levelDb - cornerDb;
  if (d >= kneeDb / 2) return 0;
  if (d <= -kneeDb / 2) return (ratio - 1) * -d;
  return ((ratio - 1) * (d - kneeDb / 2) ** 2) / (2 * kneeDb);
}

/**
 * Output level in dB for a steady key and audio level `levelDb`. `open` tells from which side it is looked at: an open gate has
 * its corner at the closing threshold, a closed one at the opening threshold. Silence is -Infinity. Output trim included.
 */
export function gateCurveDb(s: GateSettings, levelDb: number, open: boolean): number {
  const corner = open ? s.thresholdDb - s.hysteresisDb : s.thresholdDb;
  const floorDb = 20 * Math.log10(closedGain(s));
  const reduction = isHardGate(s) ? (levelDb >= corner ? 0 : Number.POSITIVE_INFINITY) : expanderReductionDb(levelDb, corner, s.ratio, s.kneeDb);
  return levelDb + Math.max(floorDb, -reduction) + s.outputDb;
}
