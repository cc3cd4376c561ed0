/**
 * What de-bleed leaves between the strokes of a drum that rings now short, now long, as hats do: no usual decay says when such a stroke has ended, but its own level does. In
 * every third of an octave a stroke ends where it has fallen as far as can be told from what is there before strokes; from there to the next stroke the band is closed.
 */
import { quantile } from '../hits/candidates';
import { type Frames, HOP, PEAK_MS, SIZE, framesOf, peakOf } from './bandFrames';
import { LEAD_MS, UP_MS, beginOf, withGainsUntil } from './untilStrokes';

const LEAST_STROKES = 8;
/** A stroke has ended that has fallen so far below its own peak, dB: less where what is there before strokes, so far over which it must stay, hides the end. */
const FALLEN_DB = -40;
const OVER_FLOOR_DB = 9;
/** Where strokes stand out less than this over that floor they are left to ring, dB; where hardly, nothing of the drum is heard but the stick. */
const LEAST_RANGE_DB = -17;
const UNHEARD_DB = -6;
/** Where strokes still fall by so much over the second half of the time to the next, what is there before that is their own ring: they end nearer to it, and only where they have this range. */
const RINGING = { fallsDb: 3, leastFrames: 3, overDb: 3, leastRangeDb: -24 };
/** Soft strokes end no deeper than so far under where usual ones do, dB. */
const SOFT_DB = -9;
/** What is there before strokes is told from those so long after the one before, frames, of which there must be some: sooner it is the end of their own ring. Failing that, from those so long after; a low quantile. */
const APART = { frames: 16, least: 6, failing: 10 };
const BEFORE = 4;
const FLOOR_QUANTILE = 0.3;
/** Opens so many frames before a stroke, which a window reaches over; closes by so much a frame. */
const OPENS = SIZE / 2 / HOP + 1;
const CLOSE_DB = -15;
const CLOSED = 10 ** (-60 / 20);
/** What rises again between two strokes by more than this is another drum's. */
const RISE = 10 ** (6 / 10);
/** Nothing of a hat is heard so far under its loudest strokes, and so far under the stroke itself, dB. */
const SILENT_DB = -37;
const SILENT_OWN_DB = -32;
/** How long it takes to fall silent, ms. */
const SILENCE_FADE_MS = 20;

/** Level in a band around frame `k`, power. */
const levelAt = ({ bands, count, power }: Frames, k: number, b: number): number => (power[(k - 1) * bands + b] + power[k * bands + b] + power[Math.min(count - 1, k + 1) * bands + b]) / 3;

/** Whether the level in a band still falls when the next stroke comes, by the median over strokes: what is there before strokes is then the end of their own ring. */
function stillFalls(f: Frames, at: readonly number[], b: number, peakFrames: number): boolean {
  const falls = at.flatMap((k, i) => {
    const last = k - BEFORE;
    const middle = i > 0 ? Math.round((at[i - 1] + peakFrames + last) / 2) : 0;
    return i > 0 && last - middle >= RINGING.leastFrames ? [10 * Math.log10((levelAt(f, middle, b) + 1e-14) / (levelAt(f, last, b) + 1e-14))] : [];
  });
  return falls.length > 3 && quantile(falls, 0.5) > RINGING.fallsDb;
}

