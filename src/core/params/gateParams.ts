/**
 * The gate's settings. Defaults and ranges: common practice, no source (figures of the trade): hold to 4 s, look-ahead to 10 ms,
 * ratio 3:1 an expander and 100:1 a gate, range 20 dB often enough, 50 strong, 80 silence, release 400 to 500 ms on toms.
 */
import type { ParamTable, SettingsOf } from './types';
import { defaultsOf } from './types';

export const GATE_PARAMS = {
  on: { kind: 'switch', label: 'Gate', default: false, help: 'Turns the mic down while its key is under the threshold.' },
  keyBy: {
    kind: 'choice', label: 'Opened by', default: 'level', options: [{ value: 'level', label: 'Level' }, { value: 'hits', label: 'Hits' }],
    help: "A level that the key crosses, or the drum's own hits as found and corrected: those never open for spill. Hold then counts from the attack.",
  },
  hitMin: {
    kind: 'number', label: 'Softest hit', unit: '%', min: 0, max: 100, default: 0, step: 1, scale: 'linear',
    help: 'Hits softer than this do not open the gate.',
  },
  hitMax: {
    kind: 'number', label: 'Loudest hit', unit: '%', min: 0, max: 100, default: 100, step: 1, scale: 'linear', end: { at: 'max', from: 100, text: 'any' },
    help: 'Hits louder than this do not open the gate: soft strokes alone, as for a copy of the mic that is treated otherwise.',
  },
  keepDoubtful: { kind: 'switch', label: 'Doubtful hits too', default: false, help: 'Hits that the analysis is not sure of open the gate too, from 12 % certain on: of use where little else is left to come through, after de-bleed.' },
  softDb: {
    kind: 'number', label: 'Soft hits lower', unit: 'dB', min: 0, max: 24, default: 0, step: 0.5, scale: 'linear',
    help: 'How much less far the gate opens for the softest hits: spill behind a soft stroke comes up less.',
  },
  softShorter: {
    kind: 'number', label: 'Soft hits shorter', unit: '%', min: 0, max: 95, default: 0, step: 1, scale: 'linear',
    help: 'By how much hold is shorter for hits 24 dB under the loudest, and in proportion between: soft strokes are soon as soft as the spill behind them.',
  },
  thresholdDb: {
    kind: 'number', label: 'Threshold', unit: 'dB', min: -80, max: 0, default: -30, step: 0.5, scale: 'linear',
    help: 'Opens when the key rises over this level. Raise it until nothing opens the gate, then lower it until just the wanted hits do.',
  },
  hysteresisDb: {
    kind: 'number', label: 'Closes lower by', unit: 'dB', min: 0, max: 60, default: 12, step: 0.5, scale: 'linear',
    help: 'The gate closes this far under the opening threshold, so that a level hovering at the threshold does not chatter and a decay plays out. Toms like 16 to 30 dB.',
  },
  ratio: {
    kind: 'number', label: 'Ratio', unit: ':1', min: 1, max: 100, default: 100, step: 0.1, scale: 'log', end: { at: 'max', from: 100, text: 'gate' },
    help: '100:1 is a gate: on or off. About 3:1 is a downward expander: gradual, more natural, less exact.',
  },
  kneeDb: {
    kind: 'number', label: 'Knee', unit: 'dB', min: 0, max: 24, default: 6, step: 0.5, scale: 'linear',
    help: 'Width of the soft corner of the curve. Works on ratios under 100:1.',
  },
  rangeDb: {
    kind: 'number', label: 'Range', unit: 'dB', min: 0, max: 90, default: 90, step: 0.5, scale: 'linear', end: { at: 'max', from: 80.5, text: 'silence' },
    help: 'How far down closed is. 20 dB is often enough, 50 is strong, over 80 is silence.',
  },
  attackMs: {
    kind: 'number', label: 'Attack', unit: 'ms', min: 0.05, max: 50, default: 1, step: 0.05, scale: 'log',
    help: 'Time from closed to fully open. Short keeps the stroke; very short may click on low drums. Look-ahead of at least this much keeps the stroke whole.',
  },
  holdMs: {
    kind: 'number', label: 'Hold', unit: 'ms', min: 0, max: 4000, default: 60, step: 1, scale: 'square',
    help: 'Stays open this long after the key fell under the closing threshold. Long enough to bridge a roll.',
  },
  releaseMs: {
    kind: 'number', label: 'Release', unit: 'ms', min: 5, max: 4000, default: 250, step: 1, scale: 'log',
    help: 'Time from open to closed, the level falling evenly in dB (silence counts as 96 dB). 100 ms is short, 400 to 500 ms suits toms.',
  },
  lookaheadMs: {
    kind: 'number', label: 'Look-ahead', unit: 'ms', min: 0, max: 10, default: 2, step: 0.1, scale: 'linear',
    help: 'Opens this much before the key crosses, so that the stroke is whole. Take more when the key is filtered: a filter slows its rise.',
  },
  detector: {
    kind: 'choice', label: 'Detector', default: 'peak', options: [{ value: 'peak', label: 'Peak' }, { value: 'rms', label: 'RMS' }],
    help: 'Peak reads the highest sample of the last 12 ms, RMS the power of the last few ms (a sine reads 3 dB lower).',
  },
  keyHpHz: {
    kind: 'number', label: 'High-pass', unit: 'Hz', min: 20, max: 8000, default: 20, step: 1, scale: 'log', end: { at: 'min', from: 20, text: 'off' },
    help: 'Removes lows from what the gate hears, not from what is heard.',
  },
  keyHpSlope: {
    kind: 'choice', label: 'High-pass slope', default: 24, options: [{ value: 12, label: '12 dB/oct' }, { value: 24, label: '24 dB/oct' }],
    help: 'Steepness of the key high-pass.',
  },
  keyLpHz: {
    kind: 'number', label: 'Low-pass', unit: 'Hz', min: 40, max: 20000, default: 20000, step: 1, scale: 'log', end: { at: 'max', from: 20000, text: 'off' },
    help: 'Removes highs from what the gate hears, not from what is heard: cymbals stop opening a tom.',
  },
  keyLpSlope: {
    kind: 'choice', label: 'Low-pass slope', default: 24, options: [{ value: 12, label: '12 dB/oct' }, { value: 24, label: '24 dB/oct' }],
    help: 'Steepness of the key low-pass.',
  },
  keyFrom: { kind: 'mic', label: 'Key from', default: '', help: 'The mic that opens this one: kick out is opened by kick in, snare bottom by snare top.' },
  outputDb: {
    kind: 'number', label: 'Output', unit: 'dB', min: -24, max: 24, default: 0, step: 0.1, scale: 'linear',
    help: 'Level after the gate.',
  },
} as const satisfies ParamTable;

