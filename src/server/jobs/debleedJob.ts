/**
 * The de-bleed job: what is left of every close mic is stored as audio of its own, hits that were found again and the rings of the cleaner mics go into the plan as one
 * edit that leaves alone what a person decided.
 */
import { createHash } from 'node:crypto';
import { FreshGapError } from '../../core/errors';
import { countedHits } from '../../core/plan/live';
import { mergeAnalysis } from '../../core/plan/planHits';
import type { Plan } from '../../core/plan/plan';
import { DEBLEED_VERSION, type KeptMic, debleed, kitMic } from '../../core/spill/debleed';
import { createEncoder } from '../../formats/pcm';
import { wavHead } from '../../formats/wavWriter';
import { handFile, withHands } from '../../node/hands';
import { readAnywhere } from '../chunkReader';
import type { Sql, Tx } from '../db';
import { dbReader } from '../dbReader';
import { notify } from '../events';
import { storeAudio } from '../importFile';
import { CHUNK_FRAMES } from '../sql/audio';
import { type NewDebled, replaceDebled } from '../sql/debled';
import { type FileRow, listFiles } from '../sql/files';
import { getPlan } from '../sql/plans';
import { lockRecording } from '../sql/recordings';
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

/** `thread`: the bundled hand. */
export async function runDebleed(sql: Sql, recordingId: string, report: (done: number, note: string) => Promise<void>, thread = handFile()): Promise<DebleedResult> {
  const files = await listFiles(sql, recordingId);
  const state = await getPlan(sql, recordingId);
  if (!state || state.plan.order.length === 0) throw new FreshGapError('NOT_FOUND', 'The recording has no mics yet.');
  const { plan } = state;
  const found = Object.values(plan.hits).some((l) => Object.keys(l).length > 0);
  if (!found) throw new FreshGapError('DEBLEED_NO_HITS', 'De-bleed learns from the hits, and none are found yet.');
  const mics = plan.order.map((id) => plan.mics[id]);
  const readers = mics.map((m) => {
    const file = files.find((f) => f.name === m.file);
    if (!file) throw new Error(`no file for ${m.name}`);
    return readAnywhere(dbReader(sql, file, m.channel));
  });
  // what counts is learnt from; doubtful ones may become certain
  const hits = Object.fromEntries(Object.entries(plan.hits).map(([d, list]) => {
    const counted = new Set(countedHits(plan).get(d)?.map((h) => h.id));
    return [d, Object.entries(list).filter(([, h]) => h.state !== 'rejected').map(([id, h]) => ({ time: h.frame / plan.sampleRate, strength: h.strength, certainty: h.state === 'found' ? h.certainty : counted.has(id) ? 1 : 0 })).sort((a, b) => a.time - b.time)];
  }));
  const result = await withHands((hands) => debleed({ rate: plan.sampleRate, frames: plan.frames, mics: mics.map((m) => kitMic(m.role)), readers, hits, hands, progress: (done, what) => report(0.95 * done, what) }), undefined, thread);
  if (result.mics.length === 0) throw new FreshGapError('DEBLEED_NO_MICS', 'No mic of this recording has a drum of its own.');
  const key = debleedKey(plan, files);
  await sql.begin(async (tx: Tx) => {
    const rows: NewDebled[] = [];
    for (const [i, k] of result.mics.entries()) {
      const { audioId } = await storeAudio(tx, wavOf(k.samples, plan.sampleRate), () => {});
      rows.push({ micId: plan.order[k.mic], audioId, share: k.share, lossDb: k.lossDb });
      await report(0.95 + (0.05 * (i + 1)) / result.mics.length, 'Storing what is left');
    }
    await lockRecording(tx, recordingId);
    await replaceDebled(tx, recordingId, key, rows);
    await notify(tx, { kind: 'files', recordingId });
  });
  const rings = (list: readonly KeptMic[]) => Object.fromEntries(list.map((k) => [plan.order[k.mic], k.ring]));
  await mergeIntoPlan(sql, recordingId, (now) => mergeAnalysis(now, result.hits, rings(result.mics)), 'debleed');
  return { mics: result.mics.map((k) => ({ micId: plan.order[k.mic], share: k.share, lossDb: k.lossDb })), hits: Object.values(result.hits).reduce((n, l) => n + l.length, 0) };
}
