/**
 * The de-bleed job: what is left of every close mic is stored as audio of its own, hits that were found again and the rings of the cleaner mics go into the plan as one
 * edit that leaves alone what a person decided.
 */
import { createHash } from 'node:crypto';
import { deserialize, serialize } from 'node:v8';
import { FreshGapError } from '../../core/errors';
import { lateMics } from '../../core/hits/analyse';
import { debleedFigures, rungOutS } from '../../core/measure/debleedFigures';
import { possibleHits } from '../../core/plan/live';
import { mergeAnalysis, thresholdOf } from '../../core/plan/planHits';
import type { Plan } from '../../core/plan/plan';
import { DEBLEED_VERSION, type KeptMic, debleed } from '../../core/spill/debleed';
import { kitMic } from '../../core/spill/ownImages';
import { createEncoder } from '../../formats/pcm';
import { wavHead } from '../../formats/wavWriter';
import { computeImages, sourcesOf } from '../../core/spill/image';
import type { DebleedModel } from '../../core/spill/learn';
import { handFile, withHands } from '../../node/hands';
import type { Sql, Tx } from '../db';
import { notify } from '../events';
import { storeAudio } from '../importFile';
import { readersOf, uncutOf } from '../micReaders';
import { findAnalysis } from '../sql/analyses';
import { CHUNK_FRAMES } from '../sql/audio';
import { type NewDebled, getModel, listDebled, putImage, putModel, replaceDebled } from '../sql/debled';
import { type FileRow, listFiles } from '../sql/files';
import { getPlan } from '../sql/plans';
import { lockRecording } from '../sql/recordings';
import { analysisKey } from './analysisJob';
import { mergeIntoPlan } from './mergeIntoPlan';

/** Hash of the mics and roles that de-bleed rests on. */
export function debleedKey(plan: Plan, files: readonly FileRow[]): string {
  const mics = plan.order.map((id) => [files.find((f) => f.name === plan.mics[id].file)?.content, plan.mics[id].channel, plan.mics[id].role]);
  return createHash('sha256').update(JSON.stringify([DEBLEED_VERSION, plan.frames, mics])).digest('hex');
}

export interface DebleedResult {
  mics: { micId: string; share: number; lossDb: number }[];
  hits: number;
}

async function* wavOf(x: Float32Array, rate: number): AsyncIterable<Uint8Array> {
  yield wavHead({ encoding: 'float32', channels: 1, rate, frames: x.length });
  const encoder = createEncoder('float32', 0);
  for (let at = 0; at < x.length; at += CHUNK_FRAMES) yield encoder.encode([x.subarray(at, at + CHUNK_FRAMES)]);
}

/** What is kept to make images with later. */
export interface StoredModel {
  model: DebleedModel;
  /** Strokes it was learnt with, seconds, by drum of its kit. */
  hits: number[][];
}

/** Drums that stay in part in a mic, as the plan has them. */
const imagesWanted = (plan: Plan) =>
  plan.order.flatMap((id, mic) => Object.entries(plan.mics[id].treatment.debleed.amounts).filter(([, a]) => a < 100).map(([source]) => ({ mic, source })));

