/**
 * Sound that is computed while somebody waits for it: what a drum adds to a mic in a few seconds of a recording, or what de-bleed leaves of it. With the model that de-bleed learnt
 * where it is there; before that with one learnt in a hurry from those seconds, to give an idea. One at a time; the next waits.
 */
import { FreshGapError } from '../core/errors';
import { possibleHits } from '../core/plan/live';
import type { Plan } from '../core/plan/plan';
import { type DebleedJob, learnModel } from '../core/spill/crew';
import { kitMic, learntFrom } from '../core/spill/ownImages';
import { computeImages, sourcesOf } from '../core/spill/image';
import { describeKit } from '../core/spill/kit';
import type { DebleedModel } from '../core/spill/learn';
import { HOP } from '../core/spill/transform';
import { handFile, withHands } from '../node/hands';
import type { Sql } from './db';
import { type ImageInput, debleedKey, openModel } from './jobs/debleedJob';
import { uncutOf } from './micReaders';
import { listFiles } from './sql/files';
import { getPlan } from './sql/plans';

/** Longest stretch that is computed at once, seconds. */
export const LISTEN_S = 12;
/** A hurried model is learnt from at least so much, in so many rounds. */
const QUICK_S = 8;
const QUICK_ROUNDS = 3;

export interface Heard {
  samples: Float32Array;
  /** Whether the model was learnt in a hurry. */
  quick: boolean;
}

interface QuickModel {
  key: string;
  from: number;
  model: DebleedModel;
}
/** The last one learnt in a hurry. */
let last: QuickModel | null = null;
let turn: Promise<unknown> = Promise.resolve();
/** Asked for and not done; more than MOST_WAITING are sent away. */
let waiting = 0;
const MOST_WAITING = 4;

async function learnQuickly(o: Pick<DebleedJob, 'kit' | 'frames' | 'readers' | 'hits' | 'hands'>, from: number, to: number, key: string): Promise<DebleedModel> {
  if (last?.key === key && last.from === from) return last.model;
  const hop = HOP * o.kit.times;
  const wanted = Math.max(to - from, Math.min(o.frames, QUICK_S * o.kit.rate * o.kit.times));
  const start = Math.max(0, Math.min(o.frames - wanted, Math.round((from + to - wanted) / 2)));
  const model = await learnModel({ ...o, stretches: [{ first: Math.floor(start / hop), frames: Math.ceil(wanted / hop) + 1 }], rounds: QUICK_ROUNDS });
  last = { key, from, model };
  return model;
}

function strokes(plan: Plan, drums: readonly string[]) {
  const hits = possibleHits(plan);
  return drums.map((d) => learntFrom(hits[d]));
}

async function quickly(sql: Sql, recordingId: string, o: ImageInput & { from: number; to: number }, thread: string): Promise<Heard> {
  const files = await listFiles(sql, recordingId);
  const state = await getPlan(sql, recordingId);
  const { plan } = state ?? {};
  if (!plan?.mics[o.micId]) throw new FreshGapError('NOT_FOUND', 'The recording has no such mic.');
  if (!Object.values(plan.hits).some((l) => Object.keys(l).length > 0)) throw new FreshGapError('DEBLEED_NO_HITS', 'De-bleed learns from the hits, and none are found yet.');
  const kit = describeKit(plan.sampleRate, plan.order.map((id) => kitMic(plan.mics[id].role)));
  if (!sourcesOf(kit).includes(o.source)) throw new FreshGapError('NOT_FOUND', `De-bleed knows no ${o.source} in this recording.`);
  const key = `${recordingId} ${debleedKey(plan, files)} ${state?.revision}`;
  const hits = strokes(plan, kit.drums);
  const heard = await uncutOf(sql, plan, files);
  const [samples] = await withHands(async (hands) => {
    const job = { kit, frames: plan.frames, ...heard, hits, hands };
    const model = await learnQuickly(job, o.from, o.to, key);
    return computeImages({ ...job, model, wanted: [{ mic: plan.order.indexOf(o.micId), source: o.source }], from: o.from, to: o.to });
  }, undefined, thread);
  return { samples, quick: true };
}

/** What `source` adds to a mic in frames `from` to `to`. Throws NOT_FOUND, DEBLEED_NO_HITS, BAD_REQUEST, NOT_READY (too many ask). */
export function listenTo(sql: Sql, recordingId: string, o: ImageInput & { from: number; to: number }, thread = handFile()): Promise<Heard> {
  const work = async (): Promise<Heard> => {
    const state = await getPlan(sql, recordingId);
    if (!state) throw new FreshGapError('NOT_FOUND', 'There is no such recording.');
    const to = Math.min(o.to, state.plan.frames);
    if (!(o.from >= 0 && o.from < to && to - o.from <= LISTEN_S * state.plan.sampleRate)) throw new FreshGapError('BAD_REQUEST', `Ask for a stretch of up to ${LISTEN_S} seconds within the recording.`);
    const open = await openModel(sql, recordingId, o.micId, o.source).catch((e) => {
      if (e instanceof FreshGapError && e.code === 'DEBLEED_MISSING') return null;
      throw e;
    });
    if (!open) return quickly(sql, recordingId, { ...o, to }, thread);
    const [samples] = await withHands((hands) => computeImages({ ...open.job, hands, from: o.from, to }), undefined, thread);
    return { samples, quick: false };
  };
  if (waiting >= MOST_WAITING) return Promise.reject(new FreshGapError('NOT_READY', 'Several stretches are being computed already.'));
  waiting++;
  const result = turn.then(work).finally(() => {
    waiting--;
  });
  turn = result.catch(() => {});
  return result;
}
