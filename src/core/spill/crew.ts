/** De-bleed over several hands, each a thread of its own or, in tests, this one: bins are shared out while learning, stretches of time while separating. */
import { type Ring, learnRing } from '../clean/ring';
import { type Ear, createEar } from '../hits/ears';
import { type Kind, kindOf } from '../hits/kinds';
import type { MicReader } from '../render';
import type { Kit } from './kit';
import { lowered, readWithin } from './lowerRate';
import { type DebleedModel, type Leakage, HURRIED, type Learner, ROUNDS, type Round, type Stretch, createLearner, emptyModel, sumLeakage } from './learn';
import { closeFallen } from './closeFallen';
import { type Frames, framesOf as bandFramesOf } from './bandFrames';
import { quietAhead } from './aheadOfStrokes';
import { giveBackUnexpected } from './expectedSpill';
import { giveBackBeyond } from './loudestSpill';
import { type Candidate, witness } from './judgeAgain';
import { UNDER_LOUD_CYMBAL_DB, quietRest } from './quietRest';
import { type Heard, type StandingOut, standOut } from './standOut';
import { followRing } from './ringMask';
import { type Held, putHeld } from './untilStrokes';
import { ringsAlong } from './ringAlong';
import { SHARED, type Separator, type Target, blockFor, blockOver, createSeparator, leadOf } from './separate';
import { BINS, HOP, createTransform, framesOf } from './transform';

/** What does the work: it learns its share of the bins, separates stretches, tidies mics, and is an ear besides. */
export interface Hand extends Ear {
  /** Gives back the memory of what was done so far: nothing is being learnt and no model is open after it. */
  rest(): Promise<void> | void;
  start(kit: Kit, hits: readonly (readonly number[])[], stretches: readonly Stretch[], from: number, every: number): Promise<void> | void;
  /** Samples of a mic, a piece for each stretch, reaching half a window beyond. */
  take(mic: number, pieces: readonly Float32Array[]): Promise<void> | void;
  begin(): Promise<Leakage> | Leakage;
  /** Takes in what all hands heard, then goes round once. */
  round(all: Leakage, round: Round): Promise<Leakage> | Leakage;
  /** After the rounds: takes away what rings along, goes round with low bins alone, settles the filters (see Learner). */
  takeAlong(): Promise<Leakage> | Leakage;
  roundLow(all: Leakage, round: Round): Promise<Leakage> | Leakage;
  settleAlong(all: Leakage): Promise<void> | void;
  /** The model with the values of its own bins, zero elsewhere. */
  finish(all: Leakage): Promise<DebleedModel> | DebleedModel;
  /** `block`: frames separated at a time; see createSeparator. */
  open(model: DebleedModel, hits: readonly (readonly number[])[], block: number): Promise<void> | void;
  run(audio: readonly Float32Array[], offset: number, from: number, to: number, targets: readonly Target[]): Promise<Float32Array[]> | Float32Array[];
  /** Gives a whole mic back, in its place, what was taken beyond the loudest spill, and tells what it heard; see giveBackBeyond. `kept` must lie in memory that is shared with whoever works. */
  giveBack(raw: Float32Array, kept: Float32Array, rate: number, possible: readonly number[]): Promise<Frames> | Frames;
  /** Power of a whole mic in thirds of an octave, frame by frame; see bandFrames. */
  bandPower(x: Float32Array, rate: number): Promise<Float32Array> | Float32Array;
  /** Gives a whole mic back, in its place, what was taken and cannot be spill, and tells how loud that mic's spill is; see giveBackUnexpected. `kept` must lie in memory that is shared with whoever works. */
  giveBackUnexpected(raw: Float32Array, kept: Float32Array, rate: number, own: readonly number[], possible: readonly number[], others: readonly Float32Array[], heard?: Frames): Promise<number | null> | number | null;
  /** Takes down, in a whole mic itself, what stands ahead of its drum's strokes; see quietAhead. `kept` must lie in memory that is shared with whoever works. */
  quietAhead(raw: Float32Array, kept: Float32Array, rate: number, own: readonly number[]): Promise<void> | void;
  /**
   * Leaves of a whole mic, in its place, what its drum's own decay lets it be, and tells how it rings then. `x` must lie in memory that is shared with whoever works;
   * `doubtful`: strokes that may be none; `debled`: false leaves the sound as it is; see learnRing.
   */
  tidy(x: Float32Array, rate: number, drum: string, own: readonly number[], doubtful: readonly number[], debled: boolean): Promise<Ring | null> | Ring | null;
  /** Features of possible strokes in a drum's mic, or in all overheads; see judgeAgain. */
  witness(raw: readonly Float32Array[], kept: readonly Float32Array[], rate: number, kind: Kind, list: readonly Candidate[], others: readonly number[]): Promise<Float32Array> | Float32Array;
  /** Strokes that no finding heard, in a de-bled mic; its sound in shared memory. */
  standOut(heard: Heard): Promise<StandingOut[]> | StandingOut[];
}

/** Where a piece of a stretch begins in the recording, and how long it is. */
export const pieceOf = (s: Stretch): { from: number; length: number } => ({ from: (s.first - 1) * HOP, length: (s.frames + 1) * HOP });

