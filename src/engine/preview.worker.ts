/**
 * Runs the gate of one mic over the whole song, off the page's thread, each time a setting moves: what is drawn is what the very
 * processors do. Detector and gain are apart, so that a moved threshold only runs the second.
 */
import { createDebleedMix } from '../core/clean/debleedMix';
import { createGaps } from '../core/clean/gaps';
import { marksOver } from '../core/clean/marks';
import { createDetector } from '../core/clean/detector';
import { createHitKey } from '../core/clean/hitKey';
import { dbToGain } from '../core/dsp/db';
import { createLoudness } from '../core/dsp/loudness';
import { findCandidates } from '../core/hits/candidates';
import { createHitKernels } from '../core/kernels/hitKernels';
import { pickOnsets } from '../core/hits/pickOnset';
import { pyramid } from '../core/dsp/peaks';
import { spectrogram } from '../core/dsp/spectrogram';
import { gateGains, gateOverview, heardPeaks } from '../core/measure/gateOverview';
import { debleedFigures } from '../core/measure/debleedFigures';
import { attackLevels, strokeFigures } from '../core/measure/strokeFigures';
import { createSliceStage } from '../core/clean/sliceStage';
import { createClosings } from '../core/clean/closingStage';
import { createParts } from '../core/clean/partsStage';
import { DAMPED_BLOCK, type DampedMic, createDampedMic } from '../core/clean/dampedMic';
import type { LiveTail } from '../core/clean/tailStage';
import { gateLatency } from '../core/clean/gate';
import { type MicAudio, type Overlay, blockCount, fetchBlocks, layOver } from './blocks';
import { BLOCK_FRAMES } from './protocol';
import type { PreviewRequest, TilesRequest, MarksRequest, SpectrumRequest, LoudnessRequest, LoudnessResult, DetailRequest, FromPreview } from './previewProtocol';

const held = new Map<string, Float32Array>();
let power: { name: string; data: Float64Array } | null = null;
let last: { raw: Float32Array; audio: Float32Array; gain: Float32Array; out: number; rate: number; damped: DampedMic | null; own: readonly number[]; rungOut: number } | null = null;
let newest = 0;

const post = (m: FromPreview, transfer: Transferable[] = []) => (self as unknown as Worker).postMessage(m, transfer);

/** Blocks that are fetched at once. */
const RUN = 16;
/** Samples that stay held when they are not in use, 400 MB: who goes back and forth between mics need not wait again. */
const MOST_HELD = 100e6;

const nameOf = (a: MicAudio) => `${a.content}/${a.channel}`;

/** The whole mic; held from then on, while others are used or there is room. Throws where `stop` says so. */
async function load(a: MicAudio, frames: number, inUse: readonly string[], progress: (done: number) => void = () => {}, stop = new AbortController()): Promise<Float32Array> {
  const name = nameOf(a);
  const known = held.get(name);
  held.delete(name);
  if (known && known.length === frames) {
    held.set(name, known);
    return known;
  }
  makeRoom(frames, inUse);
  const out = new Float32Array(frames);
  const count = blockCount(a);
  let done = 0;
  let next = 0;
  const fetchRuns = async () => {
    while (next < count) {
      const seq = next;
      next += RUN;
      const run = await fetchBlocks(a, seq, Math.min(RUN, count - seq), stop.signal);
      out.set(run.subarray(0, frames - seq * BLOCK_FRAMES), seq * BLOCK_FRAMES);
      done += Math.min(RUN, count - seq);
      progress(done / count);
    }
  };
  try {
    await Promise.all(Array.from({ length: 4 }, fetchRuns));
  } catch (e) {
    stop.abort();
    throw e;
  }
  held.set(name, out);
  return out;
}

/** Lets go what was used longest ago and is not in use, until so many samples more are no more than may be held. */
function makeRoom(frames: number, inUse: readonly string[]): void {
  let all = frames + [...held.values()].reduce((n, x) => n + x.length, 0);
  for (const [name, x] of held) {
    if (all <= MOST_HELD) break;
    if (inUse.includes(name)) continue;
    held.delete(name);
    all -= x.length;
  }
}

