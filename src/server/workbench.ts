/** Everything a page needs to open a recording: one object, plain data. */
import type { Encoding } from '../formats/pcm';
import type { Sql } from './db';
import { type DebledMic, listDebled, listImages } from './sql/debled';
import { listFiles, listMics } from './sql/files';
import { type JobRow, listJobs } from './sql/jobs';
import { type PlanState, getPlan } from './sql/plans';
import { type RecordingRow, getRecording } from './sql/recordings';

export interface WorkbenchFile {
  id: number;
  name: string;
  encoding: Encoding;
  channels: number;
  frames: number;
  /** Address of its audio: /bulk/pcm/CONTENT/CHANNEL/CHUNK. */
  content: string;
  micIds: string[];
}

export interface Workbench {
  recording: RecordingRow;
  files: WorkbenchFile[];
  /** Null while the recording has no files. */
  state: PlanState | null;
  exports: JobRow[];
  /** What de-bleed left, by mic id. */
  debled: Record<string, Omit<DebledMic, 'micId'> & { /** Where a page has only a stretch of it, frames. */ stretch?: { from: number; to: number } }>;
  /** Images of other drums in mics: content by mic id and drum. */
  images: Record<string, Record<string, string>>;
}

export async function loadWorkbench(sql: Sql, id: string): Promise<Workbench> {
  const recording = await getRecording(sql, id);
  const [files, mics, state, exports, debled, images] = await Promise.all([listFiles(sql, id), listMics(sql, id), getPlan(sql, id), listJobs(sql, id, 'export'), listDebled(sql, id), listImages(sql, id)]);
  return {
    recording,
    files: files.map((f) => ({
      id: f.id, name: f.name, encoding: f.encoding, channels: f.channels, frames: f.frames, content: f.content,
      micIds: mics.filter((m) => m.fileId === f.id).map((m) => m.id),
    })),
    state: state && state.plan.order.length > 0 ? state : null,
    exports,
    images: Object.fromEntries([...new Set(images.map((i) => i.micId))].map((mic) => [mic, Object.fromEntries(images.filter((i) => i.micId === mic).map((i) => [i.source, i.content]))])),
    debled: Object.fromEntries(debled.map(({ micId, ...d }) => [micId, d])),
  };
}
