/**
 * Ties the open recording to its sound: one transport, one preview worker. The heard place moves 40 times a second and lives outside
 * the page's state; whoever draws it asks `heardAt()` in an animation frame.
 */
import { roleOf } from '../../core/plan/roles';
import { FreshGapError } from '../../core/errors';
import type { MixHop } from '../../core/dsp/mixLoudness';
import { liveTreatment } from '../../core/plan/live';
import { listHits, thresholdOf } from '../../core/plan/planHits';
import { rungOutS } from '../../core/measure/debleedFigures';
import { NO_TREATMENT, type Plan } from '../../core/plan/plan';
import { DEBLEED_DEFAULTS } from '../../core/params/debleedParams';
import type { DetailResult, FromPreview, LoudnessResult, MarksResult, PreviewRequest, SpectrumResult, TilesResult } from '../../engine/previewProtocol';
import { layOver, overlaid } from '../../engine/blocks';
import PreviewWorker from '../../engine/preview.worker.ts?worker';
import { createKitLoudness, toEven } from '../../engine/kitLoudness';
import type { KitState, Listen, Monitor } from '../../engine/protocol';
import { type Transport, type TransportMic, createTransport, renderOffline } from '../../engine/transport';
import { type Bench, useBench } from './store';

const { getState: get, setState: set } = useBench;

let transport: Transport | null = null;
let worker: Worker | null = null;
let mics: TransportMic[] = [];
let place = { frame: 0, at: 0 };
/** Peaks as last told, falling when nothing comes: linear, by mic, and left and right. */
export const meters = { mics: new Map<string, number>(), out: [0, 0] as [number, number] };
let reportError: (e: unknown) => void = () => {};

/** Mics of the recording with where their audio lies, in the plan's order. */
export function transportMics(s: Pick<Bench, 'data' | 'plan'>): TransportMic[] {
  const { data, plan } = s;
  if (!data || !plan) return [];
  return plan.order.map((id) => {
    const file = data.files.find((f) => f.micIds.includes(id));
    if (!file) throw new Error(`No file for mic ${id}`);
    const kept = data.debled[id];
    const computed = (content: string) => ({ content, channel: 0, frames: file.frames });
    const images = Object.fromEntries(Object.entries(data.images[id] ?? {}).map(([source, content]) => [source, computed(content)]));
    return { id, content: file.content, channel: plan.mics[id].channel, frames: file.frames, kept: kept ? computed(kept.content) : null, images };
  });
}

type Evened = Pick<Bench, 'focus' | 'listen' | 'alone' | 'keyListen' | 'hearPart' | 'equal' | 'louder' | 'kitLouder'>;
const evens = (s: Evened): boolean => s.equal && !s.keyListen && s.hearPart === 'both';
/** By what each way of hearing is turned up for equal loudness, dB: of the focused mic alone, or of the whole kit. Null where that is not known. */
export const louderBy = (s: Evened): Record<Listen, number> | null => (s.alone ? (s.louder?.micId === s.focus ? s.louder.db : null) : s.kitLouder);
/** How much louder than planned all that is heard is, for equal loudness, dB. */
export const evenedDb = (s: Evened): number => (evens(s) ? (louderBy(s)?.[s.listen] ?? 0) : 0);

/** Who is heard how loud: level, pan, solo, mute; or the focused mic alone in the middle. */
export function monitorOf(s: Evened & Pick<Bench, 'plan' | 'solo' | 'muted' | 'monitorDb'>): Monitor {
  const plan = s.plan as Plan;
  const master = 10 ** (s.monitorDb / 20);
  const gains = plan.order.map((id) => {
    const { levelDb, pan } = plan.mics[id].mix;
    const level = master * 10 ** (levelDb / 20);
    if (s.alone) return id === s.focus ? { left: level * Math.SQRT1_2, right: level * Math.SQRT1_2 } : { left: 0, right: 0 };
    const silent = s.muted.has(id) || (s.solo.size > 0 && !s.solo.has(id));
    if (silent || levelDb <= -60) return { left: 0, right: 0 };
    // equal power: 3 dB down in the middle
    const a = ((pan + 1) * Math.PI) / 4;
    return { left: level * Math.cos(a), right: level * Math.sin(a) };
  });
  return { listen: s.listen, evenBy: 10 ** (evenedDb(s) / 20), weigh: evens(s) && !s.alone, keyOf: s.keyListen ? plan.order.indexOf(s.focus) : -1, gains, partOf: s.hearPart === 'both' ? -1 : plan.order.indexOf(s.focus), part: s.hearPart };
}

