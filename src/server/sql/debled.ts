/** Queries on what de-bleed left of mics. */
import type { Sql, Tx } from '../db';
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
}

export async function listDebled(sql: Sql | Tx, recordingId: string): Promise<DebledMic[]> {
  return sql<DebledMic[]>`
    select d.mic_id as "micId", d.key, a.content, d.share, d.loss_db as "lossDb"
    from debled_mic d join audio a on a.id = d.audio_id where d.recording_id = ${checkId(recordingId)} order by d.mic_id`;
}

export interface NewDebled {
  micId: string;
  audioId: AudioRow['id'];
  share: number;
  lossDb: number;
}

/** Takes the place of all that was there; audio that nothing uses any more goes. */
export async function replaceDebled(tx: Tx, recordingId: string, key: string, mics: readonly NewDebled[]): Promise<void> {
  await tx`delete from debled_mic where recording_id = ${recordingId}`;
  for (const m of mics) await tx`insert into debled_mic (recording_id, mic_id, key, audio_id, share, loss_db) values (${recordingId}, ${m.micId}, ${key}, ${m.audioId}, ${m.share}, ${m.lossDb})`;
  await dropUnusedAudio(tx);
}
