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
import { audioReader, dbReader } from '../dbReader';
import { type DeliveryEncoding, deliverFile, deliveredName, fileIsUntouched, fileRecipe, micsNeeded } from '../deliver';
import { deliverSlices } from '../deliverSlices';
import { deliverHits } from '../deliverHits';
import { type HitFiles, NO_HIT_FILES } from '../hitFiles';
import { type AudioRow, findAudio } from '../sql/audio';
import { listDebled, listImages } from '../sql/debled';
import { type FileRow, fileEdges, listFiles } from '../sql/files';
import { findRender, storeRender } from '../sql/renders';

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

type Debled = ReadonlyMap<string, { contents: readonly string[]; audio: AudioRow; images: Readonly<Record<string, AudioRow>> }>;

/** What de-bleed left, by mic id. */
async function debledAudio(sql: Sql, recordingId: string): Promise<Debled> {
  const [list, images] = await Promise.all([listDebled(sql, recordingId), listImages(sql, recordingId)]);
  return new Map(await Promise.all(list.map(async (d) => {
    const mine = images.filter((i) => i.micId === d.micId);
    const rows = await Promise.all(mine.map(async (i) => [i.source, await findAudio(sql, i.content)] as const));
    return [d.micId, { contents: [d.content, ...mine.map((i) => `${i.source} ${i.content}`)], audio: await findAudio(sql, d.content), images: Object.fromEntries(rows) }] as const;
  })));
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

/** `report` is told 0..1 and what is being done; it throws where the job was cancelled. */
export async function runExport(sql: Sql, recordingId: string, recordingName: string, input: ExportInput, report: (done: number, note: string) => Promise<void>): Promise<ExportResult> {
  const all = await listFiles(sql, recordingId);
  const files = all.filter((f) => !input.files || input.files.includes(f.name));
  const out: ExportedFile[] = [];
  const { plan } = input;
  const debled = await debledAudio(sql, recordingId);
  const total = files.reduce((n, f) => n + f.frames, 0) || 1;
  const reader = (id: string) => {
    const m = plan.mics[id];
    const source = all.find((x) => x.name === m.file);
    if (!source) throw new Error(`no file for ${id}`);
    return dbReader(sql, source, m.channel);
  };
  const kept = (id: string) => {
    const d = debled.get(id);
    return d ? { own: audioReader(sql, d.audio, 0), images: Object.fromEntries(Object.entries(d.images).map(([s, a]) => [s, audioReader(sql, a, 0)])) } : null;
  };
  let before = 0;
  for (const f of files) {
    const name = deliveredName(f.name, input.suffix);
    const { extras, head, tail } = await fileEdges(sql, f.id);
    if (fileIsUntouched(plan, f.name)) {
      out.push({ name, fileId: f.id, key: null, bytes: head.length + tail.length + f.frames * f.bytesPerFrame, clipped: 0 });
    } else {
      const key = renderKey(plan, f, all, debled, input, extras);
      const note = `Cleaning ${f.name}`;
      await report(before / total, note);
      const render =
        (await findRender(sql, key)) ??
        (await storeRender(sql, key, input.encoding, (write) =>
          deliverFile({ plan, file: f.name, frames: f.frames, extras, encoding: input.encoding, reader, kept, write, onFrames: (n) => report((before + n) / total, note) }),
        ));
      out.push({ name, fileId: f.id, key, bytes: render.bytes, clipped: render.clipped });
    }
    before += f.frames;
    await report(before / total, '');
  }
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

