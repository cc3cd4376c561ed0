/** The hits of all drums heard once more, on mics that are freed of the other drums, and judged by what both findings say. */
import { FAINT, risesBetween } from '../hits/alignAttacks';
import { advanced, toldBack } from '../hits/analyse';
import { CYMBAL_SAME_S, ENOUGH_MICS, type FoundHit, LEAST_CERTAIN, THRESHOLD, detectHits } from '../hits/detectHits';
import { shareOut } from '../hits/ears';
import { ATTACK_BAND, type Kind, kindOf } from '../hits/kinds';
import { believable, logit } from '../hits/passes';
import { withoutOthersOfKind } from '../hits/secondOfKind';
import { withOwnStrengths } from '../hits/ownStrengths';
import { NETWORKS } from '../hits/weights';
import { type Lend, lendAll } from '../lend';
import type { Hand } from './crew';
import judge from './judge.json';
import { type Candidate, type Judge, SAID, SAME_S, candidatesOf, certaintiesAgain, farFeatures, movedBack, sureOf } from './judgeAgain';
import { type DebleedInput, type HitsByDrum, LEAST_SHARE, type Separated, counted, cymbalsOf, tellingTarget } from './ownImages';
import type { StandingOut } from './standOut';
import { swellsAgain } from './swellsAgain';

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
  const { rate } = o;
  const byMic = new Map(s.targets.map(([m], q) => [m, s.images[q]]));
  const late = o.late ?? new Map<number, number>();
  // a drum of which the first finding heard nothing is not played, one of which it was sure is
  const played = new Map([...s.kit.drums.filter((d) => !o.hits[d]?.length).map((d) => [d, false] as const), ...Object.entries(o.hits).filter(([, l]) => believable(Float64Array.from(l, (h) => h.certainty))).map(([d]) => [d, true] as const)]);
  const freed: Lend = (m, work) => {
    const as = (x: Float32Array) => work(advanced(x, Math.round((late.get(m) ?? 0) * rate)));
    const kept = byMic.get(m);
    return kept ? Promise.resolve(kept).then(as) : s.lend(m, as);
  };
  const { drums } = await detectHits(rate, o.mics, freed, o.networks ?? NETWORKS, progress, o.hands, played);
  const foreign = (drum: string) => Object.entries(o.hits).flatMap(([other, hits]) => (other === drum ? [] : counted(hits).map((h) => h.time))).sort((a, b) => a - b);
  const near = s.kit.drums.map((drum, d) => async (hand: Hand): Promise<HeardAgain> => {
    const told = candidatesOf(o.hits[drum] ?? [], toldBack(drums[drum] ?? [], drum, o.mics, late));
    const q = tellingTarget(s, d, late);
    const kind = kindOf(drum);
    if (told.length === 0 || kind === 'cymbal' || o.mics.length < ENOUGH_MICS || s.shares[q].share < LEAST_SHARE || !told.some(sureOf)) return { drum, list: told, features: null };
    const kept = s.images[q];
    const timesOf = (least: number) => told.filter((c) => Math.max(c.first, c.again) >= least).map((c) => c.hit.time);
    return s.lend(s.targets[q][0], async (raw) => {
      const unheard = (await hand.standOut({ raw, kept, rate, drum, own: timesOf(THRESHOLD), known: timesOf(IN_DOUBT) })).filter((u) => told.every((c) => Math.abs(c.hit.time - u.time) >= SAME_S));
      const begin = await hand.pick(kept, rate, Float64Array.from(unheard, (u) => u.time), kind);
      const possible = [...told, ...unheard.map(({ strength }, i) => ({ hit: { time: begin[i], strength, certainty: 0 }, first: 0, again: LEAST_CERTAIN }))].sort((a, b) => a.hit.time - b.hit.time);
      const list = await movedBack(possible, async (times, strengths, earlierS) => hand.align(kept, rate, times, strengths, kind, earlierS));
      return { drum, list, features: await hand.witness([raw], [kept], rate, kind, list, foreign(drum)), unheard: [...begin] };
    });
  });
  const cymbals = cymbalsOf(o).filter((d) => o.hits[d]?.length || drums[d]?.length);
  const lists = new Map(cymbals.map((d) => [d, candidatesOf(o.hits[d] ?? [], toldBack(drums[d] ?? [], d, o.mics, late))]));
  const far = cymbals.map((drum) => async (hand: Hand): Promise<HeardAgain> => {
    const list = lists.get(drum) ?? [];
    if (s.rests.size === 0 || o.mics.length < ENOUGH_MICS || !list.some(sureOf)) return { drum, list, features: null };
    const features = await lendAll(s.lend, [...s.rests.keys()], (raw) => hand.witness(raw, [...s.rests.values()], rate, 'cymbal', list, foreign(drum)));
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

/** What stands out of a drum's mic unheard is so likely a stroke: in doubt, for a person to look at and for what would rather keep a stroke too many. */
export const IN_DOUBT = 0.21;
/** What the first finding counted of snare and hat and the judgement dropped stays listed, but nobody is asked about it and it opens nothing: of snares one of 19 in 29 made recordings was a stroke. Of toms it goes. */
const LISTED: ReadonlySet<Kind> = new Set<Kind>(['snare', 'hat']);

/** A doubtful stroke so shortly before a certain one of the same drum that is so many times as strong is the beginning of that, or what de-bleed's windows smear ahead of it: grace notes are a fifth as strong mostly, and softer ones were certain. */
const SMEAR_S = 0.07;
const SMEARED = 1 / 12;
const DOUBTFUL = 0.5;
/** Toms are not struck so: of theirs a stroke of that kind must be more than likely. */
const DOUBTFUL_TOM = 0.95;
const withoutSmears = (list: readonly FoundHit[], doubtful = DOUBTFUL): FoundHit[] =>
  list.filter((h) => h.certainty >= doubtful || list.every((x) => x.certainty <= CERTAIN || x.time <= h.time || x.time - h.time >= SMEAR_S || h.strength >= SMEARED * x.strength));

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
  const certainty = weighed ? list.map((c, i) => (LISTED.has(kind) && c.first >= THRESHOLD ? Math.max(weighed[i], LEAST_CERTAIN) : weighed[i])) : list.map((c) => ((c.first + c.again) / 2) * (half(c) && !played ? HALF_HEARD : 1));
  // what a person said stays
  return withoutSmears(list.map((c, i) => ({ ...c.hit, certainty: c.first === SAID ? 1 : certainty[i] })).filter((h) => h.certainty >= LEAST_CERTAIN), kind === 'tom' ? DOUBTFUL_TOM : DOUBTFUL);
}

/** What a tom's stroke leaves in another tom's mic stands out of that as its own strokes do, and sounds much like them: so near to one, seconds, only what is as like them as this counts. Where both begin within `atOnceS` and it is less than a quarter as strong, each against its drum's loudest, not even that. */
const BESIDE = { s: 0.03, likeness: 0.985, atOnceS: 0.005, strength: 0.25 };

/** Of what stands out of a drum's mic that which is no other tom's stroke; `hits`: of all drums. */
export const besideNoTom = (drum: string, unheard: readonly StandingOut[], hits: HitsByDrum): StandingOut[] => {
  const toms = kindOf(drum) === 'tom' ? Object.keys(hits).filter((d) => d !== drum && kindOf(d) === 'tom').flatMap((d) => counted(hits[d])) : [];
  return unheard.filter((u) => toms.every((h) => {
    const apart = Math.abs(h.time - u.time);
    return apart > BESIDE.s || (u.likeness >= BESIDE.likeness && (apart > BESIDE.atOnceS || u.strength >= BESIDE.strength * h.strength));
  }));
};

/** A drum's hits with strokes that stand out of its mic unheard: in doubt, so that a person looks at them and toms' slices open. What was all but given up nearby is in doubt again. */
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
export async function fromFaintest(o: Pick<DebleedInput, 'rate' | 'late'> & { readonly hands: readonly Pick<Hand, 'align'>[] }, s: Pick<Separated, 'targets' | 'images'>, { drum, list }: Pick<HeardAgain, 'drum' | 'list'>, hits: readonly FoundHit[], place: number, lend: Lend): Promise<FoundHit[]> {
  const kind = kindOf(drum);
  const said = new Set(list.filter((c) => c.first === SAID).map((c) => c.hit.time));
  const q = tellingTarget(s, place, o.late);
  const all = hits.map((hit) => ({ hit, first: said.has(hit.time) ? SAID : hit.certainty, again: hit.certainty }));
  const placed = (await movedBack(all, async (times, strengths) => o.hands[0].align(s.images[q], o.rate, times, strengths, kind, undefined, true))).map((c) => c.hit);
  const moves = hits.flatMap((h, i) => (placed[i].time < h.time - MOVED_S ? [{ from: placed[i].time, to: h.time }] : []));
  if (moves.length === 0) return placed;
  const believed = kind === 'kick' ? (await lend(s.targets[q][0], async (raw) => risesBetween(raw, o.rate, moves, ATTACK_BAND[kind]))) >= SHOWS_DB : moves.length <= MOST_MOVED * counted(hits).length;
  return believed ? placed : [...hits];
}

/** Cymbals rise slowly, but faster in what no close mic owns than among the others: so much earlier than where the rise is found, seconds. */
const RISES_S = 0.0003;

/** A cymbal's hits as what no close mic owns of the first overhead, or what is left of its own mic, `rest`, has them begin: among the other drums they are told by when those arrive. None passes another, none that a person set moves. */
export async function fromRest(rest: Float32Array, rate: number, { list }: Pick<HeardAgain, 'list'>, hits: readonly FoundHit[], hand: Pick<Hand, 'pick'>): Promise<FoundHit[]> {
  const said = new Set(list.filter((c) => c.first === SAID).map((c) => c.hit.time));
  const begin = await hand.pick(rest, rate, Float64Array.from(hits, (h) => h.time), 'cymbal');
  const out = [...hits];
  out.forEach((h, i) => {
    const time = begin[i] - RISES_S;
    const free = time - (out[i - 1]?.time ?? Number.NEGATIVE_INFINITY) >= CYMBAL_SAME_S && (out[i + 1]?.time ?? Number.POSITIVE_INFINITY) - time >= CYMBAL_SAME_S;
    if (free && time > 0 && !said.has(h.time)) out[i] = { ...h, time };
  });
  return out;
}

/** All drums' hits, by what was heard again of some. */
export async function foundAgain(o: DebleedInput, s: Separated, again: readonly HeardAgain[]): Promise<HitsByDrum> {
  const found = { ...o.hits };
  const [rest] = s.rests.values();
  const far = cymbalsOf(o);
  for (const h of again) {
    const hits = judged(h, o.judge ?? judge);
    const kind = kindOf(h.drum);
    const place = s.kit.drums.indexOf(h.drum);
    const own = kind === 'cymbal' && !far.includes(h.drum) ? s.images[tellingTarget(s, place, o.late)] : undefined;
    const left = kind === 'cymbal' ? own ?? rest : undefined;
    if (left) {
      const placed = await fromRest(left, o.rate, h, hits, o.hands[0]);
      found[h.drum] = own ? await withOwnStrengths(o.hands[0], [own], o.rate, placed) : placed;
    } else found[h.drum] = h.features && FAINT[kind] ? await fromFaintest(o, s, h, hits, place, s.lend) : hits;
  }
  return withoutOthersOfKind(found);
}