export type GateSettings = SettingsOf<typeof GATE_PARAMS>;
export const GATE_DEFAULTS: Readonly<GateSettings> = defaultsOf(GATE_PARAMS);

/** A ratio of 100:1 and over is a gate proper: open or closed, nothing between. */
export const isHardGate = (s: Pick<GateSettings, 'ratio'>): boolean => s.ratio >= GATE_PARAMS.ratio.end.from;

/** Gain of the closed gate, linear; 0 when the range reaches silence. */
export const closedGain = (s: Pick<GateSettings, 'rangeDb'>): number => (s.rangeDb >= GATE_PARAMS.rangeDb.end.from ? 0 : 10 ** (-s.rangeDb / 20));

/** Hits this far under the loudest get the shortest hold, dB. */
export const SOFT_HIT_DB = 24;

/** How long a hit of `strength` (0..1) holds the gate open, ms. */
export const hitHoldMs = (s: Pick<GateSettings, 'holdMs' | 'softShorter'>, strength: number): number =>
  s.holdMs * (1 - (s.softShorter / 100) * Math.max(0, Math.min(1, (-20 * Math.log10(Math.max(strength, 1e-3))) / SOFT_HIT_DB)));

/** Hold that the softest hits have, ms: what the gate itself holds; the key of louder ones lasts for the rest. */
export const leastHoldMs = (s: Pick<GateSettings, 'holdMs' | 'softShorter'>): number => hitHoldMs(s, 0);
