/**
 * The settings of slices and of tail damping. Defaults and ranges: common practice, no source (figures of the trade): lead 3 to 6 ms on a kick, up
 * to 0.1 s on toms, gaps under 0.1 s (kick) to 0.3 s (toms) stay, fades out of 50 to 200 ms, low-pass at 1 kHz with 24 dB per octave.
 */
import type { ParamTable, SettingsOf } from './types';
import { defaultsOf } from './types';

const CURVES = [
  { value: 'linear', label: 'Straight' }, { value: 'power', label: 'Equal power' }, { value: 's', label: 'S' }, { value: 'late', label: 'Full until late' }, { value: 'step', label: 'Two steps' },
] as const;

export const SLICE_PARAMS = {
  on: { kind: 'switch', label: 'Slices', default: false, help: 'Keeps stretches around the strokes and drops the gaps between them.' },
  cutBy: {
    kind: 'choice', label: 'Cut at', default: 'hits', options: [{ value: 'hits', label: 'Hits' }, { value: 'level', label: 'Level' }],
    help: "The drum's own hits as found and corrected, or places where the mic rises over a level.",
  },
  hitMin: { kind: 'number', label: 'Softest hit', unit: '%', min: 0, max: 100, default: 0, step: 1, scale: 'linear', help: 'Hits softer than this make no slice.' },
  keepDoubtful: { kind: 'switch', label: 'Doubtful hits too', default: true, help: 'Hits that the analysis is not sure of make slices too, from 12 % certain on: a stroke too many is soon dropped, a lost one is missed.' },
  openDb: { kind: 'number', label: 'Opens at', unit: 'dB', min: -80, max: 0, default: -30, step: 0.5, scale: 'linear', help: 'A slice begins where the mic rises over this level.' },
  closeDb: { kind: 'number', label: 'Closes at', unit: 'dB', min: -90, max: 0, default: -45, step: 0.5, scale: 'linear', help: 'It lasts until the mic stays under this level; the tail comes on top. Twice the depth of the opening level suits toms.' },
  leadMs: { kind: 'number', label: 'Lead', unit: 'ms', min: 2, max: 200, default: 8, step: 0.5, scale: 'square', help: 'Kept before the attack: 3 to 6 ms for a kick, more for toms, as room for the fade in.' },
  clearLead: { kind: 'switch', label: 'Lead avoids others', default: true, help: "Shortens the lead where another drum's stroke falls into it." },
  tailBy: {
    kind: 'choice', label: 'Tail', default: 'natural', options: [{ value: 'natural', label: 'Natural' }, { value: 'fixed', label: 'Fixed' }],
    help: "Natural: until the drum's own decay, learnt from its strokes, falls into the spill; loud strokes ring longer than soft ones, and the deep end of a soft one's tail stops where another drum is struck strongly.",
  },
  ringDb: { kind: 'number', label: 'Ring kept to', unit: 'dB', min: 12, max: 72, default: 50, step: 1, scale: 'linear', help: 'A natural tail ends where the ring has fallen this far under the loudest stroke, or into the spill.' },
  ownDb: { kind: 'number', label: 'Soft ones keep', unit: 'dB', min: 12, max: 60, default: 34, step: 1, scale: 'linear', help: "A natural tail keeps at least this much of the stroke's own decay, however soft it is and whatever the spill." },
  tailMs: { kind: 'number', label: 'Tail length', unit: 'ms', min: 10, max: 8000, default: 600, step: 5, scale: 'log', help: 'Kept after the attack, the same for every stroke.' },
  endBefore: { kind: 'switch', label: 'Ends before others', default: false, help: "Ends a tail where another drum's stroke falls into it." },
  bridgeMs: { kind: 'number', label: 'Bridge', unit: 'ms', min: 0, max: 2000, default: 60, step: 5, scale: 'square', help: 'Gaps shorter than this stay, so that strokes close together share one slice: 0.1 s for a kick, 0.3 s for toms.' },
  shortestMs: { kind: 'number', label: 'Shortest slice', unit: 'ms', min: 0, max: 1000, default: 30, step: 1, scale: 'square', help: 'What would be shorter is a scrap and is dropped.' },
  zeroMs: { kind: 'number', label: 'Zero crossing', unit: 'ms', min: 0, max: 4, default: 1, step: 0.1, scale: 'linear', end: { at: 'min', from: 0, text: 'off' }, help: 'Moves each cut to the nearest zero crossing not farther than this, never past the attack; ends that fade out over 1.5 ms need none.' },
  fadeInMs: { kind: 'number', label: 'Fade in', unit: 'ms', min: 0, max: 100, default: 4, step: 0.5, scale: 'square', help: 'Ends at least 2 ms before the attack, whatever is set.' },
  fadeInCurve: { kind: 'choice', label: 'Fade in curve', default: 's', options: CURVES, help: 'How the level comes up.' },
  fadeOutMs: { kind: 'number', label: 'Fade out', unit: 'ms', min: 0, max: 4000, default: 100, step: 5, scale: 'square', help: 'At the end of the tail: 50 to 200 ms, long for toms. Never begins before 5 ms after an attack.' },
  fadeOutCurve: { kind: 'choice', label: 'Fade out curve', default: 'late', options: CURVES, help: 'Full until late keeps the ring; two steps drop at once to a low sustain and then go out.' },
  gapDb: { kind: 'number', label: 'Gaps lower by', unit: 'dB', min: 0, max: 90, default: 90, step: 0.5, scale: 'linear', end: { at: 'max', from: 80.5, text: 'silence' }, help: 'How far down gaps are. 20 dB is often enough, over 80 is silence.' },
} as const satisfies ParamTable;

