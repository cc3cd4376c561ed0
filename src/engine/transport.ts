/**
 * Plays a recording: owns the audio context, streams blocks to the worklet ahead of the place that is heard, and tells what happens.
 */
import type { LiveTreatment } from '../core/plan/live';
import { type MicAudio, blockCount, fetchBlock } from './blocks';
import kitUrl from './kit.worklet.ts?worker&url';
import { BLOCK_FRAMES, type KitOptions, type KitState, type Loop, type MicSetup, type Monitor, type ToKit } from './protocol';

export interface TransportMic extends MicAudio {
  id: string;
  /** What de-bleed left of it, where that is computed. */
  kept: MicAudio | null;
  /** Images of other drums in it, by drum. */
  images: Readonly<Record<string, MicAudio>>;
}

/** Raw mics, then what de-bleed left of each, then the images in each. */
const sourcesOf = (mics: readonly TransportMic[]): (MicAudio | null)[] => [...mics, ...mics.map((m) => m.kept), ...mics.flatMap((m) => Object.values(m.images))];
const setupOf = (m: TransportMic): MicSetup => ({ id: m.id, frames: m.frames, kept: m.kept !== null, images: Object.keys(m.images) });

export interface TransportOptions {
  rate: number;
  frames: number;
  mics: TransportMic[];
  treatments: LiveTreatment[];
  monitor: Monitor;
  onState(s: KitState): void;
  onError(e: unknown): void;
}

export interface Transport {
  play(at: number): Promise<void>;
  pause(): void;
  setLoop(loop: Loop | null): void;
  setTreatment(mic: number, t: LiveTreatment): void;
  setMonitor(m: Monitor): void;
  close(): void;
}

/** Blocks kept ahead of the heard place (1.4 s each at 48 kHz), and behind it. */
const AHEAD = 5;
const BEHIND = 6;
/** Requests at a time. */
const PARALLEL = 5;

