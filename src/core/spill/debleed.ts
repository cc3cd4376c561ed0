/**
 * De-bleed of a whole recording: the model is learnt with the hits that are known, each close mic gets its own drum's image, the hits are found again on those, what
 * is left is taken down by the drums' own decays, and mics that would lose of their own drum keep more of the raw.
 */
import type { Ring } from '../clean/ring';
import { advanced, toldBack } from '../hits/analyse';
import { ENOUGH_MICS, type FoundHit, LEAST_CERTAIN, type Networks, THRESHOLD, detectHits } from '../hits/detectHits';
import { FAINT, risesBetween } from '../hits/alignAttacks';
import { oneByOne, shareOut } from '../hits/ears';
import { ATTACK_BAND, type Kind, kindOf } from '../hits/kinds';
import { FAR, believable, logit } from '../hits/passes';
import { NETWORKS } from '../hits/weights';
import { MAY_BE } from '../plan/live';
import { roleOf } from '../plan/roles';
import type { MicReader } from '../render';
import { type Hand, learnModel, ownTargets, restTargets, separateTargets } from './crew';
import { computeImages } from './image';
import judge from './judge.json';
import { type Candidate, type Judge, SAID, SAME_S, candidatesOf, certaintiesAgain, farFeatures, movedBack, sureOf } from './judgeAgain';
import { type Kit, type KitMic, describeKit, expectedFor } from './kit';
import type { DebleedModel } from './learn';
import { lowered, restored, timesLower } from './lowerRate';
import { giveBackInStep } from './inStep';
import { ownLossDb, shareByLoss } from './ownLoss';
import type { Target } from './separate';
import type { StandingOut } from './standOut';
import { swellsAgain } from './swellsAgain';

/** Raised whenever the same audio and hits would give another result. */
export const DEBLEED_VERSION = 27;
/** What de-bleed must know of a mic, from its role. */
export const kitMic = (role: string): KitMic => {
  const { drum, group } = roleOf(role);
  return { own: group === 'close' ? drum : null, overhead: group === 'overhead' };
};

export interface DebleedInput {
  readonly rate: number;
  readonly frames: number;
  readonly mics: readonly KitMic[];
  readonly readers: readonly MicReader[];
  /** Found hits by drum, doubtful ones too: where a drum may have been struck it may sound. */
  readonly hits: Readonly<Record<string, readonly FoundHit[]>>;
  readonly hands: readonly Hand[];
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
  readonly hits: Readonly<Record<string, readonly FoundHit[]>>;
  /** In the order they were asked for. */
  readonly images: readonly Float32Array[];
}

/** Room for samples that threads may share where the platform lets them. */
const roomFor = (frames: number): Float32Array => (typeof SharedArrayBuffer === 'undefined' ? new Float32Array(frames) : new Float32Array(new SharedArrayBuffer(4 * frames)));

async function whole(reader: MicReader, frames: number, out = roomFor(frames)): Promise<Float32Array> {
  const block = new Float32Array(READ);
  for (let at = 0; at < frames; at += READ) {
    await reader.read(at, block);
    out.set(block.subarray(0, Math.min(READ, frames - at)), at);
  }
  return out;
}
/** Readers of stored audio want whole chunks. */
const READ = 65536;

/** Where a mic keeps more than this of its raw self it is no witness. */
const LEAST_SHARE = 0.5;

const counted = (list: readonly FoundHit[] | undefined): FoundHit[] => (list ?? []).filter((h) => h.certainty >= THRESHOLD);

/** Times of strokes that the model is learnt with, seconds: doubtful ones too, for where a drum may not have been struck its soft strokes go to others. */
export const learntFrom = (list: readonly FoundHit[] | undefined): number[] => (list ?? []).filter((h) => h.certainty >= LEAST_CERTAIN).map((h) => h.time);

function scale(x: Float32Array, by: number): void {
  if (by !== 1) for (let i = 0; i < x.length; i++) x[i] *= by;
}

function add(into: Float32Array | undefined, at: number, x: Float32Array): void {
  if (into) for (let i = 0; i < x.length; i++) into[at + i] += x[i];
}

