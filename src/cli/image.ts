/** fresh-gap image: what one drum, or what no close mic owns, adds to one mic, as a WAV file of 32-bit float. */
import { open, rename, rm } from 'node:fs/promises';
import { FreshGapError } from '../core/errors';
import { learnModel } from '../core/spill/crew';
import { kitMic } from '../core/spill/ownImages';
import { computeImages, sourcesOf } from '../core/spill/image';
import { describeKit } from '../core/spill/kit';
import { createEncoder } from '../formats/pcm';
import { wavHead } from '../formats/wavWriter';
import { withHands } from '../node/hands';
import { listen } from './listen';
import { openMics } from './mics';

/** Throws CLI_USAGE where mic or drum are not there. */
export async function imageOf(o: { folder: string; mic: string; drum: string; out: string; roles?: string; progress(text: string): void }): Promise<{ out: string; frames: number }> {
  const mics = await openMics(o.folder, o.roles);
  try {
    const mic = mics.files.indexOf(o.mic);
    if (mic < 0) throw new FreshGapError('CLI_USAGE', `${o.mic} is not in the folder.`);
    const kit = describeKit(mics.rate, mics.roles.map(kitMic));
    const known = sourcesOf(kit);
    if (!known.includes(o.drum)) throw new FreshGapError('CLI_USAGE', `${o.drum} cannot be told apart here: ${known.join(', ')} can.`);
    const { drums } = await listen(mics, o.progress);
    const hits = kit.drums.map((d) => (drums[d] ?? []).map((h) => h.time));
    const heard = await mics.uncut();
    const [image] = await withHands(async (hands) => {
      const job = { kit, frames: mics.frames, ...heard, hits, hands };
      const model = await learnModel({ ...job, progress: (d) => o.progress(`\rLearning how spill reaches the mics: ${Math.round(100 * d)} %`) });
      return computeImages({ ...job, model, wanted: [{ mic, source: o.drum }], from: 0, to: mics.frames, progress: (d) => o.progress(`\rComputing the image: ${Math.round(100 * d)} %        `) });
    });
    o.progress('\n');
    const part = `${o.out}.part`;
    const file = await open(part, 'w');
    try {
      await file.writeFile(wavHead({ encoding: 'float32', channels: 1, rate: mics.rate, frames: image.length }));
      await file.writeFile(createEncoder('float32', 0).encode([image]));
      await file.close();
      await rename(part, o.out);
    } catch (e) {
      await file.close().catch(() => {});
      await rm(part, { force: true });
      throw e;
    }
    return { out: o.out, frames: image.length };
  } finally {
    await mics.close();
  }
}
