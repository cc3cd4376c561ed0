/** Hits as files, the same for the export job and the command line: MIDI, markers, and tick tracks with their hits as cues. */
import { hashText } from '../core/dsp/rng';
import { createTickTrack } from '../core/hits/tickTrack';
import type { MicReader } from '../core/render';
import { type Cut, cueChunks, cutLabels, cutsCsv, labelText, markersCsv } from '../formats/markers';
import { midiFile, percussionKey, velocityOf } from '../formats/midi';
import { createEncoder } from '../formats/pcm';
import { padBytes, wavHead } from '../formats/wavWriter';
import type { HitFiles } from './hitFiles';

export interface DeliveredHit {
  readonly frame: number;
  readonly strength: number;
  readonly certainty: number;
}

const BLOCK = 65536;

/** Calls `emit` for each file; what `emit` is given writes its bytes piece by piece. `reader` gives a drum's own mic. */
export async function deliverHits(o: {
  rate: number;
  frames: number;
  drums: Readonly<Record<string, readonly DeliveredHit[]>>;
  files: HitFiles;
  /** Mics that are cut, under their files' names. */
  cuts?: readonly { mic: string; cuts: readonly Cut[] }[];
  reader(drum: string): MicReader;
  emit(name: string, produce: (write: (b: Uint8Array) => Promise<void>) => Promise<void>): Promise<void>;
}): Promise<void> {
  const { rate, files } = o;
  const drums = Object.entries(o.drums).filter(([, list]) => list.length > 0);
  const text = (s: string) => async (write: (b: Uint8Array) => Promise<void>) => write(new TextEncoder().encode(s));
  if (files.midi) {
    const tracks = drums.map(([drum, list]) => ({ name: drum, key: files.keys[drum] ?? percussionKey(drum), notes: list.map((h) => ({ time: h.frame / rate, velocity: velocityOf(h.strength, files.curve) })) }));
    await o.emit('hits.mid', async (write) => write(midiFile(tracks)));
  }
  if (files.csv) {
    const rows = drums.flatMap(([drum, list]) => list.map((h) => ({ drum, ...h }))).sort((a, b) => a.frame - b.frame);
    await o.emit('hits.csv', text(markersCsv(rows, rate)));
  }
  if (files.cuts && o.cuts?.length) {
    await o.emit('cuts.csv', text(cutsCsv(o.cuts, rate)));
    for (const { mic, cuts } of o.cuts) await o.emit(`cuts/${mic}.txt`, text(cutLabels(cuts, rate)));
  }
  for (const [drum, list] of drums) {
    const markers = list.map((h) => ({ frame: h.frame, label: `${drum} ${Math.round(100 * h.strength)}` }));
    if (files.labels) await o.emit(`labels/${drum}.txt`, text(labelText(markers, rate)));
    if (files.ticks !== 'none') {
      const kind = files.ticks;
      await o.emit(`ticks/${drum}.wav`, async (write) => {
        const layout = { encoding: 'pcm24', channels: 1, rate, frames: o.frames, extras: cueChunks(markers) } as const;
        const encoder = createEncoder('pcm24', hashText(`ticks/${drum}`));
        const track = createTickTrack(rate, list, kind);
        const reader = o.reader(drum);
        const [audio, out] = [new Float32Array(BLOCK), new Float32Array(BLOCK)];
        await write(wavHead(layout));
        for (let at = 0; at < o.frames; at += BLOCK) {
          if (kind === 'own') await reader.read(at, audio);
          out.fill(0);
          track.add(audio, out, at);
          await write(encoder.encode([out.subarray(0, Math.min(BLOCK, o.frames - at))]));
        }
        if (padBytes(layout)) await write(new Uint8Array(1));
      });
    }
  }
}
