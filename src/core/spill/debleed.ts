/**
 * De-bleed of a whole recording: the model is learnt with the hits that are known, each close mic gets its own drum's image, the hits are found again on those, what
 * is left is taken down by the drums' own decays, and mics that would lose of their own drum keep more of the raw.
 */
import type { Ring } from '../clean/ring';
import { ENOUGH_MICS, type FoundHit, LEAST_CERTAIN, THRESHOLD } from '../hits/detectHits';
import { shareOut } from '../hits/ears';
import { kindOf } from '../hits/kinds';
import { MAY_BE } from '../plan/live';
import { IN_DOUBT, besideNoTom, foundAgain, hearAgain, withUnheard } from './hearAgain';
import { computeImages } from './image';
import { lowered, restored, timesLower } from './lowerRate';
import type { Hand } from './crew';
import { type DebleedInput, type HitsByDrum, LEAST_SHARE, type Separated, resting, separate, separateAgain, tellingTarget } from './ownImages';
import type { StandingOut } from './standOut';
import { type Uncut, uncut } from './uncut';

/** Raised whenever the same audio and hits would give another result. */
export const DEBLEED_VERSION = 40;

export interface KeptMic {
  readonly mic: number;
  readonly drum: string;
  /** The mic with its own drum alone, as long as the recording. */
  readonly samples: Float32Array;
  /** How its drum rings there. */
  readonly ring: Ring | null;
  /** What de-bleed would have taken of loud strokes, dB, and how much of it was applied for that, 0..1. */
  readonly lossDb: number;
  readonly share: number;
}

export interface Debleed {
  readonly mics: readonly KeptMic[];
  /** All drums' hits, found again where a drum has a close mic. */
  readonly hits: HitsByDrum;
  /** In the order they were asked for. */
  readonly images: readonly Float32Array[];
}

const heardOn = async (o: DebleedInput): Promise<Uncut> => o.uncut ?? (await uncut(o.rate, o.frames, o.readers, o.mics, () => o.progress?.(0, 'Listening for mics that were cut')));

function scale(x: Float32Array, by: number): void {
  if (by !== 1) for (let i = 0; i < x.length; i++) x[i] *= by;
}

/** The same recording at the rate at which it is worked on. */
function atLowerRate(o: DebleedInput): DebleedInput {
  const times = timesLower(o.rate);
  return { ...lowered(o, times), rate: o.rate / times, onModel: (model, hits) => o.onModel?.({ ...model, kit: { ...model.kit, times } }, hits) };
}

/** The hits alone, as de-bleed finds them: what is left of the mics is not kept. Throws what `progress` throws, to cancel. */
export async function hearClosely(input: DebleedInput): Promise<HitsByDrum> {
  const o = atLowerRate({ ...input, readers: (await heardOn(input)).readers });
  const first = await separate(o);
  return first ? foundAgain(o, first, await hearAgain(o, first, (d) => o.progress?.(0.85 + 0.15 * d, 'Finding the hits again'))) : o.hits;
}

/** What tells of spill: every close mic with its own drum, and the overheads, by power in thirds of an octave. */
async function bandPowers(o: DebleedInput, { targets, images, lend }: Separated): Promise<{ readonly drum: number | null; readonly power: Float32Array }[]> {
  const close = targets.map(([, drum], q) => async (hand: Hand) => ({ drum, power: await hand.bandPower(images[q], o.rate) }));
  const above = [...o.mics.keys()].filter((m) => o.mics[m].overhead).map((m) => async (hand: Hand) => ({ drum: null, power: await lend(m, async (raw) => hand.bandPower(raw, o.rate)) }));
  return shareOut<Hand, { drum: number | null; power: Float32Array }>(o.hands, [...close, ...above]);
}

