/**
 * Cleaned files from raw mics and a plan, the same for the export job and the command line: same length and start as the original,
 * its broadcast chunks kept, channels of a stereo file together again. Files with nothing to clean are not made anew: they are copied.
 */
import { hashText } from '../core/dsp/rng';
import { liveTreatment } from '../core/plan/live';
import type { Plan, PlanMic } from '../core/plan/plan';
import { isUntouched } from '../core/plan/plan';
import type { Kept } from '../core/clean/debleedMix';
import { type MicReader, debledReader, renderMics } from '../core/render';
import { createEncoder } from '../formats/pcm';
import { padBytes, wavHead } from '../formats/wavWriter';

export type DeliveryEncoding = 'pcm24' | 'float32';

/** Ids of a file's mics, by channel. */
export const micsOfFile = (plan: Plan, file: string): string[] =>
  plan.order.filter((id) => plan.mics[id].file === file).sort((a, b) => plan.mics[a].channel - plan.mics[b].channel);

export const fileIsUntouched = (plan: Plan, file: string): boolean => micsOfFile(plan, file).every((id) => isUntouched(plan.mics[id].treatment));

/** Mics that must be read to make a file: its own and those that key them. */
export const micsNeeded = (plan: Plan, file: string): string[] => withKeys(plan, micsOfFile(plan, file));

/** The mic itself first, then what keys it. */
export const micsForMic = (plan: Plan, micId: string): string[] => withKeys(plan, [micId]);

function withKeys(plan: Plan, own: readonly string[]): string[] {
  const keys = own.map((id) => plan.mics[id].treatment.gate).filter((g) => g.on && plan.mics[g.keyFrom]).map((g) => g.keyFrom);
  return [...new Set([...own, ...keys])];
}

/** What a cleaned file depends on besides the audio; plain data to hash. */
export function fileRecipe(plan: Plan, file: string): unknown {
  return micsOfFile(plan, file).map((id) => {
    const m: PlanMic = plan.mics[id];
    return { channel: m.channel, treatment: m.treatment, live: liveTreatment(plan, id) };
  });
}

/**
 * Writes one cleaned WAV file piece by piece. `frames` is the file's own length; `extras` its chunks to keep. Returns how many samples
 * had to be limited to full scale (only at 24 bits). `onFrames` is told the frames done and may throw to cancel.
 */
export async function deliverFile(o: {
  plan: Plan;
  file: string;
  frames: number;
  extras: Uint8Array;
  encoding: DeliveryEncoding;
  reader(micId: string): MicReader;
  /** What de-bleed computed of the mic; null where that was not done. */
  kept(micId: string): Kept<MicReader> | null;
  write(bytes: Uint8Array): Promise<void>;
  onFrames?(done: number): void | Promise<void>;
}): Promise<number> {
  const own = micsOfFile(o.plan, o.file);
  const ids = micsNeeded(o.plan, o.file);
  const layout = { encoding: o.encoding, channels: own.length, rate: o.plan.sampleRate, frames: o.frames, extras: o.extras };
  const encoder = createEncoder(o.encoding, hashText(o.file));
  await o.write(wavHead(layout));
  const waiting: (Float32Array | null)[] = own.map(() => null);
  const treatments = ids.map((id) => liveTreatment(o.plan, id));
  const readers = ids.map((id, i) => debledReader(o.plan.sampleRate, treatments[i].debleed, o.reader(id), o.kept(id)));
  await renderMics({
    rate: o.plan.sampleRate,
    frames: o.frames,
    ids,
    treatments,
    readers,
    wanted: own.map((_, i) => i),
    onBlock: o.onFrames,
    async write(mic, samples) {
      waiting[mic] = samples;
      if (waiting.some((w) => w === null)) return;
      await o.write(encoder.encode(waiting as Float32Array[]));
      waiting.fill(null);
    },
  });
  if (padBytes(layout)) await o.write(new Uint8Array(1));
  return encoder.clipped;
}

/** "06 Tom 1.wav" with suffix "_clean": "06 Tom 1_clean.wav". */
export function deliveredName(file: string, suffix: string): string {
  const m = /^(.*?)(\.[A-Za-z0-9]{2,4})?$/.exec(file);
  return `${m?.[1] ?? file}${suffix}${m?.[2] ?? '.wav'}`;
}
