/** Every close mic with its own drum alone, of a whole recording: the model is learnt with the hits that are known, what other mics explain is taken out, and mics that would lose of their own drum keep more of the raw. */
import { roomFor } from '../dsp/room';
import { type Lend, lending } from '../lend';
import { LEAST_CERTAIN, type FoundHit, type Networks, THRESHOLD } from '../hits/detectHits';
import { kindOf } from '../hits/kinds';
import { FAR } from '../hits/passes';
import { rankOf, roleOf } from '../plan/roles';
import type { MicReader } from '../render';
import { type Hand, learnModel, ownTargets, restTargets, separateTargets } from './crew';
import { giveBackInStep } from './inStep';
import { type Judge, SAME_S } from './judgeAgain';
import { type Kit, type KitMic, describeKit, expectedFor } from './kit';
import type { DebleedModel } from './learn';
import { ownLossDb, shareByLoss } from './ownLoss';
import type { Target } from './separate';
import { SIZE } from './transform';
import type { Uncut } from './uncut';

/** What de-bleed must know of a mic, from its role. */
export const kitMic = (role: string): KitMic => {
  const { drum, group } = roleOf(role);
  return { own: group === 'close' ? drum : null, overhead: group === 'overhead', rank: rankOf(role) };
};

/** Found hits, by drum. */
export type HitsByDrum = Readonly<Record<string, readonly FoundHit[]>>;

export interface DebleedInput {
  readonly rate: number;
  readonly frames: number;
  readonly mics: readonly KitMic[];
  readonly readers: readonly MicReader[];
  /** Found hits by drum, doubtful ones too: where a drum may have been struck it may sound. */
  readonly hits: HitsByDrum;
  readonly hands: readonly Hand[];
  /** What is known of mics that were cut, where that is known. */
  readonly uncut?: Uncut;
  /** Mics that come late, and by how much, seconds (lateMics): hits are found again with those in their places. */
  readonly late?: ReadonlyMap<number, number>;
  progress?(done: number, what: string): void | Promise<void>;
  readonly networks?: Networks;
  readonly judge?: Judge;
  /** Images wanted beside: what of a drum (or the rest) is in a mic. */
  readonly images?: readonly { readonly mic: number; readonly source: string }[];
  /** Is told the model, and the strokes it was learnt with (seconds, by drum of the kit), to be kept for images. */
  onModel?(model: DebleedModel, hits: readonly (readonly number[])[]): void;
}
/** Where a mic keeps more than this of its raw self it is no witness. */
export const LEAST_SHARE = 0.5;

export const counted = (list: readonly FoundHit[] | undefined): FoundHit[] => (list ?? []).filter((h) => h.certainty >= THRESHOLD);

/** Times of strokes that the model is learnt with, seconds: doubtful ones too, for where a drum may not have been struck its soft strokes go to others. */
export const learntFrom = (list: readonly FoundHit[] | undefined): number[] => (list ?? []).filter((h) => h.certainty >= LEAST_CERTAIN).map((h) => h.time);

/** Cymbals that have no close mic. */
export const cymbalsOf = (o: Pick<DebleedInput, 'mics'>): string[] => FAR.filter((d) => o.mics.every((m) => m.own !== d));

/** Close mics with what the other mics explain taken out, and nothing more. */
export interface Separated {
  readonly kit: Kit;
  /** By close mic: which mic, and which of the kit's drums. */
  readonly targets: readonly Target[];
  /** In the order of the targets, as long as the recording. */
  readonly images: Float32Array[];
  /** By overhead: what no close mic owns of it; none where no cymbal was heard in overheads. */
  readonly rests: Map<number, Float32Array>;
  readonly shares: readonly { readonly lossDb: number; readonly share: number }[];
  readonly model: DebleedModel;
  /** Strokes it was learnt with, seconds, by drum of the kit. */
  readonly hits: readonly (readonly number[])[];
  readonly lend: Lend;
}

/** What hands have gathered in one phase they need no more in the next: over a song that is hundreds of megabytes. */
export const resting = (o: DebleedInput): Promise<unknown> => Promise.all(o.hands.map((h) => h.rest()));

/** Keeps more of the raw mic in an image where its drum would lose, from frame `from` to `to`; `own`: frames of its strokes. */
function keepOwn(raw: Float32Array, image: Float32Array, rate: number, drum: string, share: number, own: readonly number[], from: number, to: number): void {
  if (share < 1) for (let i = from; i < to; i++) image[i] = raw[i] + share * (image[i] - raw[i]);
  if (kindOf(drum) === 'hat') giveBackInStep(raw, image, rate, own.filter((f) => f >= from && f < to).sort((a, b) => a - b), from, to);
}

