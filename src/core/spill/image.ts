/** Images by a model that is learnt: what one drum, or what no close mic owns, adds to one mic. */
import { HALF_BAND_REACH } from '../dsp/halfBand';
import { REST } from '../params/debleedParams';
import { type DebleedJob, separateTargets } from './crew';
import { type Kit, RESTS } from './kit';
import type { DebleedModel } from './learn';
import { lowered, raised } from './lowerRate';
import type { Target } from './separate';
import type { Uncut } from './uncut';

/** Everything that can be told apart in a kit: its drums with close mics, and the rest. */
export const sourcesOf = (kit: Kit): string[] => [...kit.drums, REST];

/** The model's sources that make up a drum, or the rest; none for what the kit does not have. */
export function targetsOf(kit: Kit, mic: number, source: string): Target[] {
  if (source === REST) return Array.from({ length: RESTS }, (_, k) => [mic, kit.drums.length + k] as const);
  const s = kit.drums.indexOf(source);
  return s < 0 ? [] : [[mic, s]];
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
  const parts = o.wanted.flatMap(({ mic, source }, into) => targetsOf(o.kit, mic, source).map((target) => ({ target, into })));
  if (parts.length > 0) await separateTargets({
    ...o,
    targets: parts.map((p) => p.target),
    write(at, images) {
      images.forEach((x, q) => {
        const y = out[parts[q].into];
        for (let i = 0; i < x.length; i++) y[at - o.from + i] += x[i];
      });
    },
  });
  const skip = job.from - o.from * times;
  const images = out.map((x) => (times === 1 ? x : raised(x, times).subarray(skip, skip + job.to - job.from)));
  if (job.cut) for (const [i, x] of images.entries()) await job.cut(job.wanted[i].mic, x, job.from);
  return images;
}