function onState(k: KitState) {
  place = { frame: k.position, at: performance.now() };
  const plan = get().plan;
  for (const [i, id] of (plan?.order ?? []).entries()) meters.mics.set(id, Math.max(k.peaks[i] ?? 0, (meters.mics.get(id) ?? 0) * 0.86));
  meters.out = [Math.max(k.out[0], meters.out[0] * 0.86), Math.max(k.out[1], meters.out[1] * 0.86)];
  const s = get();
  if (k.hops.length > 0) evenKit(k.hops);
  if (s.playing !== k.playing || s.buffering !== k.buffering) set({ playing: k.playing, buffering: k.buffering });
}

/** Frame heard now: the last one told, carried on by the clock between tellings. */
export function heardAt(): number {
  const s = get();
  if (!s.playing || s.buffering) return place.frame;
  const rate = s.data?.recording.sampleRate ?? 48000;
  const f = place.frame + (Math.min(100, performance.now() - place.at) / 1000) * rate;
  return s.loopOn && s.loop && f >= s.loop.to && place.frame < s.loop.to ? s.loop.from + (f - s.loop.to) : f;
}

/** Moves the heard place; while playing, playing goes on there. */
export function goTo(frame: number): void {
  const frames = get().data?.recording.frames ?? 0;
  place = { frame: Math.min(Math.max(0, Math.round(frame)), frames), at: performance.now() };
  if (get().playing) void transport?.play(place.frame).catch(reportError);
}

export function togglePlay(): void {
  const s = get();
  if (s.playing) {
    transport?.pause();
    set({ playing: false });
    return;
  }
  const { loop, loopOn } = s;
  let at = place.frame;
  if (loopOn && loop && (at < loop.from || at >= loop.to)) at = loop.from;
  if (at >= (s.data?.recording.frames ?? 0) - 1) at = 0;
  place = { frame: at, at: performance.now() };
  set({ playing: true, buffering: true });
  transport?.play(at).catch((e) => {
    set({ playing: false, buffering: false });
    reportError(e);
  });
}

// ---- preview -----------------------------------------------------------------------------------------------------------------

let previewId = 0;
let lastAsked = '';
let detailId = 0;
const details = new Map<number, (d: DetailResult) => void>();

let strokesOf: { list: unknown; threshold: number; frames: readonly number[] } = { list: null, threshold: 0, frames: [] };
/** Frames of what counts as strokes of the mic's own drum. */
function ownStrokes(plan: Plan, id: string): readonly number[] {
  const drum = roleOf(plan.mics[id].role).drum;
  const list = drum ? (plan.hits[drum] ?? null) : null;
  const threshold = drum ? thresholdOf(plan, drum) : 0;
  if (strokesOf.list !== list || strokesOf.threshold !== threshold) strokesOf = { list, threshold, frames: drum ? listHits(plan, drum).map((h) => h.frame) : [] };
  return strokesOf.frames;
}

