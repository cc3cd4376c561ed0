/**
 * How much spill a made recording has, set by what it means to its strokes: a trial of it (its first 30 s, close mics only) is made, the peaks that other drums' strokes leave in
 * each close mic are compared with the mic's own median stroke, and the mic hears the other drums that much more or less. Normal: spill peaks at the level of
 * soft strokes. Hard: over the median stroke's level minus 3 dB, over soft strokes by 10 dB and more. Easy: well under soft strokes.
 */
import { createGaussian, createRng } from '../core/dsp/rng';
import { type RecordingPlan, makeRecording } from './makeRecording';

export type Spill = 'easy' | 'normal' | 'hard';

/** Spill peaks against the own median stroke, dB. Toms get just this; snare and hat at most this; the kick is left as it is. */
const PEAKS: Record<Spill, number> = { easy: -17, normal: -10, hard: -2 };
const SPREAD = 1.5;
const TRIAL_S = 30;

const peakDb = (x: (i: number) => number, from: number, to: number) => {
  let p = 0;
  for (let i = Math.max(0, from); i < to; i++) p = Math.max(p, Math.abs(x(i)));
  return 20 * Math.log10(p + 1e-9);
};
const quantile = (list: readonly number[], q: number) => [...list].sort((a, b) => a - b)[Math.min(list.length - 1, Math.floor(q * list.length))];

/** Spill peaks (95th percentile over the other drums' strokes) against the median own stroke in each mic, dB; null without own strokes or truth. */
export function spillPeaks(plan: RecordingPlan): (number | null)[] {
  const made = makeRecording(plan);
  const ms50 = Math.round(0.05 * plan.rate);
  return made.mics.map((m, mi) => {
    const [x, own, late] = [made.audio[mi], made.truth[mi], made.late[mi]];
    if (!m.own || !own || !late) return null;
    const at = (time: number) => Math.round((time + made.offsets[mi]) * plan.rate) - 48;
    const around = (f: (i: number) => number) => (h: { time: number }) => peakDb(f, at(h.time), Math.min(x.length, at(h.time) + ms50));
    const mine = (made.hits[m.own] ?? []).map(around((i) => own[i]));
    const others = Object.entries(made.hits).flatMap(([d, list]) => (d === m.own ? [] : list.map(around((i) => x[i] - own[i] - late[i]))));
    return mine.length && others.length ? quantile(others, 0.95) - quantile(mine, 0.5) : null;
  });
}

/** The plan with its close mics hearing the other drums as loud as `spill` says; the trial takes `trialS` seconds of it. */
export function withSpill(plan: RecordingPlan, spill: Spill, trialS = TRIAL_S): RecordingPlan {
  const seconds = Math.min(plan.seconds, trialS);
  const gauss = createGaussian(createRng(plan.seed * 3 + 8));
  const close = plan.mics.filter((m) => m.own);
  const peaks = spillPeaks({ ...plan, seconds, mics: close, truth: true, strokes: plan.strokes.filter((s) => s.time < seconds - 0.4) });
  const mics = plan.mics.map((m) => {
    const drawn = PEAKS[spill] + SPREAD * gauss();
    const peak = peaks[close.indexOf(m)] ?? null;
    if (peak === null || m.own === 'kick') return m;
    const exact = m.own?.startsWith('tom');
    return { ...m, shieldDb: m.shieldDb + (exact ? peak - drawn : Math.max(0, peak - drawn)) };
  });
  return { ...plan, mics };
}
