/**
 * The gate: turns a mic down while its key is under the threshold. One object a mic, the same in the worklet, the render and the
 * command line.
 *
 *   key -> detector (or the drum's own hits) -> (look-ahead) -> gain stage -> gain x delayed audio -> output level
 *
 * The audio is always delayed by the longest look-ahead and the detector's power by what is left of it, so that the latency
 * never changes and look-ahead may be turned while it plays.
 */
import { dbToGain } from '../dsp/db';
import { GATE_PARAMS, type GateSettings } from '../params/gateParams';
import { createDetector } from './detector';
import type { KeyHit } from '../plan/live';
import { createGainStage } from './gainStage';
import { createHitKey } from './hitKey';

/** Changes of the output level are ramped over this time. */
const OUTPUT_RAMP_MS = 10;
const CHUNK = 1024;

export interface GateProcessor {
  /** Delay of `out` against `audio`, frames; the same for all settings. */
  readonly latency: number;
  /**
   * Processes `n` frames. `key` and `audio` are read at the same time positions (they may be the same array); `out` may be `audio`.
   * `keyOut`, where given, gets the key after its filter, in time with `out`: what *key listen* plays. Silence in gives silence
   * out. Allocates nothing. The result does not depend on how a signal is cut into blocks. `atFrame` is the place of the first sample in the
   * recording: where hits open the gate, it must be right.
   */
  process(key: Float32Array, audio: Float32Array, out: Float32Array, n: number, keyOut?: Float32Array, atFrame?: number): void;
  /** New settings and hits, from the next sample on, without clicks. */
  set(s: GateSettings, hits?: readonly KeyHit[]): void;
  reset(): void;
}

/** Frames of latency at `rate` (Hz): the longest look-ahead. */
export const gateLatency = (rate: number): number => Math.ceil((GATE_PARAMS.lookaheadMs.max / 1000) * rate);

/** Frames by which the gain comes before the sound that caused it. */
export const lookaheadFrames = (rate: number, s: Pick<GateSettings, 'lookaheadMs'>): number =>
  Math.min(gateLatency(rate), Math.round((s.lookaheadMs / 1000) * rate));

/** `rate` in Hz. */
export function createGate(rate: number, initial: GateSettings, hits: readonly KeyHit[] = []): GateProcessor {
  const latency = gateLatency(rate);
  const detector = createDetector(rate, initial);
  const stage = createGainStage(rate, initial);
  const hitKey = createHitKey(rate);
  const audioRing = new Float32Array(latency);
  const keyRing = new Float32Array(latency);
  const powerRing = new Float64Array(latency);
  const power = new Float64Array(CHUNK);
  const filtered = new Float32Array(CHUNK);
  const gain = new Float64Array(CHUNK);
  const keyIn = new Float32Array(CHUNK);
  let ringAt = 0;
  let powerDelay = 0;
  let outWanted = 1;
  let outStep = 0;
  let outGain = 1;
  let byHits = false;
  /** Whether the detector has heard the key up to here. */
  let listening = true;

  function set(s: GateSettings, own: readonly KeyHit[] = []) {
    byHits = s.keyBy === 'hits';
    hitKey.set(byHits ? own : [], s);
    detector.set(s);
    stage.set(s);
    powerDelay = latency - lookaheadFrames(rate, s);
    outWanted = s.on ? dbToGain(s.outputDb) : 1;
    outStep = Math.abs(outWanted - outGain) / ((OUTPUT_RAMP_MS / 1000) * rate);
  }

  function reset() {
    detector.reset();
    stage.reset();
    audioRing.fill(0);
    keyRing.fill(0);
    powerRing.fill(0);
    ringAt = 0;
    outGain = outWanted;
  }

  function run(key: Float32Array, audio: Float32Array, out: Float32Array, from: number, n: number, keyOut: Float32Array | undefined, atFrame: number) {
    // where hits are the key nobody asks what it sounds like, unless it is listened to
    const listen = !byHits || keyOut !== undefined;
    if (listen) {
      if (!listening) detector.reset();
      for (let i = 0; i < n; i++) keyIn[i] = key[from + i];
      detector.process(keyIn, power, 0, n, filtered);
    } else if (listening) filtered.fill(0);
    listening = listen;
    if (byHits) hitKey.fill(power, 0, n, atFrame + from);
    let at = ringAt;
    if (powerDelay > 0) {
      // the ring holds the last `latency` powers; read `powerDelay` frames back, then write
      for (let i = 0; i < n; i++) {
        const j = at >= powerDelay ? at - powerDelay : at - powerDelay + latency;
        const old = powerRing[j];
        powerRing[at] = power[i];
        power[i] = old;
        at = at + 1 === latency ? 0 : at + 1;
      }
    } else {
      for (let i = 0; i < n; i++) {
        powerRing[at] = power[i];
        at = at + 1 === latency ? 0 : at + 1;
      }
    }
    stage.process(power, gain, 0, n);
    at = ringAt;
    let og = outGain;
    for (let i = 0; i < n; i++) {
      const a = audioRing[at];
      audioRing[at] = audio[from + i];
      if (keyOut !== undefined) keyOut[from + i] = keyRing[at];
      keyRing[at] = filtered[i];
      at = at + 1 === latency ? 0 : at + 1;
      if (og !== outWanted) {
        og += og < outWanted ? outStep : -outStep;
        if (Math.abs(og - outWanted) <= outStep) og = outWanted;
      }
      out[from + i] = a * (gain[i] * og);
    }
    outGain = og;
    ringAt = at;
  }

  set(initial, hits);
  reset();
  return {
    latency,
    process(key, audio, out, n, keyOut, atFrame = 0) {
      for (let from = 0; from < n; from += CHUNK) run(key, audio, out, from, Math.min(CHUNK, n - from), keyOut, atFrame);
    },
    set,
    reset,
  };
}