/** What the worker is asked of a mic: how it sounds with its treatment, and figures; null where the recording is not open. */
export function previewRequest(s: Pick<Bench, 'plan' | 'data'>, id: string, transients = false): Omit<PreviewRequest, 'id'> | null {
  const mic = s.plan?.mics[id];
  const rate = s.data?.recording.sampleRate;
  const own = mics.find((m) => m.id === id);
  const key = mics.find((m) => m.id === mic?.treatment.gate.keyFrom) ?? own;
  if (!mic || !rate || !own || !key) return null;
  const live = liveTreatment(s.plan as Plan, id);
  const debleedOf = (m: TransportMic) => {
    const d = liveTreatment(s.plan as Plan, m.id).debleed;
    return d && m.kept ? { live: d, kept: { own: m.kept, images: m.images } } : null;
  };
  return { type: 'analyse', rate, frames: own.frames, mic: own, key, debleed: debleedOf(own), keyDebleed: debleedOf(key), gate: mic.treatment.gate, hits: live.hits, gaps: live.gapList, slices: live.slices, tail: live.tail, parts: live.parts, closings: live.closings, own: ownStrokes(s.plan as Plan, id), rungOut: rungOutS(mic.ring), transients };
}

function askPreview(s: Bench) {
  if (!worker) return;
  const request = previewRequest(s, s.focus, s.stepping);
  if (!request) return;
  const asked = JSON.stringify(request);
  if (asked === lastAsked) return;
  lastAsked = asked;
  if (s.preview && s.preview.micId !== s.focus) set({ preview: null });
  worker.postMessage({ ...request, id: ++previewId });
}

function onPreview(m: FromPreview) {
  if (m.type === 'detail') {
    details.get(m.id)?.(m);
    details.delete(m.id);
  } else if (m.type === 'tiles' || m.type === 'marks' || m.type === 'spectrum' || m.type === 'loudness') {
    answers.get(m.id)?.(m);
    answers.delete(m.id);
  } else if (m.type === 'loading') {
    if (m.id === previewId) set({ previewLoading: m.done });
  } else if (m.type === 'failed') {
    lastAsked = '';
    set({ previewLoading: null });
    reportError(new Error(m.message));
  } else {
    const micId = get().focus;
    if (m.id === previewId) set({ previewLoading: null });
    // results of an older setting are shown until the newest comes; those of another mic are not
    if (m.id === previewId || get().preview?.micId === micId) {
      set((s) => ({ preview: { micId, clean: m.clean, gain: m.gain, level: m.level, figures: m.figures, strokes: m.strokes, attacks: m.attacks, debleed: m.debleed, transients: m.transients ?? (s.preview?.micId === micId ? s.preview.transients : undefined), turn: (s.preview?.turn ?? 0) + 1 } }));
    }
  }
}

/** Cleaned samples and gain of a stretch of the focused mic, as the last preview has them. */
export function askDetail(from: number, to: number): Promise<DetailResult> {
  const id = ++detailId;
  return new Promise((resolve) => {
    details.clear();
    details.set(id, resolve);
    worker?.postMessage({ type: 'detail', id, from, to });
  });
}

type Answer = TilesResult | MarksResult | SpectrumResult | LoudnessResult;
const answers = new Map<number, (m: Answer) => void>();
const ask = <T extends Answer>(request: Record<string, unknown>): Promise<T> => {
  const id = ++detailId;
  return new Promise((resolve) => {
    answers.set(id, (m) => resolve(m as T));
    worker?.postMessage({ ...request, id });
  });
};

/** Raw min/max columns round hits of the focused mic. */
export const askTiles = (frames: readonly number[], before: number, after: number, columns: number): Promise<TilesResult> => ask({ type: 'tiles', frames, before, after, columns });

/** Picture of the focused mic over frames `from` to `to`; null while it is being read. */
export const askSpectrum = (what: Listen, from: number, to: number, columns: number, rows: number): Promise<SpectrumResult> => ask({ type: 'spectrum', what, from, to, columns, rows });

const REST_MS = 250;
let evening: ReturnType<typeof setTimeout> | undefined;
/** Measures how much louder the focused mic has to be after, and what is taken of it, to sound as loud as before; once settings rest. */
function even(): void {
  clearTimeout(evening);
  evening = setTimeout(() => {
    const micId = get().focus;
    void ask<LoudnessResult>({ type: 'loudness' }).then(({ lufs }) => {
      if (get().preview?.micId !== micId) return;
      set({ louder: { micId, db: { before: 0, after: toEven(lufs.before, lufs.after), removed: toEven(lufs.before, lufs.removed) } } });
    });
  }, REST_MS);
}

