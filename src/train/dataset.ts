/** Candidates with labels, from folders of made recordings (kit.json and truth/hits.json beside the mics). */
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { deserialize, serialize } from 'node:v8';
import { openFolder } from '../cli/wavFile';
import { createHitKernels } from '../core/kernels/hitKernels';
import type { Networks } from '../core/hits/detectHits';
import { createEar } from '../core/hits/ears';
import { cymbalsIn, drumsAt, fineReader, placesOf, sureStrokes } from '../core/hits/farPlaces';
import { loneLook } from '../core/hits/loneLook';
import { type NetworkName, type NetworkSet, type SecondTrack, type Track, firstPass, judge, secondPass } from '../core/hits/passes';
import { type Song, readSong } from '../core/hits/song';
import { fewFeatures, judgeFar, thirdPass } from '../core/hits/thirdPass';
import { type Lend, lendAll, lendingFrom } from '../core/lend';

export interface LabelledSet {
  name: string;
  drum: string;
  kind: NetworkName;
  time: Float64Array;
  features: Float32Array;
  count: number;
  /** 1 own stroke, 0 not, -1 an echo of a true one: left out. */
  label: number[];
  /** Arrivals at the drum's first close mic, or the first overhead, seconds. */
  truth: number[];
  strength: number[];
}

interface Kit {
  rate: number;
  arrival_s: Record<string, number>;
  mics: { file: string; role: string; own: string | null }[];
}

type Truth = Record<string, { time: number; strength: number }[]>;

/** `lateS`: how much after the first contact a stroke may be noticed: soft beaters swell for 10 ms. */
export function label(truth: readonly number[], time: ArrayLike<number>, lateS = 0.01): number[] {
  const y = Array.from({ length: time.length }, () => 0);
  for (const t of truth) {
    let best = -1;
    for (let i = 0; i < time.length; i++) if (y[i] !== 1 && time[i] - t >= -0.01 && time[i] - t <= lateS && (best < 0 || Math.abs(time[i] - t) < Math.abs(time[best] - t))) best = i;
    if (best >= 0) y[best] = 1;
  }
  for (let i = 0; i < time.length; i++) if (y[i] === 0 && truth.some((t) => time[i] - t > -0.004 && time[i] - t < 0.012)) y[i] = -1;
  return y;
}

/** What is kept beside a recording between runs; raise the number when songs are read in another way. */
const SONG_CACHE = '.song-9';

/** Arrivals at each drum's first close mic, or the first overhead, seconds, and strengths. */
function truthOf(folder: string, kit: Kit): Truth {
  const hits = JSON.parse(readFileSync(join(folder, 'truth', 'hits.json'), 'utf8')) as Record<string, { time_s: number; velocity: number }[]>;
  return Object.fromEntries(Object.entries(hits).map(([d, list]) => [d, list.map((h) => ({ time: h.time_s + kit.arrival_s[d], strength: h.velocity }))]));
}

const readKit = (folder: string) => JSON.parse(readFileSync(join(folder, 'kit.json'), 'utf8')) as Kit;

/** A made recording's strokes by drum, as truthOf tells them. */
export const readTruth = (folder: string): Truth => truthOf(folder, readKit(folder));

async function readMic(files: Awaited<ReturnType<typeof openFolder>>, folder: string, kit: Kit, mic: number): Promise<Float32Array> {
  const f = files.find((x) => x.name === kit.mics[mic].file);
  if (!f) throw new Error(`${folder}: no ${kit.mics[mic].file}`);
  const x = new Float32Array(f.info.frames);
  await f.reader(0).read(0, x);
  return x;
}

/** The song of a recording, from the cache where there is one, and its truth. */
export async function readMade(folder: string): Promise<{ song: Song; truth: Truth }> {
  const kit = readKit(folder);
  const path = join(folder, SONG_CACHE);
  let song: Song;
  if (existsSync(path)) song = { ...deserialize(readFileSync(path)), kernels: createHitKernels() };
  else {
    const files = await openFolder(folder);
    song = await readSong(kit.rate, kit.mics.map((m) => ({ own: m.own, overhead: m.role.startsWith('overhead') })), lendingFrom((i) => readMic(files, folder, kit, i)));
    await Promise.all(files.map((f) => f.close()));
    writeFileSync(path, serialize({ ...song, kernels: null }));
  }
  return { song, truth: truthOf(folder, kit) };
}

