/**
 * The one way from raw mics and a plan to cleaned mics. The worklet, the server and the command line all drive this object, so
 * that what is heard is what is rendered.
 */
import { type GapProcessor, createGaps } from './clean/gaps';
import { createGate, gateLatency, type GateProcessor } from './clean/gate';
import { createClosings } from './clean/closingStage';
import { type HearPart, createParts, partsLatency } from './clean/partsStage';
import { createSliceStage } from './clean/sliceStage';
import { createTail, tailLatency } from './clean/tailStage';
import { createFrameLine } from './dsp/frameLine';
import { createDelay } from './dsp/delay';
import { type Kept, type LiveDebleed, createDebleedMix } from './clean/debleedMix';
import { FreshGapError } from './errors';
import type { LiveTreatment } from './plan/live';

export interface KitRenderer {
  /** Delay of every output against its input, frames; the same for all mics and settings. */
  readonly latency: number;
  /**
   * Processes `n` frames of all mics at once. `inputs` and `outputs` are in the order of the mics given at creation and must be
   * different arrays. `atFrame` is the first sample's place in the recording. `keyOut` receives the filtered key of mic number `keyOf`. Allocates nothing.
   */
  process(inputs: readonly Float32Array[], outputs: readonly Float32Array[], n: number, keyOf?: number, keyOut?: Float32Array, atFrame?: number): void;
  /** New settings of one mic, from the next sample on. */
  setTreatment(index: number, t: LiveTreatment): void;
  /** One part of a mic alone, while working; both where nothing is said. */
  hearPart(index: number, hear: HearPart): void;
  /** As before the first sample. */
  reset(): void;
}

/** Slices hear ahead of what they turn down by no more than this. */
const CHUNK = 4096;

/** `rate` in Hz; `ids` and `treatments` in the same order. A key mic that is not there counts as the mic itself. */
export function createKitRenderer(rate: number, ids: readonly string[], treatments: readonly LiveTreatment[]): KitRenderer {
  const gates: GateProcessor[] = treatments.map((t) => createGate(rate, t.gate, t.hits));
  const gaps: GapProcessor[] = treatments.map((t) => createGaps(rate, t.gapList));
  const dropped = treatments.map((t) => (t.gapList?.length ?? 0) > 0);
  const slices = treatments.map((t) => {
    const stage = createSliceStage(rate);
    stage.set(t.slices ?? null);
    return stage;
  });
  const tails = treatments.map((t) => {
    const stage = createTail(rate);
    stage.set(t.tail ?? null);
    return stage;
  });
  const parts = treatments.map((t) => {
    const stage = createParts(rate);
    stage.set(t.parts ?? null);
    return stage;
  });
  const closings = treatments.map((t) => {
    const stage = createClosings(rate);
    stage.set(t.closings ?? []);
    return stage;
  });
  const afterParts = createFrameLine(gateLatency(rate) + partsLatency(rate));
  const latency = gateLatency(rate) + partsLatency(rate) + tailLatency(rate);
  const behind = createFrameLine(latency);
  const keyLate = createDelay(partsLatency(rate) + tailLatency(rate));
  const keyIndex = (i: number, t: LiveTreatment) => {
    const k = t.gate.keyFrom === '' ? i : ids.indexOf(t.gate.keyFrom);
    return k < 0 ? i : k;
  };
  const keys = treatments.map((t, i) => keyIndex(i, t));
  const live = [...treatments];
  const hears: HearPart[] = treatments.map(() => 'both');
  let outs: readonly Float32Array[] = [];
  let base = 0;
  const runParts = (from: number, count: number, frame: number) => {
    for (let i = 0; i < parts.length; i++) parts[i].process(outs[i], base + from, count, frame);
  };
  const runTails = (from: number, count: number, frame: number) => {
    for (let i = 0; i < tails.length; i++) {
      tails[i].process(outs[i], base + from, count, frame, slices[i].isSilent(frame, count));
      closings[i].process(outs[i], base + from, count, frame);
      // last, so that what a symmetric filter rings ahead of a slice is cut away with the gap
      slices[i].apply(outs[i], base + from, count, frame);
    }
  };
  return {
    latency,
    process(inputs, outputs, n, keyOf, keyOut, atFrame = 0) {
      for (let i = 0; i < gates.length; i++) {
        // what was dropped by hand goes before the gate's delay, so that a loop's turn needs no thought; keys hear everything
        let audio = inputs[i];
        if (dropped[i]) {
          audio = outputs[i];
          for (let k = 0; k < n; k++) audio[k] = inputs[i][k];
          gaps[i].apply(audio, 0, n, atFrame);
        }
        gates[i].process(inputs[keys[i]], audio, outputs[i], n, i === keyOf ? keyOut : undefined, atFrame);
      }
      // what follows works on frames that went in a little earlier, before a loop's turn perhaps
      outs = outputs;
      for (base = 0; base < n; base += CHUNK) {
        const m = Math.min(CHUNK, n - base);
        for (let i = 0; i < slices.length; i++) slices[i].hear(inputs[i], base, m, atFrame + base);
        afterParts.push(atFrame + base, m, runParts);
        behind.push(atFrame + base, m, runTails);
      }
      if (keyOut && keyOf !== undefined && keyOf >= 0) keyLate.process(keyOut, keyOut, n);
    },
    setTreatment(index, t) {
      gates[index].set(t.gate, t.hits);
      gaps[index].set(t.gapList ?? []);
      dropped[index] = (t.gapList?.length ?? 0) > 0;
      keys[index] = keyIndex(index, t);
      slices[index].set(t.slices ?? null);
      tails[index].set(t.tail ?? null);
      parts[index].set(t.parts ?? null, hears[index]);
      closings[index].set(t.closings ?? []);
      live[index] = t;
    },
    hearPart(index, hear) {
      if (hears[index] === hear) return;
      hears[index] = hear;
      parts[index].set(live[index].parts ?? null, hear);
    },
    reset() {
      for (const g of gates) g.reset();
      for (const t of tails) t.reset();
      for (const p of parts) p.reset();
      afterParts.reset();
      behind.reset();
      keyLate.reset();
    },
  };
}

