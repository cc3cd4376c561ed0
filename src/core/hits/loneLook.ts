/**
 * A look at cymbals of which little is known: strokes of a crash or ride that is struck seldom, or under other drums only. What every other drum adds to the overheads in fine
 * bands is known by now, so that each moment has what nothing explains, at once and while it rings; a network trained on cymbals that were struck from never to five times
 * (npm run train -- --lone) tells from that, and from what two passes thought, which are the cymbal's.
 */
import { firstIndex } from '../dsp/search';
import { balanceRows, together } from './balance';
import type { Ear } from './ears';
import { FINE } from './eventSpectra';
import { type FineReader, type Place, SAME_S, diesAway, showing } from './farPlaces';
import type { Known } from './fineLook';
import { logit } from './passes';

/** Other drums' likely strokes this near hide a moment, seconds. */
const LONE_S = 0.02;
/** The look at a moment begins with it, then where the one before ends, seconds. */
const LOOKS_S = [0, 1, 2].map((k) => k * (FINE.windowS + 0.002));
const NONE = logit(0);

/** Whether one of `times` (rising) is this near. */
export function isNear(times: readonly number[], at: number, reachS: number): boolean {
  const i = firstIndex(times.length, (k) => times[k] > at - reachS);
  return i < times.length && times[i] < at + reachS;
}

/** Features of every place for cymbal `k` of `names`, rows of `count`; `sure` and `others` as sureStrokes tells them, `struckAt` as drumsAt does. */
export async function loneLook(places: readonly Place[], k: number, names: readonly string[], sure: ReadonlyMap<string, readonly number[]>, others: readonly number[], struckAt: readonly (readonly string[])[], spectra: FineReader, ear: Ear): Promise<{ readonly features: Float32Array; readonly count: number }> {
  const drum = names[k];
  const o = names.length > 1 ? 1 - k : null;
  const at = places.map((p) => p.time);
  const taught: Known[] = [];
  for (const [name, list] of showing(new Map([...sure].filter(([d]) => d !== drum)), names)) {
    taught.push({ drum: name, at: list.map((_, i) => at.length + i) });
    at.push(...list);
  }
  const looks = await spectra(LOOKS_S.map((late) => Float64Array.from(at, (t) => t + late)));
  const unlike: Float32Array[] = [];
  for (const m of looks) unlike.push(await ear.unlikeKnown({ ...m, before: looks[0].before }, taught));
  const balance = balanceRows([looks[0], together(looks.slice(1).map((m) => ({ ...m, before: looks[0].before })))], at, taught, [o === null ? null : names[o]], struckAt);
  const knownOf = (name: string) => Math.log1p(sure.get(name)?.length ?? 0);
  const rows = places.map((p, i) => [
    logit(p.first[k]), o === null ? NONE : logit(p.first[o]), logit(p.certainty[k]), o === null ? NONE : logit(p.certainty[o]), p.novelty / 10, p.fallDb / 10, p.levelDb[k] / 10,
    ...unlike.flatMap((u) => Array.from(u.subarray((i * u.length) / at.length, ((i + 1) * u.length) / at.length))),
    ...balance[i], isNear(others, p.time, LONE_S) ? 0 : 1, knownOf(drum), o === null ? 0 : knownOf(names[o]),
  ]);
  return { features: Float32Array.from(rows.flat()), count: rows[0]?.length ?? 0 };
}

/** The features as they would be if none of the cymbal's strokes were sure. */
export function asUnknown({ features, count }: { readonly features: Float32Array; readonly count: number }): Float32Array {
  return features.map((v, i) => (i % count === count - 2 ? 0 : v));
}

/** Of places this certain nobody doubts that they are the cymbal's; where there is none, the likeliest shows it, if it is at least this likely. */
const [LIKELY, LIKELIEST] = [0.7, 0.5];

/** Times (seconds) of a cymbal's strokes by what the look says of each place, those left out that are likelier the other's. */
export function loneStrokes(places: readonly Place[], k: number, says: Float64Array): number[] {
  const best = says.reduce((m, v, i) => (diesAway(places[i]) ? m : Math.max(m, v)), 0);
  const least = best >= LIKELY ? LIKELY : Math.max(LIKELIEST, best);
  return places.flatMap((p, i) => {
    if (says[i] < least || diesAway(p)) return [];
    for (let j = i - 1; j >= 0 && p.time - places[j].time <= SAME_S; j--) if (says[j] >= says[i]) return [];
    for (let j = i + 1; j < places.length && places[j].time - p.time <= SAME_S; j++) if (says[j] > says[i]) return [];
    return p.certainty.every((c, o) => o === k || c < says[i]) ? [p.time] : [];
  });
}
