/**
 * Strokes struck otherwise than straight: side sticks and rim shots on the snare, the ride's bell, the hat half open or closed by foot.
 * Sections of a few bars' length, as songs have them; what is struck when stays, and how hard but for side sticks.
 */
import { createRng } from '../core/dsp/rng';
import type { RecordingPlan } from './makeRecording';
import type { Articulation, Stroke } from './strokes';

/** A section lasts so many seconds; each is drawn alone. */
const SECTION_S = 8;
/** Backbeats are louder than this, ghost notes softer. */
const BACKBEAT = 0.55;
/** Louder strokes of a ride are its accents. */
const ACCENT = 0.45;
/** A hat this near to a ride's stroke is trodden: the hand is at the ride. */
const TOGETHER_S = 0.03;
/** A side stick is weaker than the backbeat in its place. */
const SIDE_STICK = 0.7;

/** The strokes of a part, some of them with an articulation; `seed` draws which. */
export function articulated(strokes: readonly Stroke[], seed: number): Stroke[] {
  const rides = strokes.filter((s) => s.drum === 'ride');
  const sectionOf = (time: number): { snare: Articulation | null; hat: Articulation | null; bell: number } => {
    const uniform = createRng(seed * 977 + Math.floor(time / SECTION_S) * 31 + 11);
    const [a, b, bell] = [uniform(), uniform(), uniform()];
    return { snare: a < 0.4 ? 'side-stick' : a < 0.75 ? 'rim-shot' : null, hat: b < 0.4 ? 'half-open' : null, bell };
  };
  const draw = createRng(seed * 983 + 7);
  return strokes.map((s): Stroke => {
    const section = sectionOf(s.time);
    const chance = draw();
    if (s.drum === 'snare' && s.strength > BACKBEAT && section.snare) return { ...s, articulation: section.snare, strength: section.snare === 'side-stick' ? s.strength * SIDE_STICK : s.strength };
    if (s.drum === 'ride' && s.strength > ACCENT && chance < 0.6 * section.bell) return { ...s, articulation: 'bell' };
    if (s.drum === 'hat' && rides.some((r) => Math.abs(r.time - s.time) < TOGETHER_S)) return { ...s, articulation: 'foot' };
    if (s.drum === 'hat' && section.hat) return { ...s, articulation: section.hat };
    return s;
  });
}

/** The plan with its strokes so. */
export const withArticulations = (plan: RecordingPlan, seed: number): RecordingPlan => ({ ...plan, strokes: articulated(plan.strokes, seed) });
