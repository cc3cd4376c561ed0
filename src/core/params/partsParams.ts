/**
 * Attack part and note part of a mic: where one ends and the other begins, how loud each is, and four bands of equaliser for each. Defaults and ranges: common
 * practice, no source.
 */
import type { NumberParam, ParamTable, SettingsOf } from './types';
import { defaultsOf } from './types';

const LEVEL = { kind: 'number', unit: 'dB', min: -60, max: 12, default: 0, step: 0.5, scale: 'linear', end: { at: 'min', from: -59.5, text: 'silence' } } as const;
const band = (label: string, hz: number): { hz: NumberParam; db: NumberParam; q: NumberParam } => ({
  hz: { kind: 'number', label: `${label}, frequency`, unit: 'Hz', min: 20, max: 20000, default: hz, step: 1, scale: 'log', help: 'Middle of the band, or corner of a shelf.' },
  db: { kind: 'number', label: `${label}, gain`, unit: 'dB', min: -18, max: 18, default: 0, step: 0.5, scale: 'linear', help: 'At 0 the band does nothing.' },
  q: { kind: 'number', label: `${label}, width`, unit: 'Q', min: 0.3, max: 12, default: 1, step: 0.05, scale: 'log', help: 'Quality: high is narrow. Shelves have none.' },
});
const LOW = band('Low shelf', 100);
const BELL1 = band('First bell', 400);
const BELL2 = band('Second bell', 3000);
const HIGH = band('High shelf', 8000);

export const PARTS_PARAMS = {
  on: { kind: 'switch', label: 'Attack and note', default: false, help: 'Splits the mic into what strikes and what rings on, each with its own level and equaliser.' },
  attackMs: { kind: 'number', label: 'Attack lasts', unit: 'ms', min: 5, max: 200, default: 40, step: 1, scale: 'square', help: 'From each own stroke on, what strikes counts as attack for so long; later everything is note.' },
  overMs: { kind: 'number', label: 'Goes over in', unit: 'ms', min: 5, max: 300, default: 40, step: 1, scale: 'square', help: 'How long the attack takes to give way to the note after that.' },
  steadyDb: { kind: 'number', label: 'Note within', unit: 'dB', min: -18, max: 18, default: 0, step: 0.5, scale: 'linear', help: 'How much of what already rings during the attack counts as note: higher is more.' },
  attackDb: { ...LEVEL, label: 'Attack level', help: 'Level of the attack part.' },
  noteDb: { ...LEVEL, label: 'Note level', help: 'Level of the note part.' },
  a1Hz: LOW.hz, a1Db: LOW.db, a2Hz: BELL1.hz, a2Db: BELL1.db, a2Q: BELL1.q, a3Hz: BELL2.hz, a3Db: BELL2.db, a3Q: BELL2.q, a4Hz: HIGH.hz, a4Db: HIGH.db,
  n1Hz: LOW.hz, n1Db: LOW.db, n2Hz: BELL1.hz, n2Db: BELL1.db, n2Q: BELL1.q, n3Hz: BELL2.hz, n3Db: BELL2.db, n3Q: BELL2.q, n4Hz: HIGH.hz, n4Db: HIGH.db,
} as const satisfies ParamTable;

export type PartsSettings = SettingsOf<typeof PARTS_PARAMS>;
export const PARTS_DEFAULTS: Readonly<PartsSettings> = defaultsOf(PARTS_PARAMS);

/** The settings of one band: `part` a (attack) or n (note), `n` 1 to 4. Shelves have the fixed slope of the cookbook. */
export function bandOf(s: Readonly<PartsSettings>, part: 'a' | 'n', n: 1 | 2 | 3 | 4): { type: 'lowshelf' | 'peaking' | 'highshelf'; hz: number; db: number; q: number } {
  const type = n === 1 ? 'lowshelf' : n === 4 ? 'highshelf' : 'peaking';
  return { type, hz: s[`${part}${n}Hz`], db: s[`${part}${n}Db`], q: n === 2 || n === 3 ? s[`${part}${n}Q`] : Math.SQRT1_2 };
}