/** Power of the key over the whole song; kept while key and filter stay. */
function detect(r: PreviewRequest, key: Float32Array): Float64Array {
  if (r.gate.keyBy === 'hits') {
    const data = power?.data.length === key.length ? power.data : new Float64Array(key.length);
    const hitKey = createHitKey(r.rate);
    hitKey.set(r.hits, r.gate);
    hitKey.fill(data, 0, data.length, 0);
    power = { name: '', data };
    return data;
  }
  const { keyHpHz, keyHpSlope, keyLpHz, keyLpSlope, detector } = r.gate;
  const name = JSON.stringify([r.key.content, r.key.channel, r.keyDebleed, r.frames, keyHpHz, keyHpSlope, keyLpHz, keyLpSlope, detector]);
  if (power?.name === name) return power.data;
  const data = power?.data.length === key.length ? power.data : new Float64Array(key.length);
  createDetector(r.rate, r.gate).process(key, data, 0, key.length);
  power = { name, data };
  return data;
}

let transients: { name: string; frames: readonly number[] } | null = null;
/** Rises of at least this much, dB, count as transients when one steps through a mic. */
const STEP_DB = 9;

function transientsOf(mic: MicAudio, audio: Float32Array, rate: number): readonly number[] {
  const name = `${mic.content}/${mic.channel}`;
  if (transients?.name !== name) {
    const kernels = createHitKernels();
    kernels.load(audio);
    const found = findCandidates(kernels, rate, [1, 2, 3, 4, 5, 6], STEP_DB);
    transients = { name, frames: Array.from(pickOnsets(audio, rate, found.time, [100, 14000]), (t) => Math.round(t * rate)).sort((a, b) => a - b) };
  }
  return transients.frames;
}

const imagesOf = (d: PreviewRequest['debleed']) => (d?.live.left ?? []).flatMap(({ source }) => (d?.kept.images[source] ? [{ source, audio: d.kept.images[source] }] : []));

/** What a request needs to be fetched. */
const soundsFor = (r: PreviewRequest): MicAudio[] =>
  [r.mic, r.key, r.debleed?.kept.own, r.keyDebleed?.kept.own, ...[r.debleed, r.keyDebleed].flatMap((d) => imagesOf(d).map((x) => x.audio))].flatMap((a) => (a ? [a] : []));

/** What is on its way for the request that is worked on. */
let coming: { readonly name: string; readonly stop: AbortController } | null = null;

async function analyse(r: PreviewRequest) {
  const abandoned = () => r.id !== newest;
  const wanted = soundsFor(r);
  const sounds = new Map<string, Float32Array>();
  const missing = new Map(wanted.map((a) => [nameOf(a), a]));
  for (const name of missing.keys()) if (held.get(name)?.length === r.frames) missing.delete(name);
  const count = missing.size;
  for (const a of wanted) {
    const part = count - missing.size;
    const stop = new AbortController();
    coming = { name: nameOf(a), stop };
    try {
      sounds.set(nameOf(a), await load(a, r.frames, wanted.map(nameOf), (done) => post({ type: 'loading', id: r.id, done: (part + done) / count }), stop));
    } catch (e) {
      if (abandoned()) return;
      throw e;
    } finally {
      coming = null;
    }
    missing.delete(nameOf(a));
  }
  const sound = (a: MicAudio) => sounds.get(nameOf(a)) as Float32Array;
  const debled = (mic: MicAudio, d: PreviewRequest['debleed']) => {
    const raw = sound(mic);
    if (!d) return raw;
    const images = new Map(imagesOf(d).map(({ source, audio }) => [source, sound(audio)]));
    const out = new Float32Array(raw.length);
    const mix = createDebleedMix(r.rate);
    mix.set(d.live);
    mix.process(raw, sound(d.kept.own), (s) => images.get(s) ?? null, out, raw.length, 0);
    return out;
  };
  const audio = debled(r.mic, r.debleed);
  const key = nameOf(r.mic) === nameOf(r.key) ? audio : debled(r.key, r.keyDebleed);
  if (abandoned()) return;
  const pw = detect(r, key);
  const gain = last?.gain.length === r.frames ? last.gain : new Float32Array(r.frames);
  gateGains(r.rate, r.gate, pw, gain);
  createGaps(r.rate, r.gaps).apply(gain, 0, gain.length, 0);
  applySlices(r, audio, gain);
  const raw = sound(r.mic);
  const transients = r.transients ? transientsOf(r.mic, raw, r.rate) : undefined;
  const debleed = r.debleed ? debleedFigures(r.rate, raw, audio, r.own, r.rungOut) : null;
  const out = r.gate.on ? dbToGain(r.gate.outputDb) : 1;
  const shaped = shape(r, audio);
  const damped = r.tail ? dampedOf(r, r.tail, shaped) : null;
  last = { raw, audio: shaped, gain, out, rate: r.rate, damped, own: r.own, rungOut: r.rungOut };
  const v = gateOverview(shaped, gain, pw, out);
  const gains = pyramid(v.gain);
  const strokes = strokeFigures(r.rate, audio, gain, r.own);
  const attacks = { hits: r.own, levels: attackLevels(r.rate, raw, audio, gain, r.own) };
  const tell = () => post({ type: 'preview', id: r.id, clean: pyramid(damped ? heardPeaks(damped.audio, gain, out) : v.clean), gain: gains, level: v.level, figures: v.figures, strokes, attacks, debleed, transients });
  tell();
  const waits = damped?.waiting(gain) ?? [];
  let since = performance.now();
  for (const at of waits) {
    damped?.reach(at, at + DAMPED_BLOCK);
    if (performance.now() - since < BREATH_MS) continue;
    // let newer requests in
    await new Promise((done) => setTimeout(done, 0));
    if (abandoned()) return;
    since = performance.now();
  }
  if (waits.length) tell();
}

