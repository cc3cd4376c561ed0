/**
 * npm run train -- --again FOLDER OUT [near | far], npm run train -- --again FOLDER OUT --onwards KIND ...: learns from made recordings (subfolders of FOLDER) how strokes are judged once their mics are de-bled (core/spill/judge.json):
 * of drums with close mics and of cymbals, or of one of both, the other left in OUT as it is; --onwards: of kinds of drums (kick, snare, hat, tom, crash, ride) from what OUT says of them, which other recordings taught. A minute for each recording of 40 s; what was found is kept beside it. Recordings used for judging must not lie in FOLDER, nor such as the networks of the findings learnt from.
 */
import { existsSync, readFileSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { deserialize, serialize } from 'node:v8';
import { listen } from '../cli/listen';
import { openMics } from '../cli/mics';
import { kindOf } from '../core/hits/kinds';
import { FAR } from '../core/hits/passes';
import { createHand } from '../core/spill/crew';
import { hearAgain } from '../core/spill/hearAgain';
import { kitMic, separate } from '../core/spill/ownImages';
import { FAR_SIGNS, type Judge, MEAN_CERTAINTY, SIGNS, type Weighing } from '../core/spill/judgeAgain';
import { label, readTruth } from './dataset';
import { fitLogistic } from './logistic';

interface Heard {
  /** Kind of a drum with a close mic, or a cymbal's name. */
  readonly kind: string;
  readonly features: Float32Array;
  /** As label() says. */
  readonly labels: readonly number[];
}

/** Raise the number when features are made in another way. */
const CACHE = '.again-6';
/** A stroke may be noticed so much after its first contact, seconds. */
const LATE_S = 0.012;

async function hear(folder: string): Promise<Heard[]> {
  const path = join(folder, CACHE);
  if (existsSync(path)) return deserialize(readFileSync(path)) as Heard[];
  const truth = readTruth(folder);
  const mics = await openMics(folder);
  try {
    const { drums } = await listen(mics, () => {});
    const input = { rate: mics.rate, frames: mics.frames, mics: mics.roles.map(kitMic), readers: mics.roles.map((_, m) => mics.reader(m)), hits: drums, hands: [createHand()] };
    const s = await separate(input);
    const list = s ? await hearAgain(input, s) : [];
    const heard = list.flatMap((h): Heard[] => {
      const kind = kindOf(h.drum);
      return h.features ? [{ kind: kind === 'cymbal' ? h.drum : kind, features: h.features, labels: label((truth[h.drum] ?? []).map((t) => t.time), h.list.map((c) => c.hit.time), LATE_S) }] : [];
    });
    writeFileSync(path, serialize(heard));
    return heard;
  } finally {
    await mics.close();
  }
}

interface Example {
  readonly x: readonly number[];
  readonly y: number;
}

const examplesOf = (list: readonly Heard[], count: number): Example[] =>
  list.flatMap((h) => h.labels.flatMap((y, i) => (y < 0 ? [] : [{ x: Array.from(h.features.subarray(i * count, (i + 1) * count)), y }])));

/** How much evidence it takes to believe anything but both findings alike, and of one kind of drum anything but what all drums say. */
const STRENGTH = { near: { all: 3, kind: 6 }, far: { all: 10, kind: 20 } };
const KINDS = ['kick', 'snare', 'hat', 'tom'];

type Strength = Readonly<Record<'all' | 'kind', number>>;

const round = (v: number) => Number(v.toFixed(5));
const weigh = (examples: readonly Example[], { mean, scale }: Pick<Weighing, 'mean' | 'scale'>, prior: readonly number[], evidence: number, signs: readonly number[]) =>
  fitLogistic({ x: Float64Array.from(examples.flatMap((e) => e.x.map((v, k) => (v - mean[k]) / scale[k]))), y: examples.map((e) => e.y), inputs: signs.length }, prior, evidence, signs);

/** What `before` says, but of the kinds named changed as far as these recordings call for it. */
const learnOn = (heard: readonly Heard[], before: Weighing, kinds: readonly string[], signs: readonly number[], strength: Strength): Weighing => ({
  ...before,
  weights: Object.fromEntries(Object.entries(before.weights).map(([kind, prior]) => [kind, kinds.includes(kind) ? weigh(examplesOf(heard.filter((h) => h.kind === kind), signs.length), before, prior, strength.kind, signs).map(round) : prior])),
});

/** Learns from those of the list that `kinds` name; a sign for each feature. */
function learnWeighing(heard: readonly Heard[], kinds: readonly string[], signs: readonly number[], strength: Strength): Weighing {
  const list = heard.filter((h) => kinds.includes(h.kind));
  const count = signs.length;
  const all = examplesOf(list, count);
  const inputs = Array.from({ length: count }, (_, k) => all.map((e) => e.x[k]));
  const mean = inputs.map((v, k) => (k === MEAN_CERTAINTY ? 0 : v.reduce((a, b) => a + b, 0) / v.length));
  const scale = inputs.map((v, k) => (k === MEAN_CERTAINTY ? 1 : Math.sqrt(v.reduce((a, b) => a + (b - mean[k]) ** 2, 0) / v.length) + 1e-3));
  const by = { mean, scale };
  const pooled = weigh(all, by, Array.from({ length: count + 1 }, (_, k) => (k === MEAN_CERTAINTY ? 1 : 0)), strength.all, signs);
  return { mean: mean.map(round), scale: scale.map(round), weights: Object.fromEntries(kinds.map((kind) => [kind, weigh(examplesOf(list.filter((h) => h.kind === kind), count), by, pooled, strength.kind, signs).map(round)])) };
}

const PARTS: Record<keyof Judge, { kinds: readonly string[]; signs: readonly number[] }> = { near: { kinds: KINDS, signs: SIGNS }, far: { kinds: FAR, signs: FAR_SIGNS } };

const PART_NAMES = ['near', 'far'] as const;

async function main() {
  const [folder, out, ...which] = process.argv.slice(2).filter((a) => !a.startsWith('--'));
  const onwards = process.argv.includes('--onwards');
  const known: readonly string[] = onwards ? [...KINDS, ...FAR] : PART_NAMES;
  if (!folder || !out || (onwards ? which.length === 0 : which.length > 1) || which.some((w) => !known.includes(w)))
    throw new Error(`Say which folder holds the recordings, which file to write, and ${onwards ? 'of which kinds to learn on' : 'near or far for one part of it'}: npm run train -- --again FOLDER OUT ${onwards ? '--onwards' : ''} [${known.join(' | ')}]`);
  const names = readdirSync(folder).filter((n) => existsSync(join(folder, n, 'kit.json'))).sort((a, b) => a.localeCompare(b, 'en', { numeric: true }));
  const heard: Heard[] = [];
  for (const [i, n] of names.entries()) {
    heard.push(...(await hear(join(folder, n))));
    process.stderr.write(`\rheard ${i + 1} of ${names.length}   `);
  }
  process.stderr.write('\n');
  const before = which.length ? (JSON.parse(readFileSync(out, 'utf8')) as Judge) : null;
  const learn = (part: (typeof PART_NAMES)[number]): Weighing => {
    const { kinds, signs } = PARTS[part];
    if (before && onwards) return learnOn(heard, before[part], which, signs, STRENGTH[part]);
    return before && !which.includes(part) ? before[part] : learnWeighing(heard, kinds, signs, STRENGTH[part]);
  };
  const judge: Judge = { near: learn('near'), far: learn('far') };
  writeFileSync(out, `${JSON.stringify(judge)}\n`);
}

await main();
