/**
 * Every stroke of every drum, from all mics together: candidates in each drum's own mic, patterns learnt blindly from the recording, every
 * candidate explained as a mix of drums, certainty from how much better that goes with the drum than without it.
 */
import type { Network } from './classify';
import { certainties, choose } from './classify';
import { describe } from './features';
import type { Kind } from './kinds';
import { type Learnt, learnPatterns } from './patterns';
import { CYMBALS, type Song, type SongMic, readSong } from './song';

export interface FoundHit {
  /** Arrival of the attack at the drum's first own mic (or the first overhead), seconds. */
  readonly time: number;
  /** 0..1: amplitude of the drum's own share against its strongest strokes. */
  readonly strength: number;
  /** 0..1; below the threshold it is kept for lower thresholds. */
  readonly certainty: number;
}

export interface Detection {
  readonly drums: Readonly<Record<string, readonly FoundHit[]>>;
  readonly song: Song;
}

/** Hits less certain than this are not even kept. */
export const LEAST_CERTAIN = 0.1;
/** Hits this certain count, unless a person sets another threshold. */
export const THRESHOLD = 0.4;

/** One network for each kind of drum with a close mic, and one each for cymbals that only overheads hear. */
export type NetworkName = Kind | 'crash' | 'ride';
export type Networks = Readonly<Partial<Record<NetworkName, Network>>>;
const FAR: readonly NetworkName[] = ['crash', 'ride'];

/** `networks` come from weights.ts; `progress` is told 0..1 and may throw to cancel. */
export async function detectHits(
  rate: number, mics: readonly SongMic[], read: (mic: number) => Float32Array | Promise<Float32Array>, networks: Networks, progress: (done: number) => void | Promise<void> = () => {},
): Promise<Detection> {
  const song = await readSong(rate, mics, read, (d) => progress(0.6 * d));
  const learnt = learnPatterns(song);
  await progress(0.75);
  const drums: Record<string, FoundHit[]> = {};
  let done = 0;
  for (const drum of song.drums) {
    const s = song.sources.get(drum);
    const net = s && networks[s.kind];
    drums[drum] = [];
    if (s && net && learnt.set.has(drum) && isPlayed(learnt.seeds.get(drum) ?? [], s.time)) {
      const d = describe(song, s, learnt.patterns);
      const certainty = believable(certainties(net, d.features));
      drums[drum] = choose(s.time, certainty, LEAST_CERTAIN).map((i) => ({ time: s.time[i], strength: Math.min(1, 10 ** (d.levelDb[i] / 20)), certainty: certainty[i] }));
    }
    await progress(0.75 + (0.2 * ++done) / song.drums.length);
  }
  cymbals(song, learnt, networks, drums);
  return { drums, song };
}

/** Crash and ride from the overheads: an event that may be either goes to the likelier. Those with a mic of their own are left out. */
function cymbals(song: Song, learnt: Learnt, networks: Networks, drums: Record<string, FoundHit[]>) {
  const s = song.sources.get(CYMBALS);
  if (!s || !learnt.set.has(CYMBALS)) return;
  const d = describe(song, s, learnt.patterns);
  const names = FAR.filter((n) => networks[n] && !song.drums.includes(n));
  const each = names.map((n) => certainties(networks[n] as Network, d.features));
  names.forEach((name, k) => {
    const mine = each[k].map((c, i) => (each.some((o, j) => j !== k && (o[i] > c || (o[i] === c && j < k))) ? 0 : c));
    drums[name] = choose(s.time, mine, LEAST_CERTAIN).map((i) => ({ time: s.heard[i], strength: Math.min(1, 10 ** (d.levelDb[i] / 20)), certainty: mine[i] }));
  });
}

/** A drum that is played has strokes beyond doubt; where there are not two of them, what is found is spill, and kept only for the very keen. */
const BEYOND_DOUBT = 0.9;
const SPILL_SHARE = 0.4;
function believable(certainty: Float64Array): Float64Array {
  return certainty.filter((c) => c >= BEYOND_DOUBT).length >= 2 ? certainty : certainty.map((c) => c * SPILL_SHARE);
}

/** A drum that is played gives seeds at two places at least. */
function isPlayed(seeds: readonly number[], time: Float64Array): boolean {
  return new Set(seeds.map((i) => Math.round(time[i] * 10))).size >= 2;
}

export { CYMBALS };