const kit = createKitLoudness();
/** Steps of the kit's loudness that are not worth one, dB. */
const STEADY_DB = 0.05;
/** Takes what was heard of the kit just now. What was told before counts until enough of it is known. */
function evenKit(hops: readonly MixHop[]): void {
  const s = get();
  if (s.alone) return;
  kit.hear(hops);
  const now = kit.even(s.data?.recording.sampleRate ?? 48000, s.loopOn ? s.loop : null);
  const moved = now && (['after', 'removed'] as const).some((what) => Math.abs(now[what] - (s.kitLouder?.[what] ?? Number.POSITIVE_INFINITY)) > STEADY_DB);
  if (moved) set({ kitLouder: now });
}

/** What a drum (or the rest) adds to a mic in a stretch of up to 12 s, computed while one waits. Throws what the server says. */
export async function fetchImage(micId: string, source: string, from: number, to: number): Promise<{ samples: Float32Array; quick: boolean }> {
  const q = new URLSearchParams({ mic: micId, source, from: String(Math.round(from)), to: String(Math.round(to)) });
  const res = await fetch(`/bulk/recordings/${get().id}/listen?${q}`);
  if (!res.ok) {
    const e = (await res.json().catch(() => null))?.error;
    throw new FreshGapError(e?.code ?? 'INTERNAL', e?.message ?? `The server answered ${res.status}.`);
  }
  return { samples: new Float32Array(await res.arrayBuffer()), quick: res.headers.get('x-learnt') !== 'whole' };
}

/** De-bleed of a mic in a stretch alone, until that of the song is there: elsewhere the mic stays as it came. */
export async function debleedStretch(micId: string, from: number, to: number): Promise<void> {
  const drum = roleOf(get().plan?.mics[micId]?.role ?? 'other').drum;
  const mic = mics.find((m) => m.id === micId);
  if (!drum || !mic) return;
  const { samples } = await fetchImage(micId, drum, from, to);
  const { data } = get();
  // the song may have been done meanwhile
  if (!data || data.debled[micId]) return;
  const content = `stretch-${micId}-${from}-${Date.now()}`;
  layOver({ content, base: { content: mic.content, channel: mic.channel, frames: mic.frames }, from: Math.round(from), samples });
  set({ data: { ...data, debled: { ...data.debled, [micId]: { key: '', content, share: 1, lossDb: 0, gapsDb: null, tailsDb: null, attackDb: null, stretch: { from: Math.round(from), to: Math.round(from) + samples.length } } } } });
}

let player: { context: AudioContext; node: AudioBufferSourceNode } | null = null;
/** Plays samples once, beside the transport; what was played before stops. */
export function playOnce(samples: Float32Array<ArrayBuffer>): void {
  const rate = get().data?.recording.sampleRate ?? 48000;
  player?.node.stop();
  const context = player?.context ?? new AudioContext({ sampleRate: rate });
  const buffer = context.createBuffer(1, Math.max(1, samples.length), rate);
  buffer.copyToChannel(samples, 0);
  const node = context.createBufferSource();
  const gain = context.createGain();
  gain.gain.value = 10 ** (get().monitorDb / 20);
  node.buffer = buffer;
  node.connect(gain).connect(context.destination);
  node.start();
  player = { context, node };
}

/** Where a mic is over a level. Throws where it cannot be read. */
export async function askMarks(micId: string, openDb: number, closeDb: number): Promise<[number, number][]> {
  const rate = get().data?.recording.sampleRate;
  const mic = mics.find((m) => m.id === micId);
  if (!mic || !rate) throw new Error('the recording is not open');
  const { marks, message } = await ask<MarksResult>({ type: 'marks', rate, mic, openDb, closeDb });
  if (!marks) throw new Error(message);
  return marks;
}