export function createHand(): Hand {
  let learner: Learner | null = null;
  let separator: Separator | null = null;
  let stretches: readonly Stretch[] = [];
  let kit: Kit | null = null;
  const transform = createTransform();
  const learning = () => {
    if (!learner) throw new Error('nothing is being learnt');
    return learner;
  };
  const ear = createEar();
  return {
    ...ear,
    rest() {
      [learner, separator, kit, stretches] = [null, null, null, []];
    },
    start(k, hits, list, from, every) {
      kit = k;
      stretches = list;
      learner = createLearner(k, hits, list, from, every);
    },
    take(mic, pieces) {
      const frames = stretches.reduce((n, s) => n + s.frames, 0);
      const re = new Float32Array(BINS * frames);
      const im = new Float32Array(BINS * frames);
      let at = 0;
      stretches.forEach((s, i) => {
        const part = transform.forward(pieces[i], pieceOf(s).from, s.first, s.frames);
        for (let b = 0; b < BINS; b++) {
          re.set(part.re.subarray(b * s.frames, (b + 1) * s.frames), b * frames + at);
          im.set(part.im.subarray(b * s.frames, (b + 1) * s.frames), b * frames + at);
        }
        at += s.frames;
      });
      learning().take(mic, { bins: BINS, frames, re, im });
    },
    begin: () => learning().begin(),
    round(all, round) {
      learning().cap(all);
      return learning().refine(round);
    },
    takeAlong: () => learning().takeAlong(),
    settleAlong: (all) => learning().settleAlong(all),
    roundLow(all, round) {
      learning().capLow(all);
      return learning().refineLow(round);
    },
    finish(all) {
      learning().cap(all);
      const model = emptyModel(kit as Kit);
      learning().fill(model);
      learner = null;
      return model;
    },
    open(model, hits, block) {
      separator = createSeparator(model, hits, block);
    },
    run(audio, offset, from, to, targets) {
      if (!separator) throw new Error('no model is open');
      return separator.run(audio, offset, from, to, targets);
    },
    giveBack: giveBackBeyond,
    bandPower: (x, rate) => bandFramesOf(x, rate).power,
    giveBackUnexpected,
    quietAhead,
    tidy(x, rate, drum, own, doubtful, debled) {
      const kind = kindOf(drum);
      const possible = [...own, ...doubtful].sort((a, b) => a - b);
      // cymbals are struck too often for a usual decay, and ring too long to have ended
      const held: Held[] = [];
      if (debled && kind === 'hat') closeFallen(x, rate, possible, x);
      else if (debled && kind !== 'cymbal') followRing(x, rate, kind, own, possible, x, held);
      const ring = own.length ? learnRing(x, rate, drum, own, debled, ear.steps) : null;
      if (!debled) return ring;
      // the ring is told by what is left before strokes, too: with that held down it would be believed deeper and longer
      putHeld(x, rate, held);
      quietRest(x, rate, possible, ring, x, kind === 'cymbal' ? UNDER_LOUD_CYMBAL_DB : undefined);
      return ring;
    },
    witness: (raw, kept, rate, kind, list, others) => witness(raw, kept, rate, kind, list, others, ear),
    standOut: (heard) => standOut(heard, ear),
  };
}

/** A recording of this many seconds is learnt whole. */
export const WHOLE_S = 60;
/** Of longer ones so much is learnt, seconds, where most drums are struck. */
export const LEARN_S = 40;
const PIECE_S = 5;

/** Which stretches to learn from: pieces in which drums with few strokes are struck come first, then busy ones. In order of time. */
export function chooseStretches(rate: number, frames: number, hits: readonly (readonly number[])[]): Stretch[] {
  const total = framesOf(frames);
  if (frames <= WHOLE_S * rate) return [{ first: 0, frames: total }];
  const size = Math.round((PIECE_S * rate) / HOP);
  const pieces = Array.from({ length: Math.floor(total / size) }, (_, i) => ({ first: i * size, frames: size }));
  const struck = hits.map((list) => pieces.map((p) => list.filter((t) => (t * rate) / HOP >= p.first && (t * rate) / HOP < p.first + size).length));
  const got = hits.map(() => 1);
  const chosen = new Set<number>();
  while (chosen.size < Math.min(pieces.length, Math.floor(LEARN_S / PIECE_S))) {
    let [best, gain] = [-1, -1];
    for (let i = 0; i < pieces.length; i++) {
      if (chosen.has(i)) continue;
      const g = struck.reduce((a, list, d) => a + list[i] / got[d], 0);
      if (g > gain) [best, gain] = [i, g];
    }
    chosen.add(best);
    struck.forEach((list, d) => {
      got[d] += list[best];
    });
  }
  return [...chosen].sort((a, b) => a - b).map((i) => pieces[i]);
}

export interface DebleedJob {
  readonly kit: Kit;
  /** Of the recording, as what readers read. */
  readonly frames: number;
  readonly readers: readonly MicReader[];
  /** Strokes of the kit's drums, seconds, rising. */
  readonly hits: readonly (readonly number[])[];
  readonly hands: readonly Hand[];
  /** Told 0..1; may throw to cancel. */
  progress?(done: number): void | Promise<void>;
}