export interface MicReader {
  /** Fills `out` with frames from `atFrame` on; frames past the end of the mic are zeros. */
  read(atFrame: number, out: Float32Array): void | Promise<void>;
}

/**
 * A mic as it goes into the other stages: raw, or towards its own drum alone (`kept`) where de-bleed is on. Throws DEBLEED_MISSING where something that is needed was
 * not computed.
 */
export function debledReader(rate: number, live: LiveDebleed | null | undefined, raw: MicReader, kept: Kept<MicReader> | null): MicReader {
  if (!live) return raw;
  if (!kept) throw new FreshGapError('DEBLEED_MISSING', 'A mic is to be de-bled, but what de-bleed leaves of it is not there.');
  const left = live.left.map(({ source }) => {
    const reader = kept.images[source];
    if (!reader) throw new FreshGapError('DEBLEED_MISSING', `${source} is to stay in part in a mic, but its image there is not computed.`);
    return { source, reader };
  });
  const mix = createDebleedMix(rate);
  mix.set(live);
  let own = new Float32Array(0);
  let images = new Map<string, Float32Array>();
  return {
    async read(atFrame, out) {
      if (own.length !== out.length) {
        own = new Float32Array(out.length);
        images = new Map(left.map(({ source }) => [source, new Float32Array(out.length)]));
      }
      await raw.read(atFrame, out);
      await kept.own.read(atFrame, own);
      for (const { source, reader } of left) await reader.read(atFrame, images.get(source) as Float32Array);
      mix.process(out, own, (s) => images.get(s) ?? null, out, out.length, atFrame);
    },
  };
}

/**
 * Renders chosen mics block by block: `write` gets cleaned samples of mic number `mic` in time with the originals (latency taken
 * out), each block once, in order. `frames` is the length of the recording; `wanted` the mics to write. Memory: a few blocks a mic.
 * `onBlock` is told the frames done and may throw to cancel.
 */
export async function renderMics(o: {
  rate: number;
  frames: number;
  ids: readonly string[];
  treatments: readonly LiveTreatment[];
  readers: readonly MicReader[];
  wanted: readonly number[];
  write(mic: number, samples: Float32Array): void | Promise<void>;
  onBlock?(done: number): void | Promise<void>;
  blockFrames?: number;
}): Promise<void> {
  const block = o.blockFrames ?? 65536;
  // only the wanted mics and the ones that key them are read
  const used = new Set(o.wanted);
  for (const i of o.wanted) {
    const k = o.ids.indexOf(o.treatments[i].gate.keyFrom);
    if (k >= 0) used.add(k);
  }
  const list = [...used].sort((a, b) => a - b);
  const kit = createKitRenderer(o.rate, list.map((i) => o.ids[i]), list.map((i) => o.treatments[i]));
  const inputs = list.map(() => new Float32Array(block));
  const outputs = list.map(() => new Float32Array(block));
  const total = o.frames + kit.latency;
  for (let at = 0; at < total; at += block) {
    const n = Math.min(block, total - at);
    for (let k = 0; k < list.length; k++) await o.readers[list[k]].read(at, inputs[k]);
    kit.process(inputs, outputs, n, undefined, undefined, at);
    const skip = Math.max(0, kit.latency - at);
    if (skip < n) {
      for (const i of o.wanted) await o.write(i, outputs[list.indexOf(i)].subarray(skip, n));
    }
    await o.onBlock?.(Math.min(o.frames, at + n));
  }
}
