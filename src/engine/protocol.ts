/** What the page and its audio worklet say to each other. */
import type { HearPart } from '../core/clean/partsStage';
import type { MixHop } from '../core/dsp/mixLoudness';
import type { LiveTreatment } from '../core/plan/live';

/** Frames in a streamed block, the same as a stored chunk. */
export const BLOCK_FRAMES = 65536;

/** What is heard of each mic: raw, cleaned, or raw minus cleaned. */
export type Listen = 'before' | 'after' | 'removed';

export interface MicSetup {
  id: string;
  /** Frames of its own; what follows is silence. */
  frames: number;
  /** Whether there is what de-bleed left of it: blocks of that come under the mic's number plus the number of mics. */
  kept: boolean;
  /** Drums of which there is an image in it. Their blocks come under numbers after those, mic by mic in this order. */
  images: string[];
}

/** Level and place of a mic in what is heard; linear gains for the left and right loudspeaker. */
export interface MicGain {
  left: number;
  right: number;
}

export interface Monitor {
  listen: Listen;
  /** How much louder all is heard than that, linear: for equal loudness. */
  evenBy: number;
  /** Whether the loudness of the mix is told as it plays, before and after. */
  weigh: boolean;
  /** Number of the mic whose filtered key is heard instead of everything else, or -1. */
  keyOf: number;
  /** By mic: what it adds to the left and right, already with level, pan, mute, solo, alone or in the kit. */
  gains: MicGain[];
  /** Part of a mic that is heard alone: number of the mic, or -1. */
  partOf: number;
  part: HearPart;
}

export interface Loop {
  from: number;
  to: number;
}

export interface KitOptions {
  rate: number;
  frames: number;
  mics: MicSetup[];
  treatments: LiveTreatment[];
  monitor: Monitor;
  /** Only for offline rendering: everything it needs, and where it starts. */
  blocks?: { mic: number; seq: number; data: Float32Array }[];
  playFrom?: number;
  loop?: Loop | null;
}

export type ToKit =
  | { type: 'block'; mic: number; seq: number; data: Float32Array }
  | { type: 'drop'; mic: number; seqs: number[] }
  | { type: 'treatment'; mic: number; treatment: LiveTreatment }
  | { type: 'monitor'; monitor: Monitor }
  | { type: 'play'; at: number }
  | { type: 'pause' }
  | { type: 'loop'; loop: Loop | null };

export interface KitState {
  type: 'state';
  /** Frame being heard. */
  position: number;
  playing: boolean;
  /** Waits for blocks: silent, and not moving. */
  buffering: boolean;
  /** Block numbers it waits for. */
  missing: number[];
  /** Peaks since the last state, linear: by mic as heard before level and pan, and of both outputs. */
  peaks: Float32Array;
  out: [number, number];
  /** Of the mix without `evenBy`, where that is asked for: what was heard whole since the last state. */
  hops: MixHop[];
}
