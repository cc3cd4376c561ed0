/**
 * What separation leaves ahead of a stroke: its windows are longer than a stroke is short, so that some of the drum, and of what was struck with it, is spread over the time before it begins and swells up
 * to it, now and then over the raw mic itself. There, in every third of an octave, the mic may keep no more of what came than it kept just before.
 */
import { quantile } from '../hits/candidates';
import { HOP, PEAK_MS, SIZE, framesOf, withGains } from './bandFrames';
import { SIZE as SEPARATED } from './transform';
import { LEAD_MS, beginOf, cutAt, putHeld } from './untilStrokes';

/** What is kept ahead of a stroke is told by so many frames before those whose windows reach it. */
const TOLD = 9;
/** Of their shares of the raw mic this, and so much more, dB. */
const QUANTILE = 0.3;
const MARGIN_DB = 3;
/** Where more than this is kept the drum itself still rings. */
const RINGING = 0.5;
/** And where what is ahead is louder than this against the stroke, dB, it may be one that nobody found: by the loudest of so many ms. */
const UNFOUND_DB = -24;
const LOUDEST_MS = 5;

/** Energy of the loudest LOUDEST_MS from sample `from` to `to`. */
function loudest(x: Float32Array, rate: number, from: number, to: number): number {
  const size = Math.round((LOUDEST_MS * rate) / 1000);
  let most = 0;
  for (let at = from; at < to; at += size) most = Math.max(most, x.subarray(at, Math.min(to, at + size)).reduce((a, v) => a + v * v, 0));
  return most;
}

/** Takes down, in `kept` itself, what stands ahead of its drum's `strokes` (frames, rising). `raw`: the mic as it came. */
export function quietAhead(raw: Float32Array, kept: Float32Array, rate: number, strokes: readonly number[]): void {
  for (const [i, stroke] of strokes.entries()) {
    const to = beginOf(kept, rate, stroke) - Math.round((LEAD_MS * rate) / 1000);
    const at = HOP * Math.ceil((stroke - SEPARATED) / HOP);
    const first = at - (TOLD + SIZE / 2 / HOP) * HOP;
    // where a stroke before rings, or none of this was heard, nothing is known
    if (first < 0 || to - at < 2 * HOP || (i > 0 && strokes[i - 1] > first)) continue;
    if (loudest(kept, rate, at, to) > loudest(kept, rate, to, stroke + Math.round((PEAK_MS * rate) / 1000)) * 10 ** (UNFOUND_DB / 10)) continue;
    const end = to + 4 * HOP;
    const x = cutAt(kept, rate, first, to, end);
    const [k, r] = [framesOf(x, rate), framesOf(cutAt(raw, rate, first, to, end), rate)];
    const { bands } = k;
    const begin = (at - first) / HOP;
    const most = Array.from({ length: bands }, (_, b) => {
      const shares = Array.from({ length: TOLD }, (_, j) => (begin - j) * bands + b).map((j) => k.power[j] / (r.power[j] + 1e-20));
      const share = quantile(shares, QUANTILE) * 10 ** (MARGIN_DB / 10);
      return share > RINGING ? null : share;
    });
    const bound = (j: number, b: number) => {
      const share = most[b];
      const [is, may] = [k.power[j * bands + b], (share ?? 0) * r.power[j * bands + b]];
      return j <= begin || share === null || is <= may ? 1 : Math.sqrt(may / is);
    };
    let bounded = false;
    withGains(x, rate, (j, gain) => {
      for (let b = 0; b < bands; b++) gain[b] = bound(j, b);
      bounded ||= gain.some((g) => g < 1);
    }, x);
    if (!bounded) continue;
    // nothing changed before the first frame that was turned down
    const from = at - SIZE / 2;
    putHeld(kept, rate, [{ at: from, samples: x.subarray(from - first, to - first) }]);
  }
}