/** Throws what `progress` throws, to cancel. */
export async function debleed(given: DebleedInput): Promise<Debleed> {
  const { readers, cut } = await heardOn(given);
  const input = { ...given, readers };
  const times = timesLower(input.rate);
  const o = atLowerRate(input);
  const { rate } = o;
  const first = await separate(o);
  if (!first) return { mics: [], hits: o.hits, images: [] };
  const { kit, targets, images, shares, model } = first;
  const again = await hearAgain(o, first, (d) => o.progress?.(0.85 + 0.07 * d, 'Finding the hits again'));
  const found = await foundAgain(o, first, again);
  first.rests.clear();
  await resting(o);
  const rising = new Map(again.flatMap((h) => (h.unheard ? [[h.drum, h.unheard] as const] : [])));
  const hits = await separateAgain(o, first, found, rising, (d) => o.progress?.(0.92 + 0.03 * d, 'Taking out what other mics explain, with the strokes found since'));
  o.onModel?.(model, hits);
  const asRecorded = { ...kit, times };
  // where a mic keeps of its raw self, so much less of the others has been taken out
  const wanted = o.images?.length ? await computeImages({ hits, hands: o.hands, frames: input.frames, readers, cut, model: { ...model, kit: asRecorded }, kit: asRecorded, wanted: o.images, from: 0, to: input.frames, progress: undefined }) : [];
  for (const [i, x] of wanted.entries()) scale(x, shares[targets.findIndex(([m]) => m === o.images?.[i].mic)]?.share ?? 1);
  const mics: KeptMic[] = [];
  const hitsOf = (drum: string) => found[drum] ?? [];
  const unheard: Record<string, StandingOut[]> = {};
  const heardIn = await bandPowers(o, first);
  let next = 0;
  let done = 0;
  await Promise.all(o.hands.map(async (hand) => {
    while (next < targets.length) {
      const q = next++;
      const [m, s] = targets[q];
      const drum = kit.drums[s];
      const frames = (certain: (h: FoundHit) => boolean) => hitsOf(drum).filter(certain).map((h) => Math.round(h.time * rate)).sort((a, b) => a - b);
      const mayBe = kindOf(drum) === 'hat' ? MAY_BE.hatBands : 0;
      const [own, doubtful] = [frames((h) => h.certainty >= THRESHOLD), frames((h) => h.certainty < THRESHOLD && h.certainty >= mayBe)];
      const { share, lossDb } = shares[q];
      const possible = frames((h) => h.certainty >= LEAST_CERTAIN);
      await first.lend(m, async (raw) => {
        const heard = share > 0 ? await hand.giveBack(raw, images[q], rate, possible) : undefined;
        let ring = await hand.tidy(images[q], rate, drum, own, doubtful, share > 0);
        if (share > 0) {
          const spillDb = await hand.giveBackUnexpected(raw, images[q], rate, own, possible, heardIn.flatMap((h) => (h.drum === s ? [] : [h.power])), heard);
          if (ring && spillDb !== null) ring = { ...ring, rawSpillDb: Number(Math.min(0, spillDb).toFixed(2)) };
          if (kindOf(drum) !== 'cymbal') await hand.quietAhead(raw, images[q], rate, own);
        }
        if (q === tellingTarget(first, s, o.late) && kindOf(drum) !== 'cymbal' && o.mics.length >= ENOUGH_MICS && share >= LEAST_SHARE) {
          const timesOf = (least: number) => hitsOf(drum).filter((h) => h.certainty >= least).map((h) => h.time).sort((a, b) => a - b);
          unheard[drum] = besideNoTom(drum, await hand.standOut({ raw, kept: images[q], rate, drum, own: timesOf(THRESHOLD), known: timesOf(IN_DOUBT) }), found);
        }
        mics[q] = { mic: m, drum, samples: images[q], ring, lossDb, share };
      });
      await o.progress?.(0.95 + (0.05 * ++done) / targets.length, "Following each drum's own decay");
    }
  }));
  if (times > 1) for (const [i, k] of mics.entries()) mics[i] = { ...k, samples: await restored(input.readers[k.mic], k.samples, input.rate, times, input.frames) };
  for (const k of mics) await cut(k.mic, k.samples);
  return { mics, hits: { ...found, ...Object.fromEntries(Object.entries(unheard).map(([drum, list]) => [drum, withUnheard(hitsOf(drum), list)])) }, images: wanted };
}