/** Learns the model of a recording; from `stretches` (frames of the transform at the kit's rate) and in so many `rounds` where that is said. */
export async function learnModel(job: DebleedJob & { stretches?: readonly Stretch[]; rounds?: number }): Promise<DebleedModel> {
  const o = lowered(job, job.kit.times);
  const stretches = o.stretches ?? chooseStretches(o.kit.rate, o.frames, o.hits);
  const rounds = o.rounds ? Array<Round>(o.rounds).fill({}) : o.frames > WHOLE_S * o.kit.rate ? HURRIED : ROUNDS;
  const n = o.hands.length;
  await Promise.all(o.hands.map((h, i) => h.start(o.kit, o.hits, stretches, i, n)));
  for (const [m, reader] of o.readers.entries()) {
    const pieces: Float32Array[] = [];
    for (const s of stretches) pieces.push(await readWithin(reader, o.frames, pieceOf(s).from, pieceOf(s).length));
    await Promise.all(o.hands.map((h) => h.take(m, pieces)));
    await o.progress?.((0.15 * (m + 1)) / o.readers.length);
  }
  let all = sumLeakage(await Promise.all(o.hands.map((h) => h.begin())));
  for (const [r, round] of rounds.entries()) {
    const now = all;
    all = sumLeakage(await Promise.all(o.hands.map((h) => h.round(now, round))));
    await o.progress?.(0.2 + (0.65 * (r + 1)) / rounds.length);
  }
  if (ringsAlong(o.kit).length) {
    all = sumLeakage(await Promise.all(o.hands.map((h) => h.takeAlong())));
    await o.progress?.(0.9);
    for (const round of rounds) {
      const now = all;
      all = sumLeakage(await Promise.all(o.hands.map((h) => h.roundLow(now, round))));
    }
    const now = all;
    await Promise.all(o.hands.map((h) => h.settleAlong(now)));
    await o.progress?.(1);
  }
  const parts = await Promise.all(o.hands.map((h) => h.finish(all)));
  const model = emptyModel(o.kit);
  for (const p of parts) {
    for (const key of ['R', 'ceiling', 'level', 'noise', 'along'] as const) {
      const [from, into] = [p[key], model[key]];
      for (let i = 0; i < into.length; i++) into[i] += from[i];
    }
  }
  return model;
}

/**
 * Images of the targets from `from` to `to`, in frames at the kit's rate as `frames` and readers are here, in order, in blocks: `write` gets one block of all targets and where it begins. Sound outside
 * `from` to `to` counts too. `only`: blocks of which it says no are left out; the others are the same as if they were not.
 */
export async function separateTargets(o: DebleedJob & { model: DebleedModel; targets: readonly Target[]; from: number; to: number; only?: readonly (readonly [from: number, to: number])[]; write(at: number, images: readonly Float32Array[]): void | Promise<void> }): Promise<void> {
  const block = o.only ? blockOver(o.only.map(([from, to]) => to - from)) : blockFor(o.to - o.from, o.hands.length);
  // what a block of frames covers
  const run = (block - SHARED) * HOP;
  await Promise.all(o.hands.map((h) => h.open(o.model, o.hits, block)));
  const lead = leadOf(o.model.kit);
  const runs: [from: number, to: number][] = [];
  for (const [from, to] of o.only ?? [[o.from, o.to]]) for (let at = from; at < to; at += run) runs.push([at, Math.min(to, at + run)]);
  let next = 0;
  let written = 0;
  const ready = new Map<number, readonly Float32Array[]>();
  let writing: Promise<void> = Promise.resolve();
  let reading: Promise<unknown> = Promise.resolve();
  const work = async (hand: Hand) => {
    while (next < runs.length) {
      const i = next++;
      const [at, to] = runs[i];
      const offset = at - (2 + lead) * HOP;
      // readers answer one call at a time
      const pieces = reading.then(async () => {
        const list: Float32Array[] = [];
        for (const r of o.readers) list.push(await readWithin(r, o.frames, offset, to - at + (4 + lead) * HOP));
        return list;
      });
      reading = pieces.catch(() => {});
      const audio = await pieces;
      ready.set(i, await hand.run(audio, offset, at, to, o.targets));
      writing = writing.then(async () => {
        for (let r = ready.get(written); r; r = ready.get(written)) {
          ready.delete(written);
          await o.write(runs[written][0], r);
          written++;
          await o.progress?.(written / runs.length);
        }
      });
      await writing;
    }
  };
  await Promise.all(o.hands.map(work));
}

/** Every close mic with its own drum. */
export const ownTargets = (kit: Kit): Target[] => kit.drums.flatMap((_, s) => kit.own[s].map((m) => [m, s] as const));

/** Every overhead with what no close mic owns. */
export const restTargets = (kit: Kit): Target[] => kit.mics.flatMap((k, m) => (k.overhead ? [[m, kit.drums.length] as const] : []));