export type SliceSettings = SettingsOf<typeof SLICE_PARAMS>;
export const SLICE_DEFAULTS: Readonly<SliceSettings> = defaultsOf(SLICE_PARAMS);
export type Curve = SliceSettings['fadeInCurve'];

export const TAIL_PARAMS = {
  on: { kind: 'switch', label: 'Tail damping', default: false, help: "After each stroke a low-pass closes: the drum's note rings on, cymbals vanish." },
  lowpassHz: { kind: 'number', label: 'Closes to', unit: 'Hz', min: 300, max: 12000, default: 1000, step: 1, scale: 'log', help: 'Corner of the low-pass once closed, 24 dB per octave. About 1 kHz suits toms.' },
  fullMs: { kind: 'number', label: 'Open for', unit: 'ms', min: 5, max: 500, default: 25, step: 1, scale: 'square', help: 'The stroke stays full for this long from its attack.' },
  closeMs: { kind: 'number', label: 'Closes in', unit: 'ms', min: 5, max: 2000, default: 60, step: 1, scale: 'square', help: 'How long the closing takes.' },
  depthDb: { kind: 'number', label: 'Highs lower by', unit: 'dB', min: 0, max: 90, default: 90, step: 0.5, scale: 'linear', end: { at: 'max', from: 80.5, text: 'gone' }, help: 'How far the highs go down.' },
  softDb: { kind: 'number', label: 'Loud hits keep', unit: 'dB', min: 0, max: 40, default: 0, step: 0.5, scale: 'linear', help: 'The strongest strokes keep this much more of their highs, soft ones none of it.' },
  duckDb: { kind: 'number', label: 'Others lower', unit: 'dB', min: 0, max: 40, default: 0, step: 0.5, scale: 'linear', help: "Turns the highs of a held tail down further for 80 ms where another drum is struck." },
} as const satisfies ParamTable;

export type TailSettings = SettingsOf<typeof TAIL_PARAMS>;
export const TAIL_DEFAULTS: Readonly<TailSettings> = defaultsOf(TAIL_PARAMS);