/** Other requests wait no longer than this while tails are damped. */
const BREATH_MS = 30;

let dampedFor: { asked: string; damped: DampedMic } | null = null;
function dampedOf(r: PreviewRequest, tail: LiveTail, audio: Float32Array): DampedMic {
  const asked = JSON.stringify([r.mic.content, r.mic.channel, r.debleed, r.parts, r.closings, tail]);
  if (dampedFor?.asked !== asked || dampedFor.damped.audio.length !== audio.length) dampedFor = { asked, damped: createDampedMic(r.rate, tail, audio) };
  return dampedFor.damped;
}

/** Attack and note parts and closing low-passes over the whole mic; the gate comes before them when rendering, its ramps a little rounder here. */
let shapedOf: { asked: string; out: Float32Array } | null = null;
function shape(r: PreviewRequest, audio: Float32Array): Float32Array {
  if (!r.parts && r.closings.length === 0) return audio;
  const asked = JSON.stringify([r.mic.content, r.mic.channel, r.debleed?.live, r.parts, r.closings]);
  if (shapedOf?.asked === asked && shapedOf.out.length === audio.length) return shapedOf.out;
  let out = audio;
  if (r.parts) {
    const stage = createParts(r.rate);
    stage.set(r.parts);
    const wide = new Float32Array(audio.length + stage.latency);
    wide.set(audio);
    stage.process(wide, 0, wide.length, -stage.latency);
    out = wide.subarray(stage.latency);
  } else out = audio.slice();
  const closings = createClosings(r.rate);
  closings.set(r.closings);
  closings.process(out, 0, out.length, 0);
  shapedOf = { asked, out };
  return out;
}

/** The very stage that renders, fed in blocks as rendering feeds it. */
function applySlices(r: PreviewRequest, audio: Float32Array, gain: Float32Array) {
  if (!r.slices) return;
  const stage = createSliceStage(r.rate);
  stage.set(r.slices);
  const ahead = gateLatency(r.rate);
  for (let at = 0; at < audio.length + ahead; at += BLOCK) {
    const heard = Math.min(BLOCK, audio.length - at);
    if (heard > 0) stage.hear(audio, at, heard, at);
    const from = Math.max(0, at - ahead);
    const to = Math.min(audio.length, at + BLOCK - ahead);
    if (to > from) stage.apply(gain, from, to - from, from);
  }
}
const BLOCK = 4096;

/** Cleaned samples of a stretch. Tail damping comes before gate and slices here, when rendering after the gate: its ramps are drawn up to 10 ms apart, no more. */
function detailOf(from: number, to: number): Float32Array {
  const { audio, gain, out, damped } = last as NonNullable<typeof last>;
  damped?.reach(from, to);
  const x = damped?.audio ?? audio;
  const y = new Float32Array(to - from);
  for (let i = from; i < to; i++) y[i - from] = x[i] * gain[i] * out;
  return y;
}

