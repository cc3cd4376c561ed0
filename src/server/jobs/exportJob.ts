/**
 * The export job: renders every file that has something to clean and that is not in the cache yet. Its result lists what the zip will
 * hold; the zip itself is made while it streams to the browser.
 */
import { createHash } from 'node:crypto';
import { slicesOf } from '../../core/plan/live';
import { mainMic } from '../../core/plan/mainMic';
import { listHits } from '../../core/plan/planHits';
import type { Plan } from '../../core/plan/plan';
import type { Sql } from '../db';
import { type DeliveryEncoding, deliveredName, fileIsUntouched, fileRecipe, micsNeeded } from '../deliver';
import { deliverSlices } from '../deliverSlices';
import { deliverHits } from '../deliverHits';
import { type HitFiles, NO_HIT_FILES } from '../hitFiles';
import { type FileRow, fileEdges, listFiles } from '../sql/files';
import { findRender, storeRender } from '../sql/renders';
import { type Debled, type RenderFile, debledAudio, micReaders, renderFile } from './renderFile';

/** To be raised whenever the same plan would give other samples: cached files of older engines are not used then. */
export const ENGINE_VERSION = 4;

export interface ExportInput {
  encoding: DeliveryEncoding;
  suffix: string;
  files?: string[];
  /** What is delivered of the hits beside the mics. */
  hits?: HitFiles;
  /** The plan as it stood when the export was asked for. */
  plan: Plan;
}

export interface ExportedFile {
  name: string;
  /** The source file, or null for what is made of hits. */
  fileId: number | null;
  /** Cached render, or null for a copy of the original. */
  key: string | null;
  bytes: number;
  clipped: number;
}

export interface ExportResult {
  zipName: string;
  files: ExportedFile[];
}

function renderKey(plan: Plan, file: FileRow, files: readonly FileRow[], debled: Debled, input: ExportInput, extras: Uint8Array): string {
  const sources = micsNeeded(plan, file.name).map((id) => {
    const m = plan.mics[id];
    return [files.find((f) => f.name === m.file)?.content, m.channel, m.treatment.debleed.on ? (debled.get(id)?.contents ?? null) : null];
  });
  const parts = { engine: ENGINE_VERSION, encoding: input.encoding, name: file.name, frames: file.frames, sources, recipe: fileRecipe(plan, file.name), extras: Buffer.from(extras).toString('base64') };
  return createHash('sha256').update(JSON.stringify(parts)).digest('hex');
}

/** Every cut mic, under its file's name without its ending. */
function cutMics(plan: Plan): { micId: string; mic: string }[] {
  return plan.order.filter((id) => plan.mics[id].treatment.slices.on).map((micId) => {
    const { file, channel } = plan.mics[micId];
    const sides = plan.order.filter((x) => plan.mics[x].file === file).length;
    const name = file.replace(/\.[A-Za-z0-9]{2,4}$/, '');
    return { micId, mic: sides > 1 ? `${name} ${channel === 0 ? 'left' : 'right'}` : name };
  });
}

const cutsOf = (plan: Plan) =>
  cutMics(plan).map(({ micId, mic }) => ({ mic, cuts: slicesOf(plan, micId).map((s) => ({ from: s.from, to: s.to, fadeIn: s.fadeIn, fadeOut: s.fadeOut, hits: s.hits.length })) }));

const noteOf = (files: readonly string[]): string => (files.length === 0 ? '' : `Cleaning ${files.length > 2 ? `${files[0]} and ${files.length - 1} more` : files.join(' and ')}`);

/**
 * `report` is told 0..1 and what is being done; it throws where the job was cancelled. `render` makes a file: here, one after the other, where nothing is said,
 * or in threads, as many at a time as that has.
 */
