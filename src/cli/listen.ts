/** Listening to a folder's mics on all cores: once, or a second time with each close mic freed of the other drums. */
import { type Analysis, analyse, lateMics } from '../core/hits/analyse';
import { hearClosely } from '../core/spill/debleed';
import { lending } from '../core/lend';
import { type DebleedInput, kitMic } from '../core/spill/ownImages';
import { cutNotes } from '../core/spill/uncut';
import { withHands } from '../node/hands';
import type { FolderMics } from './mics';

/** The analysis of a folder's mics; progress and notes go to `progress`. */
export async function listen(mics: FolderMics, progress: (text: string) => void): Promise<Analysis> {
  let last = -1;
  const told = (done: number) => {
    const percent = Math.round(100 * done);
    if (percent !== last) progress(`\rListening to ${mics.names.length} mics: ${percent} %`);
    last = percent;
  };
  progress('\rListening for cuts');
  const heard = await mics.uncut();
  const a = await withHands((hands) => analyse(mics.rate, mics.roles, mics.names, lending(heard.readers, mics.frames), told, undefined, hands));
  progress('\n');
  const notes = [...cutNotes(mics.names, heard, mics.frames), ...a.notes];
  for (const n of notes) progress(`${n}\n`);
  return { ...a, notes };
}

/** Runs something of de-bleed on a folder's mics; `roles` in their order. */
export async function onMics<T>(run: (o: DebleedInput) => Promise<T>, mics: FolderMics, roles: readonly string[], more: Pick<DebleedInput, 'hits' | 'images' | 'late'>, progress: (text: string) => void): Promise<T> {
  let last = '';
  const uncut = await mics.uncut();
  return withHands((hands) =>
    run({
      ...more, uncut, rate: mics.rate, frames: mics.frames, hands,
      mics: roles.map(kitMic),
      readers: roles.map((_, m) => mics.reader(m)),
      progress(done, what) {
        const text = `\r${what}: ${Math.round(100 * done)} %`;
        if (text !== last) progress(text.padEnd(last.length));
        last = text;
      },
    }),
  ).finally(() => progress('\n'));
}

/** The same with the hits found again once every close mic is freed of the other drums: fewer are lost and fewer are another drum's. It takes up to as long as the recording plays, half of that where it is long. */
export async function listenClosely(mics: FolderMics, progress: (text: string) => void): Promise<Analysis> {
  const a = await listen(mics, progress);
  return { ...a, drums: await onMics(hearClosely, mics, mics.roles, { hits: a.drums, late: lateMics(a.spill) }, progress) };
}
