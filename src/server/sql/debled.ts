/** Queries on what de-bleed left of mics, on its model, and on images of drums in mics. */
import type { Sql, Tx } from '../db';
import type { DebleedFigures } from '../../core/measure/debleedFigures';
import { FreshGapError } from '../../core/errors';
import { type AudioRow, dropUnusedAudio } from './audio';
import { checkId } from './recordings';

export interface DebledMic {
  micId: string;
  key: string;
  /** Address of its audio. */
  content: string;
  /** How much of de-bleed was used, 0..1, and what it would have taken of the drum itself, dB. */
  share: number;
  lossDb: number;
  /** What it takes of the mic by level, dB; null where there is no such place, and of what an older version computed. */
  gapsDb: number | null;
  tailsDb: number | null;
  attackDb: number | null;
}

export async function listDebled(sql: Sql | Tx, recordingId: string): Promise<DebledMic[]> {
  return sql<DebledMic[]>`
    select d.mic_id as "micId", d.key, a.content, d.share, d.loss_db as "lossDb", d.gaps_db as "gapsDb", d.tails_db as "tailsDb", d.attack_db as "attackDb"
    from debled_mic d join audio a on a.id = d.audio_id where d.recording_id = ${checkId(recordingId)} order by d.mic_id`;
}

export interface NewDebled {
  micId: string;
  audioId: AudioRow['id'];
  share: number;
  lossDb: number;
  figures: DebleedFigures;
}

/** Takes the place of all that was there; audio that nothing uses any more goes. */
export async function replaceDebled(tx: Tx, recordingId: string, key: string, mics: readonly NewDebled[]): Promise<void> {
  await tx`delete from debled_mic where recording_id = ${recordingId}`;
  await tx`delete from drum_image where recording_id = ${recordingId}`;
  for (const m of mics) {
    await tx`
      insert into debled_mic (recording_id, mic_id, key, audio_id, share, loss_db, gaps_db, tails_db, attack_db)
      values (${recordingId}, ${m.micId}, ${key}, ${m.audioId}, ${m.share}, ${m.lossDb}, ${m.figures.gapsDb}, ${m.figures.tailsDb}, ${m.figures.attackDb})`;
  }
  await dropUnusedAudio(tx);
}

/** Keeps the model that a recording's de-bleed learnt. */
export async function putModel(tx: Tx, recordingId: string, key: string, model: Uint8Array): Promise<void> {
  await tx`
    insert into debleed_model (recording_id, key, model) values (${recordingId}, ${key}, ${Buffer.from(model)})
    on conflict (recording_id) do update set key = excluded.key, model = excluded.model, created_at = now()`;
}

/** The model of that key. Throws DEBLEED_MISSING where there is none, or one of other files or roles. */
export async function getModel(sql: Sql, recordingId: string, key: string): Promise<Uint8Array> {
  const [row] = await sql<{ model: Uint8Array }[]>`select model from debleed_model where recording_id = ${checkId(recordingId)} and key = ${key}`;
  if (!row) throw new FreshGapError('DEBLEED_MISSING', 'What de-bleed learnt of this recording is not there, or belongs to other files or roles.');
  return row.model;
}

export interface DrumImage {
  micId: string;
  /** A drum, or rest. */
  source: string;
  content: string;
}

export async function listImages(sql: Sql | Tx, recordingId: string): Promise<DrumImage[]> {
  return sql<DrumImage[]>`
    select i.mic_id as "micId", i.source, a.content from drum_image i join audio a on a.id = i.audio_id where i.recording_id = ${checkId(recordingId)} order by i.mic_id, i.source`;
}

/** Takes the place of an image of the same drum in the same mic. */
export async function putImage(tx: Tx, recordingId: string, image: { micId: string; source: string; key: string; audioId: AudioRow['id'] }): Promise<void> {
  const { micId, source, key, audioId } = image;
  await tx`
    insert into drum_image (recording_id, mic_id, source, key, audio_id) values (${recordingId}, ${micId}, ${source}, ${key}, ${audioId})
    on conflict (recording_id, mic_id, source) do update set key = excluded.key, audio_id = excluded.audio_id`;
}