export async function runExport(sql: Sql, recordingId: string, recordingName: string, input: ExportInput, report: (done: number, note: string) => Promise<void>, render?: RenderFile): Promise<ExportResult> {
  const { plan } = input;
  const [all, debled] = await Promise.all([listFiles(sql, recordingId), debledAudio(sql, recordingId)]);
  const sound = { files: all, debled };
  const { reader, kept } = micReaders(sql, plan, sound);
  const files = all.filter((f) => !input.files || input.files.includes(f.name));
  const total = files.reduce((n, f) => n + f.frames, 0) || 1;
  const done = new Map<string, number>();
  const underway = new Set<string>();
  const told = (file: string, frames: number) => {
    done.set(file, frames);
    return report([...done.values()].reduce((n, v) => n + v, 0) / total, noteOf([...underway]));
  };
  const deliver = async (f: FileRow): Promise<ExportedFile> => {
    const name = deliveredName(f.name, input.suffix);
    const { extras, head, tail } = await fileEdges(sql, f.id);
    if (fileIsUntouched(plan, f.name)) {
      await told(f.name, f.frames);
      return { name, fileId: f.id, key: null, bytes: head.length + tail.length + f.frames * f.bytesPerFrame, clipped: 0 };
    }
    const key = renderKey(plan, f, all, debled, input, extras);
    const task = { plan, sound, file: f.name, encoding: input.encoding, key };
    let over = false;
    const onFrames = (n: number) => {
      // what a thread said may come after its answer
      if (over) return;
      underway.add(f.name);
      return told(f.name, n);
    };
    const made = (await findRender(sql, key)) ?? (await (render ?? ((t, on) => renderFile(sql, t, on)))(task, onFrames));
    over = true;
    underway.delete(f.name);
    await told(f.name, f.frames);
    return { name, fileId: f.id, key, bytes: made.bytes, clipped: made.clipped };
  };
  const out: ExportedFile[] = render ? await Promise.all(files.map(deliver)) : [];
  if (!render) for (const f of files) out.push(await deliver(f));
  const hits = input.hits ?? NO_HIT_FILES;
  if (hits.midi || hits.csv || hits.labels || hits.cuts || hits.ticks !== 'none') {
    await report(1, 'Writing the hits');
    const drums = Object.fromEntries(Object.keys(plan.hits).map((d) => [d, listHits(plan, d).map(({ frame, strength, certainty }) => ({ frame, strength, certainty }))]));
    const cuts = cutsOf(plan);
    await deliverHits({
      rate: plan.sampleRate, frames: plan.frames, drums, files: hits, cuts,
      reader: (drum) => reader(mainMic(plan, drum)),
      async emit(name, produce) {
        const key = createHash('sha256').update(JSON.stringify({ engine: ENGINE_VERSION, name, hits, frames: plan.frames, drums, cuts: name.startsWith('cuts') ? cuts : null, sources: all.map((f) => f.content), roles: plan.order.map((id) => plan.mics[id].role) })).digest('hex');
        const render = (await findRender(sql, key)) ?? (await storeRender(sql, key, 'hits', async (write) => { await produce(write); return 0; }));
        out.push({ name, fileId: null, key, bytes: render.bytes, clipped: 0 });
      },
    });
  }
  if (hits.slices) {
    for (const { micId, mic } of cutMics(plan)) {
      const file = all.find((f) => f.name === plan.mics[micId].file);
      if (!file || (input.files && !input.files.includes(file.name))) continue;
      await report(1, `Cutting ${plan.mics[micId].name} into files`);
      const whole = renderKey(plan, file, all, debled, input, new Uint8Array(0));
      await deliverSlices({
        plan, micId, mic, encoding: input.encoding, reader, kept,
        async emit(name, produce) {
          const key = createHash('sha256').update(JSON.stringify([whole, name])).digest('hex');
          const render = (await findRender(sql, key)) ?? (await storeRender(sql, key, input.encoding, async (write) => { await produce(write); return 0; }));
          out.push({ name, fileId: null, key, bytes: render.bytes, clipped: 0 });
        },
      });
    }
  }
  const safe = recordingName.replace(/[^\p{L}\p{N} ._-]+/gu, '').replace(/\s+/g, ' ').trim() || 'recording';
  return { zipName: `${safe}${input.suffix}.zip`, files: out };
}