/** Features and labels of all tracks of a recording: of the first pass, or with `first` (its networks) of the second. */
export async function labelled(folder: string, first: NetworkSet | null): Promise<LabelledSet[]> {
  const { song, truth } = await readMade(folder);
  const pass = await firstPass(song);
  const tracks: readonly Track[] = first ? await secondPass(song, pass, await judge(pass.tracks, first)) : pass.tracks;
  return tracks.map((t) => setOf(folder, t.drum, t.network, t.source.heard, t.described.features, t.described.count, truth));
}

/** What the second pass thinks of a recording, by networks of the first two, and what its mics hear. */
async function heardTwice<T>(folder: string, networks: Networks, use: (song: Song, truth: Truth, tracks: readonly SecondTrack[], certainty: readonly Float64Array[], lend: Lend) => Promise<T>): Promise<T> {
  const { song, truth } = await readMade(folder);
  const files = await openFolder(folder);
  try {
    const pass = await firstPass(song);
    const second = await secondPass(song, pass, await judge(pass.tracks, networks.first));
    return await use(song, truth, second, await judge(second, networks.second), lendingFrom((i) => readMic(files, folder, readKit(folder), i)));
  } finally {
    await Promise.all(files.map((f) => f.close()));
  }
}

/** Features and labels of cymbals in the third pass, by networks of the first two and of lone strokes. */
export const labelledThird = (folder: string, networks: Networks): Promise<LabelledSet[]> =>
  heardTwice(folder, networks, async (song, truth, tracks, certainty, lend) => {
    const third = await thirdPass(song, tracks, certainty, lend, networks.lone, [createEar()]);
    return (third ?? []).flatMap((t) => (t.features ? [setOf(folder, t.drum, t.network, t.heard, t.features, t.count, truth)] : []));
  });

/** Features and labels of cymbals of which too few strokes are sure, as what judges them last has them; `networks` without that. */
export const labelledFew = (folder: string, networks: Networks): Promise<LabelledSet[]> =>
  heardTwice(folder, networks, async (song, truth, tracks, certainty, lend) => {
    const third = (await thirdPass(song, tracks, certainty, lend, networks.lone, [createEar()])) ?? [];
    const thought = await judgeFar(third.map((t) => ({ ...t, says: null })), networks, [createEar()]);
    return third.flatMap((t, k) => {
      if (!t.says || !t.features) return [];
      const features = fewFeatures(t, t.says, thought[k]);
      return [setOf(folder, t.drum, t.network, t.heard, features, features.length / t.says.length, truth)];
    });
  });

/** Features and labels of the look at lone strokes of cymbals, by networks of the first two passes. */
export const labelledLone = (folder: string, networks: Networks): Promise<LabelledSet[]> =>
  heardTwice(folder, networks, async (song, truth, tracks, certainty, lend) => {
    const far = cymbalsIn(tracks, certainty);
    if (far.length === 0) return [];
    const places = placesOf(far);
    const names = far.map((f) => f.t.drum);
    const { sure, others } = sureStrokes(tracks, certainty, places, names);
    const audio = await lendAll(lend, song.overheads, (list) => list.map((x) => Float32Array.from(x)));
    const spectra = fineReader(song, audio, [createEar()]);
    const struckAt = drumsAt(tracks, certainty, places);
    const sets: LabelledSet[] = [];
    for (const [k, { t }] of far.entries()) {
      const { features, count } = await loneLook(places, k, names, sure, others, struckAt, spectra, createEar());
      sets.push(setOf(folder, t.drum, t.network, Float64Array.from(places, (p) => p.heard), features, count, truth));
    }
    return sets;
  });

function setOf(name: string, drum: string, kind: NetworkName, time: Float64Array, features: Float32Array, count: number, truth: Truth): LabelledSet {
  const mine = truth[drum] ?? [];
  const times = mine.map((h) => h.time);
  return { name, drum, kind, time, features, count, label: label(times, time, kind === 'kick' ? 0.015 : 0.01), truth: times, strength: mine.map((h) => h.strength) };
}
