/** The slices of a cleaned mic as WAV files of their own, each with its time reference, so that they fall into place on any timeline. */
import { hashText } from '../core/dsp/rng';
import { liveTreatment, slicesOf } from '../core/plan/live';
import type { Plan } from '../core/plan/plan';
import type { Kept } from '../core/clean/debleedMix';
import { type MicReader, debledReader, renderMics } from '../core/render';
import { bextChunk } from '../formats/bext';
import { createEncoder } from '../formats/pcm';
import { padBytes, wavHead } from '../formats/wavWriter';
import { type DeliveryEncoding, micsForMic } from './deliver';

/** A slice's name: its number and where it begins, minutes and seconds. */
export function sliceName(mic: string, number: number, frame: number, rate: number): string {
  const s = frame / rate;
  const time = `${Math.floor(s / 60)}m${(s % 60).toFixed(3).padStart(6, '0')}s`;
  return `slices/${mic}/${String(number).padStart(3, '0')} ${time}.wav`;
}

/** Calls `emit` for each slice of a mic, in order; `mic` is what its folder is called. */
export async function deliverSlices(o: {
  plan: Plan;
  micId: string;
  mic: string;
  encoding: DeliveryEncoding;
  reader(micId: string): MicReader;
  kept(micId: string): Kept<MicReader> | null;
  emit(name: string, produce: (write: (b: Uint8Array) => Promise<void>) => Promise<void>): Promise<void>;
}): Promise<void> {
  const { plan } = o;
  const rate = plan.sampleRate;
  const slices = slicesOf(plan, o.micId);
  const ids = micsForMic(plan, o.micId);
  const treatments = ids.map((id) => liveTreatment(plan, id));
  let next = 0;
  let at = 0;
  let part = new Float32Array(0);
  await renderMics({
    rate, frames: plan.frames, ids, treatments, wanted: [0],
    readers: ids.map((id, i) => debledReader(rate, treatments[i].debleed, o.reader(id), o.kept(id))),
    async write(_, samples) {
      const end = at + samples.length;
      while (next < slices.length && slices[next].from < end) {
        const s = slices[next];
        const to = Math.min(s.to, plan.frames);
        if (part.length !== to - s.from) part = new Float32Array(to - s.from);
        const [a, b] = [Math.max(s.from, at), Math.min(to, end)];
        part.set(samples.subarray(a - at, b - at), a - s.from);
        if (to > end) break;
        const name = sliceName(o.mic, next + 1, s.from, rate);
        const done = part;
        part = new Float32Array(0);
        next++;
        await o.emit(name, async (put) => {
          const layout = { encoding: o.encoding, channels: 1, rate, frames: done.length, extras: bextChunk({ description: `${plan.mics[o.micId].name}, slice ${next}`, originator: 'Fresh Gap', timeReference: s.from }) };
          await put(wavHead(layout));
          await put(createEncoder(o.encoding, hashText(name)).encode([done]));
          if (padBytes(layout)) await put(new Uint8Array(1));
        });
      }
      at = end;
    },
  });
}