/** Cymbals that have no close mic. */
const cymbalsOf = (o: Pick<DebleedInput, 'mics'>): string[] => FAR.filter((d) => o.mics.every((m) => m.own !== d));

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
}

/** What hands have gathered in one phase they need no more in the next: over a song that is hundreds of megabytes. */
const resting = (o: DebleedInput): Promise<unknown> => Promise.all(o.hands.map((h) => h.rest()));

/** Keeps more of the raw mic in an image where its drum would lose, from frame `from` to `to`; `own`: frames of its strokes. */
function keepOwn(raw: Float32Array, image: Float32Array, rate: number, drum: string, share: number, own: readonly number[], from: number, to: number): void {
  if (share < 1) for (let i = from; i < to; i++) image[i] = raw[i] + share * (image[i] - raw[i]);
  if (kindOf(drum) === 'hat') giveBackInStep(raw, image, rate, own.filter((f) => f >= from && f < to).sort((a, b) => a - b));
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
        else add(rests.get(far[q - targets.length][0]), at, x);
      });
    },
  });
  await resting(o);
  const shares: { lossDb: number; share: number }[] = [];
  const raw = new Float32Array(frames);
  for (const [q, [m, s]] of targets.entries()) {
    await whole(o.readers[m], frames, raw);
    const all = (d: string) => counted(o.hits[d]).map((h) => Math.round(h.time * rate));
    const lossDb = ownLossDb(raw, images[q], rate, all(kit.drums[s]), Object.keys(o.hits).filter((d) => d !== kit.drums[s]).flatMap(all));
    const share = shareByLoss(lossDb);
    keepOwn(raw, images[q], rate, kit.drums[s], share, all(kit.drums[s]), 0, frames);
    shares.push({ lossDb, share });
  }
  return { kit, targets, images, rests, shares, model, hits };
}

/** Which target is the mic in which the hits of a drum of the kit are told: of its own, the first that is not late. */
const tellingTarget = (s: Pick<Separated, 'targets'>, drum: number, late: ReadonlyMap<number, number> = new Map()): number =>
  Array.from(s.targets.keys()).filter((q) => s.targets[q][1] === drum).sort((a, b) => (late.get(s.targets[a][0]) ?? 0) - (late.get(s.targets[b][0]) ?? 0))[0];

/** What both findings of a drum's hits say, and its mic, raw and de-bled; of cymbals the overheads, and what no close mic owns of those. */
export interface HeardAgain {
  readonly drum: string;
  readonly list: readonly Candidate[];
  /** Of the candidates (judgeAgain.ts); null where nothing but the findings can be asked: both are believed alike. */
  readonly features: Float32Array | null;
  /** Strokes that no finding heard and that stand out of what is left, seconds: candidates, too. */
  readonly unheard?: readonly number[];
}

