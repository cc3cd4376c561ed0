/**
 * Toms are struck after one another, fill after fill, so that a tom learns to be heard in another's mic as loud as that one still rings there. But others only add: in the lower quartile of its
 * strokes a tom reaches that mic no louder than is heard there. And what it truly sends there moves in step with its own mic, where long waves are concerned. So what does not is held down.
 */
import { quantile } from '../hits/candidates';
import { kindOf } from '../hits/kinds';
import { packed } from './bins';
import type { Kit } from './kit';

/** Up to here, Hz: above, strokes land elsewhere each time for waves this short. */
export const LEAK_UP_TO_HZ = 600;
/** Frames in which a drum may be expected to be this loud come just after its strokes. */
export const JUST_STRUCK = 0.6;
const QUARTILE = 0.25;
/** Of that so much, since even there others add. */
const SHARE = 0.5;
/** What is not in step may be so much of what is. */
const APART = 0.7;
/** With fewer frames just after strokes nothing is known. */
const LEAST_FRAMES = 40;

/** Mics that other drums' leaks are held down in: of each of the kit's toms, the other toms'. */
export function leakMics(kit: Kit): number[][] {
  const isTom = (d: string | null) => d !== null && kindOf(d) === 'tom';
  return kit.drums.map((drum) => (isTom(drum) ? kit.mics.flatMap((m, i) => (isTom(m.own) && m.own !== drum ? [i] : [])) : []));
}

/** The most power that a drum may send to a mic against its own, from powers of both, one a frame just after its strokes; Infinity where there are too few. */
export const mostLeak = (there: ArrayLike<number>, own: ArrayLike<number>): number =>
  own.length < LEAST_FRAMES ? Number.POSITIVE_INFINITY : SHARE * quantile(Float64Array.from(own, (p, t) => there[t] / (p + 1e-20)), QUARTILE);

/**
 * Takes down what of a source's covariance over `mics` mics is not in step with mic `own`, in place, until no mic hears more than `most` of it (against its power in `own`; by mic, Infinity to leave it). What is in step
 * stays, and APART of that. `R`: packed as in bins.ts, entry p of the source at R[at + p * stride], imaginary parts `im` further.
 */
export function holdLeak(R: Float32Array, at: number, stride: number, im: number, mics: number, own: number, most: readonly number[]): void {
  const re = (i: number, j: number) => R[at + packed(Math.max(i, j), Math.min(i, j)) * stride];
  const power = re(own, own);
  if (power <= 0) return;
  // the column of the own mic: what moves in step with it
  const col = Array.from({ length: mics }, (_, m) => {
    const v = m === own ? 0 : R[at + packed(Math.max(m, own), Math.min(m, own)) * stride + im];
    return [re(m, own), m >= own ? v : -v] as const;
  });
  const scale = col.map(([a, b], m) => {
    if (m === own || most[m] === Number.POSITIVE_INFINITY) return 1;
    const inStep = (a * a + b * b) / power;
    const apart = re(m, m) - inStep;
    return apart <= 0 ? 1 : Math.sqrt(Math.min(1, Math.max(APART * inStep, most[m] * power - inStep) / apart));
  });
  if (scale.every((g) => g === 1)) return;
  // what is in step has rank one, the rest is a covariance too and stays one when its rows and columns are scaled alike
  for (let i = 0; i < mics; i++) {
    for (let j = 0; j <= i; j++) {
      const p = at + packed(i, j) * stride;
      const g = scale[i] * scale[j];
      const [a, b] = [(col[i][0] * col[j][0] + col[i][1] * col[j][1]) / power, (col[i][1] * col[j][0] - col[i][0] * col[j][1]) / power];
      R[p] = a + g * (R[p] - a);
      if (i !== j) R[p + im] = b + g * (R[p + im] - b);
    }
  }
}