/** `own`: frames of strokes, rising; with few of them the mic comes back as it is. `into`: where to write, may be `x` itself. */
export function closeFallen(x: Float32Array, rate: number, own: readonly number[], into?: Float32Array): Float32Array {
  if (own.length < LEAST_STROKES) return x;
  const f = framesOf(x, rate);
  const { count, bands, power } = f;
  const at = own.map((h) => Math.min(count - 1, Math.round(h / HOP)));
  const peakFrames = Math.ceil((PEAK_MS * rate) / 1000 / HOP) + 1;
  const since = at.map((k, i) => (i > 0 ? k - at[i - 1] : 0));
  const apart = since.filter((n) => n > APART.frames).length >= APART.least ? APART.frames : APART.failing;
  const gain = new Float32Array(count * bands).fill(1);
  for (let b = 0; b < bands; b++) {
    const peaks = at.map((k) => peakOf(f, k, b));
    const middle = quantile(peaks, 0.5) + 1e-14;
    const before = at.flatMap((k, i) => (since[i] > apart ? [10 * Math.log10((power[(k - BEFORE) * bands + b] + 1e-14) / middle)] : []));
    const floor = before.length > 3 ? quantile(before, FLOOR_QUANTILE) : FALLEN_DB;
    const [over, range] = stillFalls(f, at, b, peakFrames) ? [RINGING.overDb, RINGING.leastRangeDb] : [OVER_FLOOR_DB, LEAST_RANGE_DB];
    const unheard = floor > UNHEARD_DB;
    const told = floor + over <= range || unheard;
    const fallen = told ? 10 ** (Math.max(FALLEN_DB, floor + over) / 10) : 0;
    const close = (from: number, to: number) => {
      for (let k = Math.max(0, from); k < Math.min(count, to); k++) gain[k * bands + b] = Math.max(CLOSED, 10 ** ((CLOSE_DB / 20) * (k - from + 1)));
    };
    if (told) close(-100, at[0] - OPENS);
    at.forEach((k, i) => {
      const next = (at[i + 1] ?? count + OPENS) - OPENS;
      const limit = Math.max(peaks[i] * fallen, middle * fallen * 10 ** (SOFT_DB / 10));
      let end = k + peakFrames;
      let low = Number.POSITIVE_INFINITY;
      while (!unheard && end < Math.min(next, count) && levelAt(f, end, b) > limit) {
        const now = levelAt(f, end, b);
        low = Math.min(low, RISE * now);
        gain[end * bands + b] = Math.min(1, Math.sqrt(low / now));
        end++;
      }
      close(end, next);
    });
  }
  const gains = (k: number, out: Float64Array) => {
    for (let b = 0; b < bands; b++) out[b] = k < 0 ? CLOSED : gain[k * bands + b];
  };
  const closed = withGainsUntil(x, rate, own, gains, (k, out) => gains(k - OPENS - 1, out), into);
  silenceBefore(closed, rate, own, at);
  return closed;
}

/**
 * Bands open some frames before a stroke, and some never close: what is there between is hiss and the last of the others. Where the mic, from some moment on and up to the next stroke, lies
 * as far under its strokes as nothing of a hat is heard, it is silent until just before that. A stroke that nobody found is louder: silence begins after it.
 */
function silenceBefore(x: Float32Array, rate: number, own: readonly number[], at: readonly number[]): void {
  const { count, bands, power } = framesOf(x, rate);
  const level = Float64Array.from({ length: count }, (_, k) => 10 * Math.log10(power.subarray(k * bands, (k + 1) * bands).reduce((a, v) => a + v, 1e-14)));
  const within = Math.ceil((PEAK_MS * rate) / 1000 / HOP) + 1;
  const peaks = at.map((k) => level.subarray(k, k + within + 1).reduce((a, v) => Math.max(a, v), -200));
  const top = quantile(peaks, 0.98) + SILENT_DB;
  const fade = Math.round((SILENCE_FADE_MS * rate) / 1000);
  const lead = Math.round((LEAD_MS * rate) / 1000);
  const up = Math.round((UP_MS * rate) / 1000);
  at.forEach((k, i) => {
    const limit = Math.min(top, peaks[i] + SILENT_OWN_DB);
    const opens = Math.min(count, (at[i + 1] ?? count + OPENS) - OPENS);
    let end = opens;
    while (end > k + within && level[end - 1] < limit) end--;
    if (end >= opens) return;
    const from = Math.min(x.length, (end + 1) * HOP);
    const next = own[i + 1];
    const to = next === undefined ? x.length : beginOf(x, rate, next) - lead;
    for (let j = from; j < to; j++) x[j] *= Math.max(CLOSED, 1 - (j - from) / fade, 1 - (to - j) / up);
  });
}