/** Finds the hits of all drums again, on what is left of close mics and with the overheads as they are. */
export async function hearAgain(o: DebleedInput, s: Separated, progress?: (done: number) => void | Promise<void>): Promise<HeardAgain[]> {
  const { rate, frames } = o;
  const byMic = new Map(s.targets.map(([m], q) => [m, s.images[q]]));
  // overheads are asked for several times, the others once
  const overheads = new Map<number, Promise<Float32Array>>();
  const mic = (m: number) => {
    const known = byMic.get(m) ?? overheads.get(m);
    if (known) return known;
    const read = whole(o.readers[m], frames);
    if (o.mics[m].overhead) overheads.set(m, read);
    return read;
  };
  const late = o.late ?? new Map<number, number>();
  // a drum of which the first finding heard nothing is not played, one of which it was sure is
  const played = new Map([...s.kit.drums.filter((d) => !o.hits[d]?.length).map((d) => [d, false] as const), ...Object.entries(o.hits).filter(([, l]) => believable(Float64Array.from(l, (h) => h.certainty))).map(([d]) => [d, true] as const)]);
  const again = await detectHits(rate, o.mics, async (m) => advanced(await mic(m), Math.round((late.get(m) ?? 0) * rate)), o.networks ?? NETWORKS, progress, o.hands, played);
  const readRaw = oneByOne((m: number) => whole(o.readers[m], frames));
  const foreign = (drum: string) => Object.entries(o.hits).flatMap(([other, hits]) => (other === drum ? [] : counted(hits).map((h) => h.time))).sort((a, b) => a - b);
  const near = s.kit.drums.map((drum, d) => async (hand: Hand): Promise<HeardAgain> => {
    const told = candidatesOf(o.hits[drum] ?? [], toldBack(again.drums[drum] ?? [], drum, o.mics, late));
    const q = tellingTarget(s, d, late);
    const kind = kindOf(drum);
    if (told.length === 0 || kind === 'cymbal' || o.mics.length < ENOUGH_MICS || s.shares[q].share < LEAST_SHARE || !told.some(sureOf)) return { drum, list: told, features: null };
    const [raw, kept] = [await readRaw(s.targets[q][0]), s.images[q]];
    const timesOf = (least: number) => told.filter((c) => Math.max(c.first, c.again) >= least).map((c) => c.hit.time);
    const unheard = (await hand.standOut({ raw, kept, rate, drum, own: timesOf(THRESHOLD), known: timesOf(IN_DOUBT) })).filter((u) => told.every((c) => Math.abs(c.hit.time - u.time) >= SAME_S));
    const begin = await hand.pick(kept, rate, Float64Array.from(unheard, (u) => u.time), kind);
    const possible = [...told, ...unheard.map(({ strength }, i) => ({ hit: { time: begin[i], strength, certainty: 0 }, first: 0, again: LEAST_CERTAIN }))].sort((a, b) => a.hit.time - b.hit.time);
    const list = await movedBack(possible, async (times, strengths, earlierS) => hand.align(kept, rate, times, strengths, kind, earlierS));
    return { drum, list, features: await hand.witness([raw], [kept], rate, kind, list, foreign(drum)), unheard: [...begin] };
  });
  const cymbals = cymbalsOf(o).filter((d) => o.hits[d]?.length || again.drums[d]?.length);
  const lists = new Map(cymbals.map((d) => [d, candidatesOf(o.hits[d] ?? [], toldBack(again.drums[d] ?? [], d, o.mics, late))]));
  const far = cymbals.map((drum) => async (hand: Hand): Promise<HeardAgain> => {
    const list = lists.get(drum) ?? [];
    if (s.rests.size === 0 || o.mics.length < ENOUGH_MICS || !list.some(sureOf)) return { drum, list, features: null };
    const raw = await Promise.all(Array.from(s.rests.keys(), mic));
    const features = await hand.witness(raw, [...s.rests.values()], rate, 'cymbal', list, foreign(drum));
    return { drum, list, features: farFeatures(features, list, cymbals.flatMap((d) => (d === drum ? [] : lists.get(d) ?? []))) };
  });
  return shareOut(o.hands, [...near, ...far]);
}

/** Of a drum of which no stroke is sure, and neither is each finding CERTAIN of one of its own, what the first finding did not hear counts so much less, and of cymbals what either did not: the drum may not be played at all. So does what the first did not hear of a cymbal where that is more than a few strokes, and more than a third of what the first counted: usually it is a sixth at most. */
const HALF_HEARD = 0.4;
/** How a drum goes on after its strokes counts so much less, where it was taken for more of them. */
const NO_STROKE = 0.1;
const CERTAIN = 0.9;
const FEW = 2;
const FLOOD = 3;

/** A stroke of snare or hat that the first finding counted stays at least this likely: in doubt, for a person to look at and for what would rather keep a stroke too many. Of ten that the judgement had dropped in 12 made recordings four were strokes; of toms none of five, and each opened a slice for nothing. */
const IN_DOUBT = 0.21;
const DOUBTED: ReadonlySet<Kind> = new Set<Kind>(['snare', 'hat']);

