/**
 * Writes a made recording as a folder: one 24-bit WAV a mic, kit.json, and truth/ beside them: at each close mic its own drum alone
 * (truth/NAME.wav), that drum's late room sound (truth/late/NAME.wav), and every stroke (truth/hits.json, contact times in seconds).
 */
import { mkdir, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { createEncoder } from '../formats/pcm';
import { padBytes, wavHead } from '../formats/wavWriter';
import { hashText } from '../core/dsp/rng';
import type { MadeRecording } from './makeRecording';

/** One mic as the bytes of a mono 24-bit WAV file. */
export function micWav(samples: Float32Array, rate: number, name: string): Uint8Array {
  const layout = { encoding: 'pcm24', channels: 1, rate, frames: samples.length } as const;
  const head = wavHead(layout);
  const data = createEncoder('pcm24', hashText(name)).encode([samples]);
  const out = new Uint8Array(head.length + data.length + padBytes(layout));
  out.set(head);
  out.set(data, head.length);
  return out;
}

export async function writeRecording(folder: string, r: MadeRecording): Promise<void> {
  await mkdir(join(folder, 'truth', 'late'), { recursive: true });
  for (const [i, m] of r.mics.entries()) {
    await writeFile(join(folder, m.file), micWav(r.audio[i], r.rate, m.file));
    const [truth, late] = [r.truth[i], r.late[i]];
    if (truth) await writeFile(join(folder, 'truth', m.file), micWav(truth, r.rate, `truth/${m.file}`));
    if (late) await writeFile(join(folder, 'truth', 'late', m.file), micWav(late, r.rate, `late/${m.file}`));
  }
  const hits = Object.fromEntries(Object.entries(r.hits).map(([d, list]) => [d, list.map((h) => ({ time_s: h.time, velocity: h.strength }))]));
  await writeFile(join(folder, 'truth', 'hits.json'), `${JSON.stringify(hits, null, 1)}\n`);
  const kit = {
    rate: r.rate,
    frames: r.frames,
    // seconds from a stroke's contact to its arrival at the drum's first close mic, or at the first overhead
    arrival_s: Object.fromEntries(Object.keys(r.hits).map((d) => [d, r.mics.some((m) => m.own === d) ? r.offsets[r.mics.findIndex((m) => m.own === d)] : r.overheadOffsets[d]])),
    mics: r.mics.map((m, i) => ({ file: m.file, name: m.name, role: m.role, own: m.own, arrival_offset_s: r.offsets[i], position_m: m.at })),
  };
  await writeFile(join(folder, 'kit.json'), `${JSON.stringify(kit, null, 1)}\n`);
}
