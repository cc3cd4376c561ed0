/** The settings of de-bleed in one mic. What is computed does not depend on them: they move at once. */
import type { ParamTable, SettingsOf } from './types';
import { defaultsOf } from './types';

export const DEBLEED_PARAMS = {
  on: { kind: 'switch', label: 'De-bleed', default: false, help: 'Takes out what the other mics explain. Gate, slices and tail work on what it leaves.' },
  depthDb: { kind: 'number', label: 'Spill lower by', unit: 'dB', min: 0, max: 40, default: 40, step: 0.5, scale: 'linear', end: { at: 'max', from: 39.5, text: 'all' }, help: 'How far spill goes down, at most. At 0 the mic is as it came.' },
  attackMs: { kind: 'number', label: 'Raw attack', unit: 'ms', min: 0, max: 40, default: 0, step: 0.5, scale: 'square', end: { at: 'min', from: 0, text: 'off' }, help: 'Keeps the mic as it came for so long from each attack, with what spills into it.' },
  fromHz: { kind: 'number', label: 'From', unit: 'Hz', min: 20, max: 10000, default: 20, step: 1, scale: 'log', end: { at: 'min', from: 20, text: 'lowest' }, help: 'Below this the mic stays as it came, 12 dB per octave.' },
  toHz: { kind: 'number', label: 'Up to', unit: 'Hz', min: 100, max: 20000, default: 20000, step: 1, scale: 'log', end: { at: 'max', from: 20000, text: 'highest' }, help: 'Above this the mic stays as it came, 12 dB per octave.' },
} as const satisfies ParamTable;

/** What no close mic owns, cymbals above all, among what is taken out. */
export const REST = 'rest';

export type DebleedSettings = SettingsOf<typeof DEBLEED_PARAMS> & {
  /** How much of a drum (or of the rest) is taken out, 0 to 100 %; all of it where it is not named. */
  readonly amounts: Readonly<Record<string, number>>;
};
export const DEBLEED_DEFAULTS: Readonly<DebleedSettings> = { ...defaultsOf(DEBLEED_PARAMS), amounts: {} };
