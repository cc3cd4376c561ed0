/**
 * Where the finding of hits works: ears, each a thread of its own or, in tests and small tools, this one. What one mic or one drum needs is a call of its own; audio goes
 * over whole, and only what was found comes back.
 */
import { type Ring, learnRing } from '../clean/ring';
import { type HitKernels, createHitKernels } from '../kernels/hitKernels';
import { type Reach, type ReachingDrum, reachesOf, strokeSpectra } from '../spill/reach';
import { FAINT, TRUST, alignAttacks } from './alignAttacks';
import { type BandFilter, type BandSteps, type Candidates, bandSteps, findCandidates, onlyCandidates } from './candidates';
import { type Network, certainties } from './classify';
import { type Grain, readSpectra } from './eventSpectra';
import { type FineEvidence, type Known, type Moments, fineEvidence, unlikeKnown } from './fineLook';
import { type Described, describe } from './features';
import { ATTACK_BAND, BANDS, type Kind, RISES_IN, SWELL_S, ownBands } from './kinds';
import type { Patterns } from './mixture';
import { ownRows } from './patterns';
import { FAR_BAND, FAR_WITHIN, pickOnsets } from './pickOnset';
import { type Song, type Source, increment, topMean } from './song';

/** A song without what only one thread can hold. */
export type SongView = Omit<Song, 'kernels'>;
export type Soon<T> = T | Promise<T>;

export interface Ear {
  /** Candidates of a drum in its mic, their times refined, in order, without those far softer there than any stroke; `far`: a sum of overheads, where all are kept. */
  seek(x: Float32Array, rate: number, kind: Kind, far?: boolean): Soon<Candidates>;
  /** Refined times of rough ones, seconds. */
  pick(x: Float32Array, rate: number, times: Float64Array, kind: Kind): Soon<Float64Array>;
  /** Powers by band after and before the times of each list, in one mic; coarse ones unless another grain is given. */
  powers(x: Float32Array, rate: number, times: readonly Float64Array[], grain?: Grain): Soon<Float32Array[]>;
  unlikeKnown(m: Moments, known: readonly Known[]): Soon<Float32Array>;
  fineEvidence(m: Moments, known: readonly Known[], drums: readonly string[]): Soon<(FineEvidence | null)[]>;
  /** What a drum alone added at those of its candidates that it dominates. */
  ownRows(song: SongView, s: Source, patterns: Patterns, leastGain: number): Soon<Float32Array[]>;
  describe(song: SongView, s: Source, patterns: Patterns, drum: string): Soon<Described>;
  certainties(net: Network, features: Float32Array): Soon<Float64Array>;
  /** Times (seconds, rising) brought to the first movement of their strokes; see alignAttacks. `faint`: `x` is de-bled. */
  align(x: Float32Array, rate: number, times: readonly number[], strengths: readonly number[], kind: Kind, earlierS?: number, faint?: boolean): Soon<number[]>;
  ring(x: Float32Array, rate: number, drum: string, own: readonly number[]): Soon<Ring | null>;
  /** Spectra of strokes (seconds) in their drum's first own mic. */
  strokeSpectra(x: Float32Array, rate: number, times: readonly number[]): Soon<Float32Array>;
  /** How strokes of each drum reach this mic. */
  reaches(x: Float32Array, rate: number, drums: readonly ReachingDrum[]): Soon<Reach[]>;
}

const NEAR_S = 0.002;
/** Rides are soft in overheads. */
const FAR_THRESHOLD_DB = 3;

/** Refines times, drops those that meet, keeps the rest in order. */
function refine(c: Candidates, x: Float32Array, rate: number, kind: Kind, filter: BandFilter): Candidates {
  const time = pickOnsets(x, rate, c.time, ATTACK_BAND[kind], SWELL_S[kind], filter);
  const order = Array.from(time.keys()).sort((a, b) => time[a] - time[b]);
  const kept = order.filter((i, k) => k === 0 || time[i] - time[order[k - 1]] > NEAR_S);
  return onlyCandidates({ ...c, time }, kept);
}

/** What adds this much less to the drum's range in its mic than the loudest do is no stroke: the softest of made recordings were 25 dB under. Half of all candidates are. */
const SOFTEST_DB = -38;

