/** Where a mic is over a level: from rising over one threshold to staying under a lower one. What slices by level rest on. */

/** A level held up this long after each peak counts, so that a low note does not fall between its half waves, seconds. */
const HOLD_S = 0.012;

/** First and last frames, rising, of stretches that open at `openDb` (dBFS peak) and close once the mic stays under `closeDb`; a closing level over the opening one counts as that. */
export function marksOver(x: Float32Array, rate: number, openDb: number, closeDb: number): [number, number][] {
  const open = 10 ** (openDb / 20);
  const close = Math.min(open, 10 ** (closeDb / 20));
  const hold = Math.round(HOLD_S * rate);
  const out: [number, number][] = [];
  let from = -1;
  let last = 0;
  for (let i = 0; i < x.length; i++) {
    const a = x[i] < 0 ? -x[i] : x[i];
    if (from < 0) {
      if (a >= open) {
        from = i;
        last = i;
      }
    } else if (a >= close) last = i;
    else if (i - last > hold) {
      out.push([from, last + 1]);
      from = -1;
    }
  }
  if (from >= 0) out.push([from, Math.min(x.length, last + 1)]);
  return out;
}
