/** fresh-gap clean: every WAV file of a folder, cleaned by a plan, under its own name in another folder. */
import { copyFile, mkdir, readFile } from 'node:fs/promises';
import { join, resolve } from 'node:path';
import { FreshGapError } from '../core/errors';
import { applyEdit } from '../core/plan/edits';
import { editFromPlan } from '../core/plan/matchPlan';
import { NO_TREATMENT, type Plan, createPlan } from '../core/plan/plan';
import { inSharedMemory } from '../node/hands';
import { type DeliveryEncoding, fileIsUntouched } from '../server/deliver';
import { parsePlan } from '../server/dto/plan.dto';
import { type Proposal, debleedFolder, proposeFolder } from './debleed';
import { type WavFile, openFolder } from './wavFile';
import { writeCleaned, writeTask } from './writeCleaned';

export interface CleanOptions {
  folder: string;
  /** A plan file; without one the proposed plan. */
  plan?: string;
  roles?: string;
  out: string;
  /** Of the proposed plan, de-bleed alone; or everything but that. */
  only?: 'debleed' | 'cut';
  /** The proposed plan where it is known already. */
  proposal?: Proposal;
  encoding: DeliveryEncoding;
  /** What writes a file; in this thread where nothing is said. */
  write?: typeof writeCleaned;
  progress(text: string): void;
}

interface CleanedFile {
  file: string;
  out: string;
  cleaned: boolean;
  clipped: number;
}

export interface CleanReport {
  /** In the order of their names. */
  files: CleanedFile[];
  /** Files the plan names that the folder does not have. */
  missing: readonly string[];
}

async function readPlan(path: string) {
  const text = await readFile(path, 'utf8').catch(() => {
    throw new FreshGapError('PLAN_INVALID', `${path} cannot be read.`);
  });
  let raw: unknown;
  try {
    raw = JSON.parse(text);
  } catch {
    throw new FreshGapError('PLAN_INVALID', `${path} is no JSON.`);
  }
  return parsePlan(raw);
}

const onlyDebleed = (plan: Plan): Plan => ({ ...plan, mics: Object.fromEntries(Object.entries(plan.mics).map(([id, m]) => [id, { ...m, treatment: { ...NO_TREATMENT, debleed: m.treatment.debleed } }])) });

/** Throws coded errors; a file appears in `out` only when it is whole. */
export async function clean(o: CleanOptions): Promise<CleanReport> {
  if (resolve(o.folder) === resolve(o.out)) throw new FreshGapError('CLI_OUT_IS_IN', 'Originals are never overwritten.');
  const proposal = o.plan ? null : (o.proposal ?? (await proposeFolder({ ...o, plain: o.only === 'cut' })));
  const given = o.only === 'debleed' && proposal ? onlyDebleed(proposal.plan) : (proposal?.plan ?? (await readPlan(o.plan as string)));
  const files = await openFolder(o.folder);
  try {
    const sources = files.flatMap((f) => Array.from({ length: f.info.channels }, (_, channel) => ({ file: f.name, channel, channels: f.info.channels, frames: f.info.frames })));
    const fresh = createPlan(files[0].info.rate, sources);
    const { edit, missing } = editFromPlan(fresh, given, 'plan');
    const plan = applyEdit(fresh, edit);
    const kept = proposal?.kept ?? (await debleedFolder({ folder: o.folder, plan, progress: o.progress }));
    const shared = new Map([...kept].map(([id, k]) => [id, inSharedMemory(k)]));
    await mkdir(o.out, { recursive: true });
    const treated = files.filter((f) => !fileIsUntouched(plan, f.name));
    const total = treated.reduce((n, f) => n + f.info.frames, 0);
    const done = new Map<string, number>();
    let last = '';
    const told = (file: string, frames: number) => {
      done.set(file, frames);
      const text = `\rWriting: ${Math.round((100 * [...done.values()].reduce((a, b) => a + b, 0)) / total)} %`;
      if (text !== last) o.progress(text);
      last = text;
    };
    const write = async (f: WavFile): Promise<CleanedFile> => {
      const target = join(o.out, f.name);
      if (!treated.includes(f)) {
        await copyFile(f.path, target);
        o.progress(`\r${f.name}: as it is\n`);
        return { file: f.name, out: target, cleaned: false, clipped: 0 };
      }
      const clipped = await (o.write ?? writeCleaned)(writeTask(plan, f.name, files, shared, o.encoding, target), (frames) => told(f.name, frames));
      o.progress(`\r${f.name}: cleaned${clipped ? `, ${clipped} samples limited to full scale` : ''}\n`);
      return { file: f.name, out: target, cleaned: true, clipped };
    };
    // where one fails the others end whole first
    const written = await Promise.allSettled(files.map(write));
    const failed = written.find((w) => w.status === 'rejected');
    if (failed) throw failed.reason;
    return { files: written.flatMap((w) => (w.status === 'fulfilled' ? [w.value] : [])), missing };
  } finally {
    await Promise.all(files.map((f) => f.close()));
  }
}
