/** Images by a model that is learnt: what one drum, or what no close mic owns, adds to one mic. */
import { HALF_BAND_REACH } from '../dsp/halfBand';
import { REST } from '../params/debleedParams';
import { type DebleedJob, separateTargets } from './crew';
import type { Kit } from './kit';
import type { DebleedModel } from './learn';
import { lowered, raised } from './lowerRate';
import type { Target } from './separate';
import type { Uncut } from './uncut';

/** Everything that can be told apart in a kit: its drums with close mics, and the rest. */
export const sourcesOf = (kit: Kit): string[] => [...kit.drums, REST];

/** A drum in a mic, or the rest, as what is separated knows it; null for what the kit does not have. */
export function targetOf(kit: Kit, mic: number, source: string): Target | null {
  const s = source === REST ? kit.drums.length : kit.drums.indexOf(source);
  return s < 0 ? null : [mic, s];
}

export interface ImageJob extends DebleedJob {
  readonly model: DebleedModel;
  /** Mic and drum (or REST) of each image wanted. */
  readonly wanted: readonly { readonly mic: number; readonly source: string }[];
  /** Frames of the recording. */
  readonly from: number;
  readonly to: number;
  /** Cuts images as their mics were (uncut.ts), where readers are of mics that sound on in silences. */
  readonly cut?: Uncut['cut'];
}

/** The images wanted, each `to - from` samples long. */
export async function computeImages(job: ImageJob): Promise<Float32Array[]> {
  const { times } = job.kit;
  const low = lowered(job, times);
  // what is raised again counts on a few samples beyond
  const beyond = times > 1 ? HALF_BAND_REACH : 0;
  const o = { ...low, from: Math.max(0, Math.floor(job.from / times) - beyond), to: Math.min(low.frames, Math.ceil(job.to / times) + beyond) };
  const out = o.wanted.map(() => new Float32Array(o.to - o.from));
  const parts = o.wanted.flatMap(({ mic, source }, into) => {
    const target = targetOf(o.kit, mic, source);
    return target ? [{ target, into }] : [];
  });
  if (parts.length > 0) await separateTargets({
    ...o,
    targets: parts.map((p) => p.target),
    write(at, images) {
      images.forEach((x, q) => {
        out[parts[q].into].set(x, at - o.from);
      });
    },
  });
  const skip = job.from - o.from * times;
  const images = out.map((x) => (times === 1 ? x : raised(x, times).subarray(skip, skip + job.to - job.from)));
  if (job.cut) for (const [i, x] of images.entries()) await job.cut(job.wanted[i].mic, x, job.from);
  return images;
}