/** Learns the model, separates every close mic's own drum, and keeps more of the raw where its own strokes would lose. Null where no mic has a drum. At rates that are not lowered (atLowerRate). */
export async function separate(o: DebleedInput): Promise<Separated | null> {
  const { rate, frames } = o;
  const kit = describeKit(rate, o.mics);
  const targets = ownTargets(kit);
  if (targets.length === 0) return null;
  const hits = kit.drums.map((d) => learntFrom(o.hits[d]));
  const job = { kit, frames, readers: o.readers, hits, hands: o.hands };
  const model = await learnModel({ ...job, progress: (d) => o.progress?.(0.6 * d, 'Learning how spill reaches the mics') });
  await resting(o);
  const images = targets.map(() => roomFor(frames));
  const far = cymbalsOf(o).some((d) => o.hits[d]?.length) ? restTargets(kit) : [];
  const rests = new Map(far.map(([m]) => [m, roomFor(frames)]));
  await separateTargets({
    ...job, model, targets: [...targets, ...far], from: 0, to: frames,
    progress: (d) => o.progress?.(0.6 + 0.25 * d, 'Taking out what other mics explain'),
    write: (at, list) => {
      list.forEach((x, q) => {
        if (q < targets.length) images[q].set(x, at);
        else rests.get(far[q - targets.length][0])?.set(x, at);
      });
    },
  });
  await resting(o);
  const shares: { lossDb: number; share: number }[] = [];
  const lend = lending(o.readers, frames);
  for (const [q, [m, s]] of targets.entries()) {
    await lend(m, async (raw) => {
      const all = (d: string) => counted(o.hits[d]).map((h) => Math.round(h.time * rate));
      const lossDb = ownLossDb(raw, images[q], rate, all(kit.drums[s]), Object.keys(o.hits).filter((d) => d !== kit.drums[s]).flatMap(all));
      const share = shareByLoss(lossDb);
      keepOwn(raw, images[q], rate, kit.drums[s], share, all(kit.drums[s]), 0, frames);
      shares.push({ lossDb, share });
    });
  }
  return { kit, targets, images, rests, shares, model, hits, lend };
}

/** Which target is the mic in which the hits of a drum of the kit are told: of its own, the first that is not late. */
export const tellingTarget = (s: Pick<Separated, 'targets'>, drum: number, late: ReadonlyMap<number, number> = new Map()): number =>
  Array.from(s.targets.keys()).filter((q) => s.targets[q][1] === drum).sort((a, b) => (late.get(s.targets[a][0]) ?? 0) - (late.get(s.targets[b][0]) ?? 0))[0];

/** Stretches that are no further apart than this are one, seconds: a little before each is listened to, too. */
const APART_S = 0.2;

/** From where to where a stroke more at `times` (seconds, by drum) changes what is told apart, in samples, rising and apart. */
function changedBy(times: readonly (readonly number[])[], drums: readonly string[], rate: number, frames: number): [from: number, to: number][] {
  // more is expected in frames that reach into the stroke, and those reach as far again
  const all = times.flatMap((l, d) => l.map((t): [number, number] => [Math.max(0, Math.floor(t * rate) - SIZE), Math.min(frames, Math.ceil((t + expectedFor(drums[d])) * rate) + SIZE)]));
  const out: [from: number, to: number][] = [];
  for (const [from, to] of all.sort((a, b) => a[0] - b[0])) {
    const last = out[out.length - 1];
    if (last && from <= last[1] + APART_S * rate) last[1] = Math.max(last[1], to);
    else if (to > from) out.push([from, to]);
  }
  return out;
}

/**
 * Separates once more what sounds with strokes that the model was told nothing of, now that they are heard: until then nobody expected them of their drum, and much of them went to others. Changes
 * the images, and gives all strokes that the model is told of. What of a song has no such stroke stays as it is, to the sample.
 */
export async function separateAgain(o: DebleedInput, s: Separated, found: HitsByDrum, unheard: ReadonlyMap<string, readonly number[]>, progress?: (done: number) => void | Promise<void>): Promise<Separated['hits']> {
  const { kit, targets, images, shares, model } = s;
  const anew = kit.drums.map((drum, d) => {
    const heard = [...learntFrom(found[drum]), ...(unheard.get(drum) ?? [])];
    return heard.filter((t, i) => s.hits[d].every((k) => Math.abs(k - t) >= SAME_S) && heard.slice(0, i).every((k) => Math.abs(k - t) >= SAME_S));
  });
  if (anew.every((l) => l.length === 0)) return s.hits;
  const hits = s.hits.map((l, d) => [...l, ...anew[d]].sort((a, b) => a - b));
  const changed = changedBy(anew, kit.drums, o.rate, o.frames);
  await resting(o);
  await separateTargets({
    kit, model, targets, hits, frames: o.frames, readers: o.readers, hands: o.hands, from: 0, to: o.frames, progress,
    only: changed,
    write: (at, list) => {
      for (const [q, x] of list.entries()) images[q].set(x, at);
    },
  });
  await resting(o);
  for (const [q, [m, d]] of targets.entries()) {
    const drum = kit.drums[d];
    if (shares[q].share === 1 && kindOf(drum) !== 'hat') continue;
    const own = counted(found[drum]).map((h) => Math.round(h.time * o.rate));
    await s.lend(m, async (raw) => {
      for (const [from, to] of changed) keepOwn(raw, images[q], o.rate, drum, shares[q].share, own, from, to);
    });
  }
  return hits;
}
