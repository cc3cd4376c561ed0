/**
 * npm run figures -- --stages OUT FOLDER ...: what each way of cleaning makes of made recordings, from nothing to all of it, with a level gate and an ideal mask beside them: the first table of docs/debleed.md.
 * What the program does by itself is taken from OUT/NAME.json, which `npm run figures -- OUT FOLDER ...` writes first; the rest goes to OUT/stages/NAME.json.
 */
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { clean } from '../cli/clean';
import { proposeFolder } from '../cli/debleed';
import { listen, onMics } from '../cli/listen';
import { measureClean, truthOfMics } from '../cli/measure';
import { openMics } from '../cli/mics';
import { lateMics } from '../core/hits/analyse';
import { idealMask } from '../core/measure/idealMask';
import { type CleanScore, type CleanTruth, scoreClean } from '../core/measure/scoreClean';
import { liveTreatment } from '../core/plan/live';
import { NO_TREATMENT, createPlan } from '../core/plan/plan';
import { renderMics } from '../core/render';
import { separate } from '../core/spill/ownImages';
import { CLEAN_HEAD, cleanRow, isTomMic } from './tables';

type Scores = Readonly<Record<string, CleanScore>>;

/** Thresholds that the level gate is tried with, dB, and how it opens and closes. */
const THRESHOLDS = Array.from({ length: 19 }, (_, i) => -60 + 3 * i);
const LEVEL_GATE = { ...NO_TREATMENT.gate, on: true, attackMs: 1, lookaheadMs: 2, holdMs: 60, releaseMs: 250, hysteresisDb: 12 };

/** How much of `x` is the truth, whatever its level: SI-SDR rises with it. */
function likeness(x: Float32Array, truth: Float32Array): number {
  let [xt, xx, tt] = [0, 1e-20, 1e-20];
  for (let i = 0; i < x.length; i++) {
    xt += x[i] * truth[i];
    xx += x[i] * x[i];
    tt += truth[i] * truth[i];
  }
  return (xt * xt) / (xx * tt);
}

/** A level gate at the threshold that happens to give the best SI-SDR. */
async function bestGate(ref: CleanTruth): Promise<CleanScore> {
  const plan = createPlan(ref.rate, [{ file: 'x.wav', channel: 0, channels: 1, frames: ref.raw.length }]);
  const [id] = plan.order;
  let best = ref.raw;
  for (const thresholdDb of THRESHOLDS) {
    const treated = { ...plan, mics: { [id]: { ...plan.mics[id], treatment: { ...NO_TREATMENT, gate: { ...LEVEL_GATE, thresholdDb } } } } };
    const out = new Float32Array(ref.raw.length);
    let at = 0;
    await renderMics({
      rate: ref.rate, frames: out.length, ids: [id], treatments: [liveTreatment(treated, id)], wanted: [0],
      readers: [{ read: (from, into) => { into.fill(0); into.set(ref.raw.subarray(from, from + into.length)); } }],
      write: (_, x) => { out.set(x.subarray(0, out.length - at), at); at += x.length; },
    });
    if (likeness(out, ref.truth) > likeness(best, ref.truth)) best = out;
  }
  return scoreClean(ref, best);
}

/** The spatial model alone: what other mics explain is taken out, nothing else. */
async function byModel(folder: string): Promise<Record<string, Float32Array>> {
  const mics = await openMics(folder);
  try {
    const a = await listen(mics, () => {});
    const s = await onMics(separate, mics, mics.roles, { hits: a.drums, late: lateMics(a.spill) }, () => {});
    return Object.fromEntries((s?.targets ?? []).map(([m], q) => [mics.files[m], s?.images[q] as Float32Array]));
  } finally {
    await mics.close();
  }
}

async function stagesOf(folder: string, out: string): Promise<Record<string, Scores>> {
  const truth = join(folder, 'truth');
  const target = join(out, `${basename(folder)}-cut`);
  await clean({ folder, out: target, only: 'cut', encoding: 'float32', proposal: await proposeFolder({ folder, plain: true, progress() {} }), progress() {} });
  const cut = (await measureClean(folder, target, truth)).mics;
  rmSync(target, { recursive: true });
  const images = await byModel(folder);
  const [gate, model, mask]: Record<string, CleanScore>[] = [{}, {}, {}];
  for await (const { name, ref } of truthOfMics(folder, truth)) {
    gate[name] = await bestGate(ref);
    if (images[name]) model[name] = scoreClean(ref, images[name]);
    mask[name] = scoreClean(ref, idealMask(ref.raw, ref.truth));
  }
  return { gate, cut, model, mask };
}

const WORDS: readonly (readonly [string, string])[] = [
  ['untouched', 'untouched'], ['gate', 'a level gate, best in hindsight'], ['cut', 'gates and slices on the raw mics (`--only cut`)'], ['model', 'spatial model alone'], ['debleed', "and each drum's own decay (`--only debleed`)"],
  ['proposed', 'proposed: and gates, slices'], ['mask', 'an ideal ratio mask, made with the truth'],
];

/** Measures what is not measured yet and prints the table over the folders. */
export async function printStages(out: string, folders: readonly string[]): Promise<void> {
  const missing = folders.filter((f) => !existsSync(join(out, `${basename(f)}.json`)));
  if (missing.length) throw new Error(`Measure these first: npm run figures -- ${out} ${missing.join(' ')}`);
  mkdirSync(join(out, 'stages'), { recursive: true });
  const all: Record<string, Scores>[] = [];
  for (const folder of folders) {
    const path = join(out, 'stages', `${basename(folder)}.json`);
    if (!existsSync(path)) writeFileSync(path, JSON.stringify(await stagesOf(folder, out)));
    process.stderr.write(`${basename(folder)}\n`);
    const read = (p: string) => JSON.parse(readFileSync(p, 'utf8'));
    all.push({ ...read(path), ...read(join(out, `${basename(folder)}.json`)).mics });
  }
  for (const [head, of] of [['All close mics', () => true], ['Toms', isTomMic]] as const) {
    const lines = WORDS.map(([way, words]) => cleanRow(words, all.flatMap((s) => Object.entries(s[way]).flatMap(([mic, x]) => (of(mic) ? [x] : [])))));
    process.stdout.write(`\n${head}\n\n${[CLEAN_HEAD, ...lines].join('\n')}\n`);
  }
}