export function createTransport(o: TransportOptions): Transport {
  let context: AudioContext | null = null;
  let node: AudioWorkletNode | null = null;
  let opening: Promise<void> | null = null;
  let treatments = [...o.treatments];
  let monitor = o.monitor;
  let loop: Loop | null = null;
  let position = 0;
  let closed = false;
  /** Grows with every play and pause: the last one counts. */
  let asked = 0;
  const sources = sourcesOf(o.mics);
  /** By source: blocks that the worklet has or that are on their way. */
  const held = sources.map(() => new Set<number>());
  const queue: { mic: number; seq: number }[] = [];
  let busy = 0;

  const send = (m: ToKit, transfer: Transferable[] = []) => node?.port.postMessage(m, transfer);
  const lastBlock = Math.max(0, Math.ceil(o.frames / BLOCK_FRAMES) - 1);

  async function open() {
    // the sample rate of the recording: nothing is resampled before it is heard
    context = new AudioContext({ sampleRate: o.rate, latencyHint: 'interactive' });
    await context.audioWorklet.addModule(kitUrl);
    const options: KitOptions = { rate: o.rate, frames: o.frames, mics: o.mics.map(setupOf), treatments, monitor };
    node = new AudioWorkletNode(context, 'fresh-gap-kit', { numberOfInputs: 0, numberOfOutputs: 1, outputChannelCount: [2], processorOptions: options });
    node.port.onmessage = (e: MessageEvent<KitState>) => {
      position = e.data.position;
      feed();
      o.onState(e.data);
    };
    node.onprocessorerror = () => o.onError(new Error('The audio engine stopped.'));
    node.connect(context.destination);
    send({ type: 'loop', loop });
  }

  /** Blocks wanted now, the most urgent first: some before (for the gates' memory), those ahead, the loop's beginning. */
  function wanted(): number[] {
    const here = Math.floor(position / BLOCK_FRAMES);
    const list = [0, -1, 1, 2, -2, 3, 4, AHEAD, -3, -4, -5].map((k) => here + k);
    if (loop) for (let s = Math.floor(loop.from / BLOCK_FRAMES), k = 0; s <= Math.floor(loop.to / BLOCK_FRAMES) && k < AHEAD; s++, k++) list.push(s);
    return [...new Set(list)].filter((s) => s >= 0 && s <= lastBlock);
  }

  function feed() {
    const list = wanted();
    const keep = new Set(list);
    const here = Math.floor(position / BLOCK_FRAMES);
    sources.forEach((_, mic) => {
      const far = [...held[mic]].filter((s) => !keep.has(s) && (s < here - BEHIND || s > here + AHEAD + 2));
      if (far.length) {
        for (const s of far) held[mic].delete(s);
        send({ type: 'drop', mic, seqs: far });
      }
    });
    queue.length = 0;
    for (const seq of list) {
      sources.forEach((m, mic) => {
        if (m && seq < blockCount(m) && !held[mic].has(seq)) queue.push({ mic, seq });
      });
    }
    pump();
  }

  function pump() {
    while (busy < PARALLEL && queue.length && !closed) {
      const { mic, seq } = queue.shift() as { mic: number; seq: number };
      if (held[mic].has(seq)) continue;
      held[mic].add(seq);
      busy++;
      fetchBlock(sources[mic] as MicAudio, seq)
        .then((data) => send({ type: 'block', mic, seq, data }, [data.buffer]))
        .catch((e) => {
          held[mic].delete(seq);
          if (!closed) o.onError(e);
        })
        .finally(() => {
          busy--;
          pump();
        });
    }
  }

  return {
    async play(at) {
      const mine = ++asked;
      opening ??= open();
      await opening;
      await context?.resume();
      // stopped, or started elsewhere, before the sound was there
      if (mine !== asked) return;
      position = at;
      feed();
      send({ type: 'play', at });
    },
    pause() {
      asked++;
      send({ type: 'pause' });
    },
    setLoop(l) {
      loop = l;
      send({ type: 'loop', loop });
      if (node) feed();
    },
    setTreatment(mic, t) {
      if (treatments[mic] === t) return;
      treatments = treatments.with(mic, t);
      send({ type: 'treatment', mic, treatment: t });
    },
    setMonitor(m) {
      monitor = m;
      send({ type: 'monitor', monitor: m });
    },
    close() {
      closed = true;
      node?.port.close();
      void context?.close();
    },
  };
}

/**
 * What the worklet plays from frame `from` on, as samples [left, right], by an offline context: the same processor, no clock. All
 * blocks of the mics are fetched first, so keep it to short recordings or stretches.
 */
export async function renderOffline(o: Pick<TransportOptions, 'rate' | 'frames' | 'mics' | 'treatments' | 'monitor'>, from: number, frames: number, loop: Loop | null = null): Promise<[Float32Array, Float32Array]> {
  const context = new OfflineAudioContext({ numberOfChannels: 2, length: frames, sampleRate: o.rate });
  await context.audioWorklet.addModule(kitUrl);
  const last = Math.floor((from + frames + BLOCK_FRAMES) / BLOCK_FRAMES);
  const first = Math.max(0, Math.floor((from - 6 * o.rate) / BLOCK_FRAMES));
  const blocks: { mic: number; seq: number; data: Float32Array }[] = [];
  for (const [mic, m] of sourcesOf(o.mics).entries()) {
    if (!m) continue;
    for (let seq = loop ? 0 : first; seq < Math.min(blockCount(m), last + 1); seq++) blocks.push({ mic, seq, data: await fetchBlock(m, seq) });
  }
  const options: KitOptions = { ...o, mics: o.mics.map(setupOf), blocks, playFrom: from, loop };
  const node = new AudioWorkletNode(context, 'fresh-gap-kit', { numberOfInputs: 0, numberOfOutputs: 1, outputChannelCount: [2], processorOptions: { ...options, onState: undefined, onError: undefined } });
  node.connect(context.destination);
  const out = await context.startRendering();
  return [out.getChannelData(0), out.getChannelData(1)];
}
