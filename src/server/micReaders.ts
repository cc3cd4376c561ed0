/** Readers of a plan's mics as they are stored, and as they would be had nobody cut them. */
import type { Plan } from '../core/plan/plan';
import type { MicReader } from '../core/render';
import { kitMic } from '../core/spill/ownImages';
import { silencesUpTo } from '../core/spill/silences';
import { type Uncut, uncut } from '../core/spill/uncut';
import { readAnywhere } from './chunkReader';
import type { Sql } from './db';
import { dbReader } from './dbReader';
import { readSilences } from './sql/audio';
import type { FileRow } from './sql/files';

const fileOf = (plan: Plan, files: readonly FileRow[], id: string): FileRow => {
  const file = files.find((f) => f.name === plan.mics[id].file);
  if (!file) throw new Error(`no file for ${plan.mics[id].name}`);
  return file;
};

export const readersOf = (sql: Sql, plan: Plan, files: readonly FileRow[]): MicReader[] => plan.order.map((id) => readAnywhere(dbReader(sql, fileOf(plan, files, id), plan.mics[id].channel)));

/** The last ones, by what they were made of and who reads it: images of one recording are asked for one after the other. A job's connections end with it. */
let last: { readonly sql: Sql; readonly key: string; readonly heard: Promise<Uncut> } | null = null;

export function uncutOf(sql: Sql, plan: Plan, files: readonly FileRow[], progress?: () => void | Promise<void>): Promise<Uncut> {
  const key = JSON.stringify([plan.sampleRate, plan.frames, ...plan.order.map((id) => [fileOf(plan, files, id).content, plan.mics[id].channel, plan.mics[id].role])]);
  if (last?.sql === sql && last.key === key) return last.heard;
  const listen = async () => {
    const known = await Promise.all(plan.order.map((id) => readSilences(sql, fileOf(plan, files, id).audioId, plan.mics[id].channel)));
    const silences = known.map((k) => k && silencesUpTo(k, plan.frames, plan.sampleRate));
    return uncut(plan.sampleRate, plan.frames, readersOf(sql, plan, files), plan.order.map((id) => kitMic(plan.mics[id].role)), progress, silences);
  };
  const heard = listen();
  last = { sql, key, heard };
  heard.catch(() => {
    if (last?.heard === heard) last = null;
  });
  return heard;
}
