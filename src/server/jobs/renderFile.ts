/** One cleaned file of an export: made from what the database holds, and kept there under its key. */
import type { Plan } from '../../core/plan/plan';
import type { Sql } from '../db';
import { audioReader, dbReader } from '../dbReader';
import { type DeliveryEncoding, deliverFile } from '../deliver';
import { type AudioRow, findAudio } from '../sql/audio';
import { listDebled, listImages } from '../sql/debled';
import { type FileRow, fileEdges } from '../sql/files';
import { type RenderRow, storeRender } from '../sql/renders';

export type Debled = ReadonlyMap<string, { contents: readonly string[]; audio: AudioRow; images: Readonly<Record<string, AudioRow>> }>;

/** What de-bleed left, by mic id. */
export async function debledAudio(sql: Sql, recordingId: string): Promise<Debled> {
  const [list, images] = await Promise.all([listDebled(sql, recordingId), listImages(sql, recordingId)]);
  return new Map(await Promise.all(list.map(async (d) => {
    const mine = images.filter((i) => i.micId === d.micId);
    const rows = await Promise.all(mine.map(async (i) => [i.source, await findAudio(sql, i.content)] as const));
    return [d.micId, { contents: [d.content, ...mine.map((i) => `${i.source} ${i.content}`)], audio: await findAudio(sql, d.content), images: Object.fromEntries(rows) }] as const;
  })));
}

/** What an export reads, as it was when it began: what de-bleed leaves anew meanwhile has no part in it. */
export interface ExportSound {
  readonly files: readonly FileRow[];
  readonly debled: Debled;
}

/** Readers of a recording's mics and of what de-bleed left of each, by mic id. */
export function micReaders(sql: Sql, plan: Plan, { files, debled }: ExportSound) {
  const reader = (id: string) => {
    const m = plan.mics[id];
    const source = files.find((x) => x.name === m.file);
    if (!source) throw new Error(`no file for ${id}`);
    return dbReader(sql, source, m.channel);
  };
  const kept = (id: string) => {
    const d = debled.get(id);
    return d ? { own: audioReader(sql, d.audio, 0), images: Object.fromEntries(Object.entries(d.images).map(([s, a]) => [s, audioReader(sql, a, 0)])) } : null;
  };
  return { reader, kept };
}

export interface RenderTask {
  readonly plan: Plan;
  readonly sound: ExportSound;
  /** Name of the file in the recording. */
  readonly file: string;
  readonly encoding: DeliveryEncoding;
  readonly key: string;
}

/** Makes a task's file; `told` is told the frames done. */
export type RenderFile = (task: RenderTask, told: (frames: number) => void | Promise<void>) => Promise<RenderRow>;

export async function renderFile(sql: Sql, { plan, sound, file, encoding, key }: RenderTask, told: (frames: number) => void | Promise<void>): Promise<RenderRow> {
  const { reader, kept } = micReaders(sql, plan, sound);
  const f = sound.files.find((x) => x.name === file);
  if (!f) throw new Error(`no file ${file}`);
  const { extras } = await fileEdges(sql, f.id);
  return storeRender(sql, key, encoding, (write) => deliverFile({ plan, file, frames: f.frames, extras, encoding, reader, kept, write, onFrames: told }));
}
