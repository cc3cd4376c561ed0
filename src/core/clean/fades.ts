/** Fade curves: gain 0..1 at a place 0 (silent) to 1 (full). Straight and S fades of two signals that cross sum to one, equal-power ones in power. */
import type { Curve } from '../params/sliceParams';

/** Two steps: where the first drop ends and the last begins, as shares of the fade seen from its full end, and the levels there. */
const DROP = { until: 0.25, to: 0.3 };
const HOLD = { until: 0.8, to: 0.2 };
const s = (u: number) => 0.5 - 0.5 * Math.cos(Math.PI * u);

export function fadeGain(curve: Curve, place: number): number {
  const u = Math.min(1, Math.max(0, place));
  switch (curve) {
    case 'linear':
      return u;
    case 'power':
      return Math.sin((Math.PI / 2) * u);
    case 's':
      return s(u);
    case 'late':
      return 1 - (1 - u) ** 4;
    case 'step': {
      const v = 1 - u;
      if (v <= DROP.until) return 1 - (1 - DROP.to) * s(v / DROP.until);
      if (v <= HOLD.until) return DROP.to + ((HOLD.to - DROP.to) * (v - DROP.until)) / (HOLD.until - DROP.until);
      return HOLD.to * (1 - s((v - HOLD.until) / (1 - HOLD.until)));
    }
  }
}
