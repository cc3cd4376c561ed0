/** fresh-gap clean: every WAV file of a folder, cleaned by a plan, under its own name in another folder. */
import { copyFile, mkdir, open, readFile, rename, rm } from 'node:fs/promises';
import { join, resolve } from 'node:path';
import { FreshGapError } from '../core/errors';
import { applyEdit } from '../core/plan/edits';
import { editFromPlan } from '../core/plan/matchPlan';
import { NO_TREATMENT, type Plan, createPlan } from '../core/plan/plan';
import type { MicReader } from '../core/render';
import { type DeliveryEncoding, deliverFile, fileIsUntouched } from '../server/deliver';
import { parsePlan } from '../server/dto/plan.dto';
import { type Proposal, debleedFolder, proposeFolder } from './debleed';
import { openFolder } from './wavFile';

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
  progress(text: string): void;
}

export interface CleanReport {
  files: { file: string; out: string; cleaned: boolean; clipped: number }[];
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

const memoryReader = (x: Float32Array): MicReader => ({
  read(at, out) {
    out.fill(0);
    out.set(x.subarray(at, at + out.length));
  },
});

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
    await mkdir(o.out, { recursive: true });
    const report: CleanReport = { files: [], missing };
    for (const f of files) {
      const target = join(o.out, f.name);
      if (fileIsUntouched(plan, f.name)) {
        await copyFile(f.path, target);
        report.files.push({ file: f.name, out: target, cleaned: false, clipped: 0 });
        o.progress(`${f.name}: as it is\n`);
        continue;
      }
      const part = `${target}.part`;
      const file = await open(part, 'w');
      try {
        const clipped = await deliverFile({
          plan,
          file: f.name,
          frames: f.info.frames,
          extras: f.info.extras,
          encoding: o.encoding,
          reader: (id) => {
            const m = plan.mics[id];
            const source = files.find((x) => x.name === m.file);
            if (!source) throw new Error(`no file for ${id}`);
            return source.reader(m.channel);
          },
          kept(id) {
            const x = kept.get(id);
            return x ? { own: memoryReader(x.own), images: Object.fromEntries(Object.entries(x.images).map(([s, y]) => [s, memoryReader(y)])) } : null;
          },
          write: async (b) => {
            await file.writeFile(b);
          },
          onFrames: (n) => o.progress(`\r${f.name}: ${Math.round((100 * n) / f.info.frames)} %`),
        });
        await file.close();
        await rename(part, target);
        report.files.push({ file: f.name, out: target, cleaned: true, clipped });
        o.progress(`\r${f.name}: cleaned${clipped ? `, ${clipped} samples limited to full scale` : ''}\n`);
      } catch (e) {
        await file.close().catch(() => {});
        await rm(part, { force: true });
        throw e;
      }
    }
    return report;
  } finally {
    await Promise.all(files.map((f) => f.close()));
  }
}
