/** One cleaned WAV file of a folder: written here, or by a thread beside others (write.thread.ts). */
import { open, rename, rm } from 'node:fs/promises';
import type { Kept } from '../core/clean/debleedMix';
import type { Plan } from '../core/plan/plan';
import type { MicReader } from '../core/render';
import { type DeliveryEncoding, deliverFile, micsNeeded } from '../server/deliver';
import { type KnownWav, reopenWav } from './wavFile';

/** Plain data, so that it goes to a thread. */
export interface WriteTask {
  readonly plan: Plan;
  readonly file: string;
  /** The mics' files that it takes. */
  readonly sources: readonly KnownWav[];
  /** What de-bleed leaves of these mics, by their ids. */
  readonly kept: Readonly<Record<string, Kept<Float32Array>>>;
  readonly encoding: DeliveryEncoding;
  readonly target: string;
}

export function writeTask(plan: Plan, file: string, wavs: readonly KnownWav[], kept: ReadonlyMap<string, Kept<Float32Array>>, encoding: DeliveryEncoding, target: string): WriteTask {
  const ids = micsNeeded(plan, file);
  const names = new Set(ids.map((id) => plan.mics[id].file));
  return {
    plan, file, encoding, target,
    sources: wavs.filter((w) => names.has(w.name)).map(({ name, path, info }) => ({ name, path, info })),
    kept: Object.fromEntries(ids.flatMap((id) => (kept.has(id) ? [[id, kept.get(id) as Kept<Float32Array>]] : []))),
  };
}

const memoryReader = (x: Float32Array): MicReader => ({
  read(at, out) {
    out.fill(0);
    out.set(x.subarray(at, at + out.length));
  },
});

/** Returns how many samples were limited to full scale; the file is at its place only when it is whole. `told`: frames done. */
export async function writeCleaned({ plan, file, sources, kept, encoding, target }: WriteTask, told: (frames: number) => void): Promise<number> {
  const wavs = await Promise.all(sources.map(reopenWav));
  const part = `${target}.part`;
  const wavOf = (name: string) => {
    const w = wavs.find((x) => x.name === name);
    if (!w) throw new Error(`no file ${name}`);
    return w;
  };
  try {
    const out = await open(part, 'w');
    try {
      const clipped = await deliverFile({
        plan, file, encoding,
        frames: wavOf(file).info.frames,
        extras: wavOf(file).info.extras,
        reader: (id) => wavOf(plan.mics[id].file).reader(plan.mics[id].channel),
        kept: (id) => (kept[id] ? { own: memoryReader(kept[id].own), images: Object.fromEntries(Object.entries(kept[id].images).map(([s, y]) => [s, memoryReader(y)])) } : null),
        write: async (b) => {
          await out.writeFile(b);
        },
        onFrames: told,
      });
      await out.close();
      await rename(part, target);
      return clipped;
    } catch (e) {
      await out.close().catch(() => {});
      await rm(part, { force: true });
      throw e;
    }
  } finally {
    await Promise.all(wavs.map((w) => w.close()));
  }
}
