/**
 * Strokes that no finding heard, but that stand out of what is left of their drum's mic: as loud as soft strokes are, risen at once, nearly as loud as in the raw mic, and of a spectrum
 * like one of the drum's own strokes. What is left of another drum there is far softer than that drum was, or sounds otherwise.
 */
import { STEP_MS, learnRing } from '../clean/ring';
import { quantile } from '../hits/candidates';
import type { NearEar } from '../hits/ears';
import type { Grain } from '../hits/eventSpectra';
import { meter } from './judgeAgain';

export interface StandingOut {
  /** Seconds. */
  readonly time: number;
  /** 0..1: amplitude against the loudest strokes. */
  readonly strength: number;
  /** What is kept there of the raw mic, dB. */
  readonly keptDb: number;
  /** Over what the drum's known strokes, and such as stood out before, still ring by then, dB. */
  readonly overDb: number;
  /** Likeness of its spectrum to that of the most similar of the drum's strokes, 0..1. */
  readonly likeness: number;
}

const PER_SECOND = 1000;
/** A level is the mean over so much, and a stroke's the loudest within so much after it, ms. */
const LEVEL_MS = [0, 10] as const;
const PEAK_MS = 40;
/** A rise: what is heard in so much after against what was heard before, ms. */
const AFTER_MS = [0, 5] as const;
const BEFORE_MS = [-20, -3] as const;
/** What is kept of the raw mic is told over so much, ms. */
const KEPT_MS = [0, 20] as const;
/** Of the drum's strokes, the level of the loudest. */
const LOUD_QUANTILE = 0.98;
/** So far under the loudest strokes at most, and so far over what was there before at least, dB. */
const LEAST_DB = -32;
const RISE_DB = 10;
/** So near before a known stroke de-bleed's windows smear it, and so near after one it still swells, ms. */
const NEAR_MS = [70, 30] as const;
const GRAIN: Grain = { edges: [40, 80, 110, 160, 250, 400, 600, 1000, 1600, 2500, 4000, 6500, 10000, 16000], windowS: 2048 / 48000 };
const BANDS = GRAIN.edges.length - 1;
const LEAST_STROKES = 3;
/** Level of nothing, dB. */
const SILENT_DB = -140;

/** Of a stroke at least. */
const KEPT_DB = -20;
const OVER_DB = 16;
const LIKENESS = 0.94;
/** What is as like as this need not stand so far over the ring. */
const TWIN = { likeness: 0.985, overDb: 11 };
/** What is softer than this, 28 dB under the loudest, must be more like one: what is left of another tom's note comes near. */
const SOFT = { strength: 0.04, likeness: 0.975 };

const db = (p: number) => 10 * Math.log10(p + 1e-14);

/** Square roots of the shares of the bands, by stroke: each of length 1. */
function shapes(powers: Float32Array, count: number): Float64Array[] {
  return Array.from({ length: count }, (_, i) => {
    const p = powers.subarray(2 * i * BANDS, (2 * i + 1) * BANDS);
    const sum = p.reduce((a, v) => a + v, 1e-20);
    return Float64Array.from(p, (v) => Math.sqrt(v / sum));
  });
}

export interface Heard {
  /** The mic, and what is left of it. */
  readonly raw: Float32Array;
  readonly kept: Float32Array;
  readonly rate: number;
  readonly drum: string;
  /** Strokes that count, seconds, rising. */
  readonly own: readonly number[];
  /** Of these and doubtful ones. */
  readonly known: readonly number[];
}

/** Whatever rises like a stroke far from known ones, in order of time. None with fewer than three strokes. */
export function risesApart({ raw, kept, rate, drum, own, known }: Heard, ear: Pick<NearEar, 'steps' | 'powers'>): StandingOut[] {
  if (own.length < LEAST_STROKES) return [];
  const steps = (x: Float32Array) => meter(ear.steps(x, rate, PER_SECOND, GRAIN.edges[0], GRAIN.edges[BANDS]).all);
  const [rawMean, mean] = [steps(raw), steps(kept)];
  const length = Math.floor((kept.length / rate) * PER_SECOND);
  const level = Float64Array.from({ length }, (_, k) => mean(k, LEVEL_MS));
  const peak = (k: number) => level.subarray(Math.max(0, k), k + PEAK_MS).reduce((a, v) => Math.max(a, v), 0);
  const peaks = own.map((t) => peak(Math.round(t * PER_SECOND)));
  const top = quantile(peaks, LOUD_QUANTILE);
  if (top <= 0) return [];
  const least = top * 10 ** (LEAST_DB / 10);
  const ratio = 10 ** (RISE_DB / 10);
  const rise = (k: number) => mean(k, AFTER_MS) / (mean(k, BEFORE_MS) + 1e-4 * least);
  const at: number[] = [];
  let next = 0;
  for (let k = -BEFORE_MS[0]; k < length; k++) {
    if (mean(k, AFTER_MS) < 0.5 * least || rise(k) < ratio) continue;
    // of what rises here, where it does most
    let best = k;
    for (let j = k; j < Math.min(length, k + PEAK_MS); j++) if (rise(j) > rise(best)) best = j;
    while (next < known.length && known[next] * PER_SECOND < best - NEAR_MS[1]) next++;
    if (peak(best) >= least && !(next < known.length && known[next] * PER_SECOND < best + NEAR_MS[0])) at.push(best);
    k = best + PEAK_MS;
  }
  const ring = at.length ? learnRing(kept, rate, drum, own.map((t) => Math.round(t * rate)), true, ear.steps) : null;
  if (!ring) return [];
  const [there, mine] = ear.powers(kept, rate, [Float64Array.from(at, (k) => k / PER_SECOND), Float64Array.from(own)], GRAIN);
  const usual = shapes(mine, own.length);
  const sounding = own.map((t, i) => ({ ms: t * PER_SECOND, db: db(peaks[i]) }));
  return shapes(there, at.length).map((shape, i) => {
    const [k, loud] = [at[i], peak(at[i])];
    const still = sounding.reduce((a, s) => (s.ms < k ? Math.max(a, s.db + (ring.decayDb[Math.round((k - s.ms) / STEP_MS)] ?? SILENT_DB)) : a), SILENT_DB);
    const out = {
      time: k / PER_SECOND,
      strength: Math.min(1, Math.sqrt(loud / top)),
      keptDb: db(mean(k, KEPT_MS)) - db(rawMean(k, KEPT_MS)),
      overDb: db(loud) - still,
      likeness: usual.reduce((a, u) => Math.max(a, u.reduce((sum, v, b) => sum + v * shape[b], 0)), 0),
    };
    if (likely(out)) sounding.push({ ms: k, db: db(loud) });
    return out;
  });
}

/** Whether what rises so is likely a stroke of the drum. */
export function likely(s: Omit<StandingOut, 'time'>): boolean {
  if (s.keptDb < KEPT_DB) return false;
  const soft = s.strength < SOFT.strength;
  return (s.overDb >= OVER_DB && s.likeness >= (soft ? SOFT.likeness : LIKENESS)) || (!soft && s.overDb >= TWIN.overDb && s.likeness >= TWIN.likeness);
}

/** Those of them that are. */
export const standOut = (...of: Parameters<typeof risesApart>): StandingOut[] => risesApart(...of).filter(likely);