let rawLoudness: { raw: Float32Array; lufs: number | null; heardIn: number[] } | null = null;
/** All over the blocks in which the mic is heard as it came: with the spill gone between strokes, the strokes alone would pass for louder. */
function loudnessOf(): Pick<LoudnessResult, 'lufs' | 'whole'> {
  if (!last) return { lufs: { before: null, after: null, removed: null }, whole: { gapsDb: null, tailsDb: null, attackDb: null } };
  const { raw, rate, own, rungOut } = last;
  const all = detailOf(0, raw.length);
  const [before, after, removed] = [createLoudness(rate), createLoudness(rate), createLoudness(rate)];
  const fresh = rawLoudness?.raw !== raw;
  const rest = new Float32Array(BLOCK);
  for (let at = 0; at < raw.length; at += BLOCK) {
    const n = Math.min(BLOCK, raw.length - at);
    const kept = all.subarray(at, at + n);
    for (let i = 0; i < n; i++) rest[i] = raw[at + i] - kept[i];
    if (fresh) before.push(raw.subarray(at, at + n), n);
    after.push(kept, n);
    removed.push(rest, n);
  }
  if (fresh) rawLoudness = { raw, lufs: before.integrated(), heardIn: before.heardIn() };
  const at = rawLoudness?.heardIn;
  return { lufs: { before: rawLoudness?.lufs ?? null, after: after.integrated(at), removed: removed.integrated(at) }, whole: debleedFigures(rate, raw, all, own, rungOut) };
}

function tilesOf(r: TilesRequest): Float32Array {
  const out = new Float32Array(r.frames.length * r.columns * 2);
  const audio = last?.audio;
  if (!audio) return out;
  const per = (r.before + r.after) / r.columns;
  r.frames.forEach((f, k) => {
    for (let c = 0; c < r.columns; c++) {
      const a = Math.max(0, Math.round(f - r.before + c * per));
      const b = Math.min(audio.length, Math.round(f - r.before + (c + 1) * per));
      let [lo, hi] = [0, 0];
      for (let i = a; i < b; i++) {
        if (audio[i] < lo) lo = audio[i];
        if (audio[i] > hi) hi = audio[i];
      }
      out[2 * (k * r.columns + c)] = lo;
      out[2 * (k * r.columns + c) + 1] = hi;
    }
  });
  return out;
}

function spectrumOf(r: SpectrumRequest): Uint8Array | null {
  if (!last) return null;
  const { raw, rate } = last;
  const part = (at: number, n: number) => {
    const out = new Float32Array(n);
    const [a, z] = [Math.max(0, at), Math.min(raw.length, at + n)];
    if (z <= a) return out;
    if (r.what !== 'after') out.set(raw.subarray(a, z), a - at);
    if (r.what !== 'before') {
      const clean = detailOf(a, z);
      for (let i = a; i < z; i++) out[i - at] = r.what === 'after' ? clean[i - a] : out[i - at] - clean[i - a];
    }
    return out;
  };
  return spectrogram(part, rate, r.from, r.to, r.columns, r.rows);
}

/** Requests that came while one was running: only the newest counts. */
let waiting: PreviewRequest | null = null;
let running = false;

async function work() {
  if (running) return;
  running = true;
  while (waiting) {
    const r: PreviewRequest = waiting;
    waiting = null;
    try {
      await analyse(r);
    } catch (e) {
      post({ type: 'failed', id: r.id, message: e instanceof Error ? e.message : String(e) });
    }
    // let newer requests in
    await new Promise((done) => setTimeout(done, 0));
  }
  running = false;
}

self.onmessage = (e: MessageEvent<PreviewRequest | DetailRequest | TilesRequest | MarksRequest | SpectrumRequest | LoudnessRequest | { type: 'overlay'; overlay: Overlay }>) => {
  const m = e.data;
  if (m.type === 'overlay') layOver(m.overlay);
  else if (m.type === 'analyse') {
    newest = m.id;
    waiting = m;
    // what the newest does not need is not waited for
    if (coming && !soundsFor(m).map(nameOf).includes(coming.name)) coming.stop.abort();
    void work();
  } else if (m.type === 'tiles') {
    const peaks = tilesOf(m);
    post({ type: 'tiles', id: m.id, peaks }, [peaks.buffer]);
  } else if (m.type === 'spectrum') {
    const levels = spectrumOf(m);
    post({ type: 'spectrum', id: m.id, levels }, levels ? [levels.buffer] : []);
  } else if (m.type === 'loudness') post({ type: 'loudness', id: m.id, ...loudnessOf() });
  else if (m.type === 'marks') {
    // of any mic, not only the one in view; what is held stays
    load(m.mic, m.mic.frames, [...held.keys()])
      .then((audio) => post({ type: 'marks', id: m.id, marks: marksOver(audio, m.rate, m.openDb, m.closeDb) }))
      .catch((e) => post({ type: 'marks', id: m.id, marks: null, message: e instanceof Error ? e.message : String(e) }));
  } else if (last) {
    const from = Math.max(0, m.from);
    const to = Math.min(last.gain.length, m.to);
    const gain = last.gain.slice(from, to);
    const clean = detailOf(from, to);
    post({ type: 'detail', id: m.id, from, clean, gain });
  }
};
