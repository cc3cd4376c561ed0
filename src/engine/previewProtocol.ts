/** What the page and the preview worker say to one another. */
import type { Kept, LiveDebleed } from '../core/clean/debleedMix';
import type { Gap } from '../core/clean/gaps';
import type { GateFigures } from '../core/measure/gateOverview';
import type { DebleedFigures } from '../core/measure/debleedFigures';
import type { StrokeFigures } from '../core/measure/strokeFigures';
import type { GateSettings } from '../core/params/gateParams';
import type { LiveSlices } from '../core/clean/sliceStage';
import type { Closing } from '../core/clean/closingStage';
import type { LiveParts } from '../core/clean/partsStage';
import type { LiveTail } from '../core/clean/tailStage';
import type { KeyHit } from '../core/plan/live';
import type { MicAudio } from './blocks';
import type { Listen } from './protocol';

export interface PreviewRequest {
  type: 'analyse';
  id: number;
  rate: number;
  frames: number;
  mic: MicAudio;
  key: MicAudio;
  /** De-bleed of the mic and of its key, with what it left of them; null where they go in as they came. */
  debleed: { live: LiveDebleed; kept: Kept<MicAudio> } | null;
  keyDebleed: { live: LiveDebleed; kept: Kept<MicAudio> } | null;
  gate: GateSettings;
  /** Where hits open the gate. */
  hits: readonly KeyHit[];
  gaps: readonly Gap[];
  slices: LiveSlices | null;
  tail: LiveTail | null;
  parts: LiveParts | null;
  closings: readonly Closing[];
  /** Frames of the strokes of the mic's own drum, for figures. */
  own: readonly number[];
  /** Seconds after which that drum is silent. */
  rungOut: number;
  /** Whether transients are wanted too. */
  transients: boolean;
}

/** Raw columns round each of some hits. */
export interface TilesRequest {
  type: 'tiles';
  id: number;
  frames: readonly number[];
  before: number;
  after: number;
  columns: number;
}

/** Level between opening and closing threshold over the song, as stretches. */
export interface MarksRequest {
  type: 'marks';
  id: number;
  rate: number;
  mic: MicAudio;
  openDb: number;
  closeDb: number;
}

/** A picture of the focused mic: as it came, as it is cleaned, or what is taken. */
export interface SpectrumRequest {
  type: 'spectrum';
  id: number;
  what: Listen;
  from: number;
  to: number;
  columns: number;
  rows: number;
}

export interface SpectrumResult {
  type: 'spectrum';
  id: number;
  /** columns x rows, as spectrogram gives it; null before the mic is read. */
  levels: Uint8Array | null;
}

/** How loud the mic is before, after, and what is taken of it; and what the whole treatment comes to. */
export interface LoudnessRequest {
  type: 'loudness';
  id: number;
}

export interface LoudnessResult {
  type: 'loudness';
  id: number;
  /** LUFS over the song; null where there is next to nothing, or before the mic is read. */
  lufs: Record<Listen, number | null>;
  /** Level of what is left against the raw mic. */
  whole: DebleedFigures;
}

export interface TilesResult {
  type: 'tiles';
  id: number;
  /** Min/max pairs, `columns` of them a hit. */
  peaks: Float32Array;
}

export interface MarksResult {
  type: 'marks';
  id: number;
  /** Null where the mic could not be read. */
  marks: [number, number][] | null;
  message?: string;
}

export interface DetailRequest {
  type: 'detail';
  id: number;
  from: number;
  to: number;
}

/** Per bin of 256 frames, and coarser levels of the cleaned peaks. */
export interface PreviewResult {
  type: 'preview';
  id: number;
  /** Pyramid of min/max pairs of the cleaned mic. */
  clean: Float32Array[];
  /** Lowest and highest gain, linear, pairs, pyramid. */
  gain: Float32Array[];
  /** Highest level of the filtered key as the detector hears it, linear. */
  level: Float32Array;
  figures: GateFigures;
  strokes: StrokeFigures;
  /** Frames of own strokes, and levels of their first 10 ms before and after, dBFS, in pairs. */
  attacks: { readonly hits: readonly number[]; readonly levels: Float32Array };
  /** Null where de-bleed is off or not computed. */
  debleed: DebleedFigures | null;
  /** Frames where something begins to sound in the mic, when asked for. */
  transients?: readonly number[];
}

export interface DetailResult {
  type: 'detail';
  id: number;
  from: number;
  clean: Float32Array;
  gain: Float32Array;
}

export type FromPreview = PreviewResult | DetailResult | TilesResult | MarksResult | SpectrumResult | LoudnessResult | { type: 'loading'; id: number; done: number } | { type: 'failed'; id: number; message: string };