/** `thread`: the bundled hand. */
export async function runDebleed(sql: Sql, recordingId: string, report: (done: number, note: string) => Promise<void>, thread = handFile()): Promise<DebleedResult> {
  const files = await listFiles(sql, recordingId);
  const state = await getPlan(sql, recordingId);
  if (!state || state.plan.order.length === 0) throw new FreshGapError('NOT_FOUND', 'The recording has no mics yet.');
  const { plan } = state;
  const found = Object.values(plan.hits).some((l) => Object.keys(l).length > 0);
  if (!found) throw new FreshGapError('DEBLEED_NO_HITS', 'De-bleed learns from the hits, and none are found yet.');
  const mics = plan.order.map((id) => plan.mics[id]);
  const readers = readersOf(sql, plan, files);
  const hits = possibleHits(plan);
  let stored: StoredModel | null = null;
  const onModel = (model: DebleedModel, strokes: readonly (readonly number[])[]) => {
    stored = { model, hits: strokes.map((l) => [...l]) };
  };
  const images = imagesWanted(plan);
  const analysis = await findAnalysis(sql, analysisKey(plan, files));
  const late = analysis ? lateMics(analysis.spill) : undefined;
  const heard = await uncutOf(sql, plan, files, () => report(0, 'Listening for mics that were cut'));
  const result = await withHands((hands) => debleed({ images, late, uncut: heard, onModel, rate: plan.sampleRate, frames: plan.frames, mics: mics.map((m) => kitMic(m.role)), readers, hits, hands, progress: (done, what) => report(0.95 * done, what) }), undefined, thread);
  if (result.mics.length === 0) throw new FreshGapError('DEBLEED_NO_MICS', 'No mic of this recording has a drum of its own.');
  const key = debleedKey(plan, files);
  await sql.begin(async (tx: Tx) => {
    const rows: NewDebled[] = [];
    for (const [i, k] of result.mics.entries()) {
      const { audioId } = await storeAudio(tx, wavOf(k.samples, plan.sampleRate), () => {});
      const raw = new Float32Array(k.samples.length);
      await readers[k.mic].read(0, raw);
      const own = (result.hits[k.drum] ?? []).filter((h) => h.certainty >= thresholdOf(plan, k.drum)).map((h) => Math.round(h.time * plan.sampleRate));
      const figures = debleedFigures(plan.sampleRate, raw, k.samples, own.sort((a, b) => a - b), rungOutS(k.ring));
      rows.push({ micId: plan.order[k.mic], audioId, share: k.share, lossDb: k.lossDb, figures });
      await report(0.95 + (0.05 * (i + 1)) / result.mics.length, 'Storing what is left');
    }
    await lockRecording(tx, recordingId);
    await replaceDebled(tx, recordingId, key, rows);
    for (const [i, { mic, source }] of images.entries()) {
      const { audioId } = await storeAudio(tx, wavOf(result.images[i], plan.sampleRate), () => {});
      await putImage(tx, recordingId, { micId: plan.order[mic], source, key, audioId });
    }
    await putModel(tx, recordingId, key, serialize(stored));
    await notify(tx, { kind: 'files', recordingId });
  });
  const rings = (list: readonly KeptMic[]) => Object.fromEntries(list.map((k) => [plan.order[k.mic], k.ring]));
  await mergeIntoPlan(sql, recordingId, (now) => mergeAnalysis(now, result.hits, rings(result.mics)), 'debleed');
  return { mics: result.mics.map((k) => ({ micId: plan.order[k.mic], share: k.share, lossDb: k.lossDb })), hits: Object.values(result.hits).reduce((n, l) => n + l.length, 0) };
}

/** A recording and what de-bleed learnt of it, to make images with. Throws DEBLEED_MISSING, NOT_FOUND. */
export async function openModel(sql: Sql, recordingId: string, micId: string, source: string) {
  const files = await listFiles(sql, recordingId);
  const state = await getPlan(sql, recordingId);
  const { plan } = state ?? {};
  if (!plan?.mics[micId]) throw new FreshGapError('NOT_FOUND', 'The recording has no such mic.');
  const key = debleedKey(plan, files);
  const { model, hits } = deserialize(await getModel(sql, recordingId, key)) as StoredModel;
  if (!sourcesOf(model.kit).includes(source)) throw new FreshGapError('NOT_FOUND', `De-bleed knows no ${source} in this recording.`);
  const kept = (await listDebled(sql, recordingId)).find((d) => d.micId === micId);
  return { plan, key, share: kept?.share ?? 1, job: { kit: model.kit, model, hits, frames: plan.frames, ...(await uncutOf(sql, plan, files)), wanted: [{ mic: plan.order.indexOf(micId), source }] } };
}

export interface ImageInput {
  micId: string;
  /** A drum, or rest. */
  source: string;
}

/** The image job: what a drum adds to a mic over the whole song, stored as audio of its own. */
export async function runImage(sql: Sql, recordingId: string, input: ImageInput, report: (done: number, note: string) => Promise<void>, thread = handFile()): Promise<{ frames: number }> {
  const { plan, key, share, job } = await openModel(sql, recordingId, input.micId, input.source);
  const [image] = await withHands((hands) => computeImages({ ...job, hands, from: 0, to: plan.frames, progress: (d) => report(0.97 * d, 'Computing the image') }), undefined, thread);
  for (let i = 0; i < image.length; i++) image[i] *= share;
  await sql.begin(async (tx: Tx) => {
    const { audioId } = await storeAudio(tx, wavOf(image, plan.sampleRate), () => {});
    await lockRecording(tx, recordingId);
    await putImage(tx, recordingId, { ...input, key, audioId });
    await notify(tx, { kind: 'files', recordingId });
  });
  return { frames: image.length };
}