/** A doubtful stroke so shortly before a certain one of the same drum that is so many times as strong is the beginning of that, or what de-bleed's windows smear ahead of it: a grace note is a fifth as strong at least. */
const SMEAR_S = 0.07;
const SMEARED = 1 / 16;
const DOUBTFUL = 0.5;
const withoutSmears = (list: readonly FoundHit[]): FoundHit[] =>
  list.filter((h) => h.certainty >= DOUBTFUL || list.every((x) => x.certainty <= CERTAIN || x.time <= h.time || x.time - h.time >= SMEAR_S || h.strength >= SMEARED * x.strength));

/** Of a cymbal that no close mic owns the first finding has two votes of three: the overheads, by which it goes, are not de-bled, and what the judgement learnt from one maker's recordings it overrates in another's (docs/decisions/0006). */
const FIRST_VOTES = 2 / 3;
const mostlyFirst = (first: number, judgement: number): number => {
  const [a, b] = [logit(Math.max(LEAST_CERTAIN, first)), logit(judgement)];
  return 1 / (1 + Math.exp(-(FIRST_VOTES * a + (1 - FIRST_VOTES) * b)));
};

/** The hits by what was heard again. */
export function judged({ drum, list, features }: HeardAgain, by: Judge): FoundHit[] {
  const kind = kindOf(drum);
  const weighed = features && (kind === 'cymbal' ? certaintiesAgain(by.far, drum, features) : certaintiesAgain(by.near, kind, features));
  const half = (c: Candidate) => c.first === 0 || (kind === 'cymbal' && c.again === 0);
  const played = list.some(sureOf) || (list.some((c) => c.first > CERTAIN) && list.some((c) => c.again > CERTAIN));
  // a crash swells again after its stroke, which the second finding may take for a ride's, each time
  const anew = weighed ? list.filter((c, i) => c.first === 0 && weighed[i] >= THRESHOLD).length : 0;
  const flooded = kind === 'cymbal' && anew > Math.max(FEW, list.filter((c) => c.first >= THRESHOLD).length / FLOOD);
  if (weighed && flooded) list.forEach((c, i) => {
    if (c.first === 0) weighed[i] *= HALF_HEARD;
  });
  if (weighed && kind !== 'cymbal') for (const i of swellsAgain(list)) if (list[i].first !== SAID) weighed[i] *= NO_STROKE;
  if (weighed && kind === 'cymbal') list.forEach((c, i) => {
    weighed[i] = mostlyFirst(c.first, weighed[i]);
  });
  // where nothing else is known both are believed alike
  const certainty = weighed ? list.map((c, i) => (DOUBTED.has(kind) && c.first >= THRESHOLD ? Math.max(weighed[i], IN_DOUBT) : weighed[i])) : list.map((c) => ((c.first + c.again) / 2) * (half(c) && !played ? HALF_HEARD : 1));
  // what a person said stays
  return withoutSmears(list.map((c, i) => ({ ...c.hit, certainty: c.first === SAID ? 1 : certainty[i] })).filter((h) => h.certainty >= LEAST_CERTAIN));
}

/** A drum's hits with strokes that stand out of its mic unheard: in doubt, so that a person looks at them and slices and gates open. What was all but given up nearby is in doubt again. */
export function withUnheard(hits: readonly FoundHit[], unheard: readonly Pick<StandingOut, 'time' | 'strength'>[]): FoundHit[] {
  const again = (h: FoundHit) => unheard.some((u) => Math.abs(u.time - h.time) < SAME_S);
  const listed = hits.map((h) => (h.certainty < IN_DOUBT && again(h) ? { ...h, certainty: IN_DOUBT } : h));
  const anew = unheard.filter((u) => hits.every((h) => Math.abs(h.time - u.time) >= SAME_S));
  return withoutSmears([...listed, ...anew.map(({ time, strength }) => ({ time, strength, certainty: IN_DOUBT }))].sort((a, b) => a.time - b.time));
}

/** Of a snare faint movements are its soft strokes': where more than this share of all begins earlier, it is what de-bleed's windows smear. */
const MOST_MOVED = 1 / 3;
/** Less than this is no other beginning, seconds. */
const MOVED_S = 0.0006;
/** A kick's are heard in the raw mic too, by so much in the median, dB. */
const SHOWS_DB = 4;