// ---- life --------------------------------------------------------------------------------------------------------------------

const BARE = { with: NO_TREATMENT, without: { ...NO_TREATMENT, debleed: { ...DEBLEED_DEFAULTS, on: true } } };
/** What is done to a mic as it is heard: as planned, or with or without its spill. */
function heardTreatment(s: Bench, plan: Plan, id: string) {
  if (s.spillOf === 'planned' || id !== s.focus) return liveTreatment(plan, id);
  return liveTreatment({ ...plan, mics: { ...plan.mics, [id]: { ...plan.mics[id], treatment: BARE[s.spillOf] } } }, id);
}

/** Starts sound for the open recording; returns how to end it. Call again when its files change. */
export function startEngine(onError: (e: unknown) => void): () => void {
  reportError = onError;
  const s = get();
  const { plan, data } = s;
  if (!plan || !data?.recording.sampleRate) return () => {};
  mics = transportMics(s);
  const order = plan.order;
  transport = createTransport({
    rate: data.recording.sampleRate,
    frames: data.recording.frames,
    mics,
    treatments: order.map((id) => liveTreatment(plan, id)),
    monitor: monitorOf(s),
    onState,
    onError,
  });
  transport.setLoop(s.loopOn ? s.loop : null);
  worker = new PreviewWorker();
  worker.onmessage = (e: MessageEvent<FromPreview>) => onPreview(e.data);
  for (const overlay of overlaid()) worker.postMessage({ type: 'overlay', overlay });
  lastAsked = '';
  askPreview(s);
  const off = useBench.subscribe((now, old) => {
    if (!now.plan || !transport) return;
    if (now.plan !== old.plan || now.spillOf !== old.spillOf || (now.spillOf !== 'planned' && now.focus !== old.focus)) for (const [i, id] of now.plan.order.entries()) transport.setTreatment(i, heardTreatment(now, now.plan, id));
    if (now.plan !== old.plan || now.solo !== old.solo || now.muted !== old.muted || now.spillOf !== old.spillOf || (now.spillOf !== 'planned' && now.focus !== old.focus)) kit.clear();
    if (now.loop !== old.loop || now.loopOn !== old.loopOn) transport.setLoop(now.loopOn ? now.loop : null);
    if (now.plan !== old.plan || now.focus !== old.focus || now.listen !== old.listen || now.alone !== old.alone || now.keyListen !== old.keyListen || now.solo !== old.solo || now.muted !== old.muted || now.hearPart !== old.hearPart || now.monitorDb !== old.monitorDb || now.equal !== old.equal || now.louder !== old.louder || now.kitLouder !== old.kitLouder) {
      transport.setMonitor(monitorOf(now));
    }
    if (now.plan !== old.plan || now.focus !== old.focus || now.stepping !== old.stepping) askPreview(now);
    if (now.equal && now.preview && (!old.equal || now.preview !== old.preview)) even();
  });
  // for automation and the curious: what the worklet would play, as samples
  (window as unknown as { freshGap?: unknown }).freshGap = {
    store: useBench,
    render: (from: number, frames: number) => {
      const b = get();
      const p = b.plan as Plan;
      return renderOffline({ rate: b.data?.recording.sampleRate ?? 0, frames: b.data?.recording.frames ?? 0, mics: transportMics(b), treatments: p.order.map((id) => heardTreatment(b, p, id)), monitor: monitorOf(b) }, from, frames, b.loopOn ? b.loop : null);
    },
    heardAt,
  };
  return () => {
    off();
    transport?.close();
    transport = null;
    worker?.terminate();
    worker = null;
    kit.clear();
    set({ playing: false, buffering: false, preview: null, kitLouder: null });
  };
}

/** Close mics first, as the list shows them. */
export const isClose = (role: string): boolean => roleOf(role).group === 'close';