function loudEnough(c: Candidates, kernels: HitKernels, rate: number, kind: Kind): Candidates {
  const powers = readSpectra(kernels, rate, c.time);
  const bands = ownBands(kind);
  const added = Float64Array.from(c.time, (_, i) => bands.reduce((e, b) => e + increment(powers[2 * i * BANDS + b], powers[(2 * i + 1) * BANDS + b]), 0));
  const least = topMean(added) * 10 ** (SOFTEST_DB / 10);
  return onlyCandidates(c, Array.from(added.keys()).filter((i) => added[i] >= least));
}

/** An ear in this thread, which answers at once those that work in it. */
export interface NearEar extends Ear {
  readonly steps: BandSteps;
  powers(x: Float32Array, rate: number, times: readonly Float64Array[], grain?: Grain): Float32Array[];
}

export function createEar(): NearEar {
  let kept: HitKernels | null = null;
  const kernels = () => {
    kept ??= createHitKernels();
    return kept;
  };
  const loaded: BandFilter = (_, rate, lowHz, highHz) => kernels().bandPass(rate, lowHz, highHz);
  const filter: BandFilter = (x, ...band) => {
    kernels().load(x);
    return loaded(x, ...band);
  };
  const steps: BandSteps = (x, rate, perSecond, lowHz, highHz) => {
    kernels().load(x);
    return kernels().bandSteps(rate, perSecond, lowHz, highHz) ?? bandSteps(x, rate, perSecond, lowHz, highHz);
  };
  return {
    steps,
    seek(x, rate, kind, far) {
      kernels().load(x);
      const all = refine(findCandidates(kernels(), rate, RISES_IN[kind], far ? FAR_THRESHOLD_DB : undefined), x, rate, kind, loaded);
      return far ? all : loudEnough(all, kernels(), rate, kind);
    },
    pick: (x, rate, times, kind) => (kind === 'cymbal' ? pickOnsets(x, rate, times, FAR_BAND, 0, filter, FAR_WITHIN) : pickOnsets(x, rate, times, ATTACK_BAND[kind], 0, filter)),
    powers(x, rate, times, grain) {
      kernels().load(x);
      return times.map((t) => readSpectra(kernels(), rate, t, grain));
    },
    unlikeKnown: (m, known) => unlikeKnown(kernels(), m, known),
    fineEvidence: (m, known, drums) => fineEvidence(kernels(), m, known, drums),
    ownRows: (song, s, patterns, leastGain) => ownRows({ ...song, kernels: kernels() }, s, patterns, leastGain),
    describe: (song, s, patterns, drum) => describe({ ...song, kernels: kernels() }, s, patterns, drum),
    certainties,
    align: (x, rate, times, strengths, kind, earlierS, faint) => alignAttacks(x, rate, times, strengths, ATTACK_BAND[kind], SWELL_S[kind], steps, earlierS, faint ? FAINT[kind] : undefined, TRUST[kind]),
    ring: (x, rate, drum, own) => learnRing(x, rate, drum, own, false, steps),
    strokeSpectra,
    reaches: (x, rate, drums) => reachesOf(kernels(), x, rate, drums),
  };
}

/** The jobs' results in their order; every ear takes the next job as soon as it is free. `done` is told how many are. */
export async function shareOut<E, T>(ears: readonly E[], jobs: readonly ((ear: E) => Soon<T>)[], done: (count: number) => Soon<void> = () => {}): Promise<T[]> {
  const results = new Array<T>(jobs.length);
  let next = 0;
  let finished = 0;
  await Promise.all(
    ears.map(async (ear) => {
      while (next < jobs.length) {
        const i = next++;
        results[i] = await jobs[i](ear);
        await done(++finished);
      }
    }),
  );
  return results;
}

const NONE = new Float32Array(0);
const NEVER = new Float64Array(0);

/** What others must know of a song to describe one of its sources: of the other sources only where and how loud they are. */
export function viewOf({ kernels: _, ...song }: Song): SongView {
  const light = (s: Source): Source => ({ ...s, n: 0, time: NEVER, heard: NEVER, novelty: NONE, rises: NONE, later: NONE, long: NONE, after: NONE, before: NONE, added: NONE, closeness: null });
  return { ...song, sources: new Map([...song.sources].map(([d, s]) => [d, light(s)])) };
}

/** Reads one mic at a time, since readers answer one call at a time. */
export function oneByOne<A extends unknown[], T>(read: (...args: A) => Soon<T>): (...args: A) => Promise<T> {
  let last: Promise<unknown> = Promise.resolve();
  return (...args) => {
    const now = last.then(() => read(...args));
    last = now.catch(() => {});
    return now;
  };
}