/** A snare's soft strokes, and a kick's, may begin with a faint movement some ms ahead. Once it is known which strokes are its own they are laid over each other once more, as far as they count. */
export async function fromFaintest(o: Pick<DebleedInput, 'rate' | 'late'> & { readonly hands: readonly Pick<Hand, 'align'>[] }, s: Pick<Separated, 'targets' | 'images'>, { drum, list }: Pick<HeardAgain, 'drum' | 'list'>, hits: readonly FoundHit[], place: number, raw: (mic: number) => Promise<Float32Array>): Promise<FoundHit[]> {
  const kind = kindOf(drum);
  const said = new Set(list.filter((c) => c.first === SAID).map((c) => c.hit.time));
  const q = tellingTarget(s, place, o.late);
  const all = hits.map((hit) => ({ hit, first: said.has(hit.time) ? SAID : hit.certainty, again: hit.certainty }));
  const placed = (await movedBack(all, async (times, strengths) => o.hands[0].align(s.images[q], o.rate, times, strengths, kind, undefined, true))).map((c) => c.hit);
  const moves = hits.flatMap((h, i) => (placed[i].time < h.time - MOVED_S ? [{ from: placed[i].time, to: h.time }] : []));
  if (moves.length === 0) return placed;
  const believed = kind === 'kick' ? risesBetween(await raw(s.targets[q][0]), o.rate, moves, ATTACK_BAND[kind]) >= SHOWS_DB : moves.length <= MOST_MOVED * counted(hits).length;
  return believed ? placed : [...hits];
}

/** All drums' hits, by what was heard again of some. */
async function foundAgain(o: DebleedInput, s: Separated, again: readonly HeardAgain[]): Promise<Debleed['hits']> {
  const found = { ...o.hits };
  for (const h of again) {
    const hits = judged(h, o.judge ?? judge);
    found[h.drum] = h.features && FAINT[kindOf(h.drum)] ? await fromFaintest(o, s, h, hits, s.kit.drums.indexOf(h.drum), (m) => whole(o.readers[m], o.frames)) : hits;
  }
  return found;
}

/** A stroke's windows begin so long before it, seconds. */
const AHEAD_S = 0.05;

/**
 * Separates once more what sounds with strokes that the model was told nothing of, now that they are heard: until then nobody expected them of their drum, and much of them went to others. Changes
 * the images, and gives all strokes that the model is told of. What of a song has no such stroke stays as it is, to the sample.
 */
export async function separateAgain(o: DebleedInput, s: Separated, found: Debleed['hits'], again: readonly HeardAgain[]): Promise<Separated['hits']> {
  const { kit, targets, images, shares, model } = s;
  const anew = kit.drums.map((drum, d) => {
    const heard = [...learntFrom(found[drum]), ...(again.find((h) => h.drum === drum)?.unheard ?? [])];
    return heard.filter((t, i) => s.hits[d].every((k) => Math.abs(k - t) >= SAME_S) && heard.slice(0, i).every((k) => Math.abs(k - t) >= SAME_S));
  });
  if (anew.every((l) => l.length === 0)) return s.hits;
  const hits = s.hits.map((l, d) => [...l, ...anew[d]].sort((a, b) => a - b));
  const sounds = anew.flatMap((l, d) => l.map((t) => [(t - AHEAD_S) * o.rate, (t + expectedFor(kit.drums[d])) * o.rate] as const));
  const blocks: [from: number, to: number][] = [];
  await resting(o);
  await separateTargets({
    kit, model, targets, hits, frames: o.frames, readers: o.readers, hands: o.hands, from: 0, to: o.frames,
    only: (from, to) => sounds.some(([a, z]) => a < to && z > from),
    write: (at, list) => {
      list.forEach((x, q) => images[q].set(x, at));
      blocks.push([at, at + list[0].length]);
    },
  });
  await resting(o);
  for (const [q, [m, d]] of targets.entries()) {
    const drum = kit.drums[d];
    if (shares[q].share === 1 && kindOf(drum) !== 'hat') continue;
    const raw = await whole(o.readers[m], o.frames);
    const own = counted(found[drum]).map((h) => Math.round(h.time * o.rate));
    for (const [from, to] of blocks) keepOwn(raw, images[q], o.rate, drum, shares[q].share, own, from, to);
  }
  return hits;
}

/** The same recording at the rate at which it is worked on. */
function atLowerRate(o: DebleedInput): DebleedInput {
  const times = timesLower(o.rate);
  return { ...lowered(o, times), rate: o.rate / times, onModel: (model, hits) => o.onModel?.({ ...model, kit: { ...model.kit, times } }, hits) };
}

/** The hits alone, as de-bleed finds them: what is left of the mics is not kept. Throws what `progress` throws, to cancel. */
export async function hearClosely(input: DebleedInput): Promise<Debleed['hits']> {
  const o = atLowerRate(input);
  const first = await separate(o);
  return first ? foundAgain(o, first, await hearAgain(o, first, (d) => o.progress?.(0.85 + 0.15 * d, 'Finding the hits again'))) : o.hits;
}

/** Throws what `progress` throws, to cancel. */
export async function debleed(input: DebleedInput): Promise<Debleed> {
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
  await o.progress?.(0.92, 'Taking out what other mics explain, with the strokes found since');
  const hits = await separateAgain(o, first, found, again);
  o.onModel?.(model, hits);
  const asRecorded = { ...kit, times };
  // where a mic keeps of its raw self, so much less of the others has been taken out
  const wanted = o.images?.length ? await computeImages({ hits, hands: o.hands, frames: input.frames, readers: input.readers, model: { ...model, kit: asRecorded }, kit: asRecorded, wanted: o.images, from: 0, to: input.frames, progress: undefined }) : [];
  for (const [i, x] of wanted.entries()) scale(x, shares[targets.findIndex(([m]) => m === o.images?.[i].mic)]?.share ?? 1);
  const mics: KeptMic[] = [];
  const hitsOf = (drum: string) => found[drum] ?? [];
  const unheard: Record<string, StandingOut[]> = {};
  const readRaw = oneByOne((m: number) => whole(o.readers[m], o.frames));
  let next = 0;
  let done = 0;
  await Promise.all(o.hands.map(async (hand) => {
    while (next < targets.length) {
      const q = next++;
      const [m, s] = targets[q];
      const drum = kit.drums[s];
      const frames = (certain: (h: FoundHit) => boolean) => hitsOf(drum).filter(certain).map((h) => Math.round(h.time * rate)).sort((a, b) => a - b);
      const mayBe = kindOf(drum) === 'hat' ? MAY_BE.gate : 0;
      const [own, doubtful] = [frames((h) => h.certainty >= THRESHOLD), frames((h) => h.certainty < THRESHOLD && h.certainty >= mayBe)];
      const { share, lossDb } = shares[q];
      const possible = frames((h) => h.certainty >= LEAST_CERTAIN);
      if (share > 0) await hand.giveBack(await readRaw(m), images[q], rate, possible);
      const ring = await hand.tidy(images[q], rate, drum, own, doubtful, share > 0);
      if (q === tellingTarget(first, s, o.late) && kindOf(drum) !== 'cymbal' && o.mics.length >= ENOUGH_MICS && share >= LEAST_SHARE) {
        const timesOf = (least: number) => hitsOf(drum).filter((h) => h.certainty >= least).map((h) => h.time).sort((a, b) => a - b);
        unheard[drum] = await hand.standOut({ raw: await readRaw(m), kept: images[q], rate, drum, own: timesOf(THRESHOLD), known: timesOf(IN_DOUBT) });
      }
      mics[q] = { mic: m, drum, samples: images[q], ring, lossDb, share };
      await o.progress?.(0.95 + (0.05 * ++done) / targets.length, "Following each drum's own decay");
    }
  }));
  if (times > 1) for (const [i, k] of mics.entries()) mics[i] = { ...k, samples: await restored(input.readers[k.mic], k.samples, input.rate, times, input.frames) };
  return { mics, hits: { ...found, ...Object.fromEntries(Object.entries(unheard).map(([drum, list]) => [drum, withUnheard(hitsOf(drum), list)])) }, images: wanted };
}
