/**
 * What the demo's drummer plays: "Ferry Before Light" by The Tin Meridian, an invented song of an invented band, take 2. A groove with
 * ghost notes and kick doubles, fills with loud and very soft toms, flams, rolls, a floor-tom verse under ringing crashes.
 */
import { createGaussian, createRng } from '../core/dsp/rng';
import type { Stroke } from './strokes';

export const SONG = { band: 'The Tin Meridian', title: 'Ferry Before Light', take: 'take 2', bpm: 106 } as const;

/**
 * One bar of sixteenths a drum, a character a step: digits are strength in tenths, "g" a ghost note, "f" a flam, "d" a double,
 * "o" an open hat stroke, "r" four fast strokes of a roll, rising.
 */
type Bar = Readonly<Record<string, string>>;

const A: Bar = { kick: '9.....7.8.......', snare: '....9..g.g..9..g', hat: '7.5.7.5.7.5.7.5.' };
const A2: Bar = { kick: '9..6....8.d.....', snare: '.g..9..g.g..9.g.', hat: '7.5.7.5.7.5.7.o.' };
const FILL_1: Bar = { kick: '9.......8.......', snare: '....9..g........', hat: '7.5.7.5.........', 'tom-1': '........8.6.3...', 'tom-2': '............8.5.' };
const FILL_2: Bar = { kick: '9...............', snare: '....f.ggr.......', hat: '7.5.............', 'tom-1': '..........94....', 'tom-2': '............932.' };
const VERSE: Bar = { kick: '9.....6.8.......', snare: '............g...', crash: '8...............', 'tom-1': '........2...5...', 'tom-2': '..3.2.4.....3.8.' };
const VERSE_2: Bar = { kick: '8.......8..6....', snare: '....8...........', ride: '6...5...6...5...', 'tom-1': '......3.....2.4.', 'tom-2': '..2.....6.3.....' };
const VERSE_3: Bar = { kick: '9.......8.......', snare: '....8..g....9...', crash: '..........7.....', 'tom-1': '..4...2.......f.', 'tom-2': '.......3..4.2...' };
const RIDE: Bar = { kick: '9.....6.8..6....', snare: '....9..g.g..9...', ride: '7.5.6.5.7.5.6.5.', hat: '....5.......5...' };
const RIDE_2: Bar = { kick: '9..6....8.d.....', snare: '.g..9..g....9.g.', ride: '7.5.6.5.7.5.6.5.', 'tom-2': '..........3.....' };
const FILL_3: Bar = { kick: '9.......9.......', crash: '9...............', snare: '....r...........', 'tom-1': '......85r.......', 'tom-2': '..........85r...' };
const FILL_4: Bar = { kick: '8...8...8...8...', snare: '9...............', 'tom-1': '..24..57........', 'tom-2': '........24..6.9.', hat: '....5...5...5...' };
const END: Bar = { kick: '9...............', crash: '9...............', 'tom-2': '9...........2...', 'tom-1': '........2.......' };

const BARS: readonly Bar[] = [
  A, A2, A, FILL_1, { ...A, crash: '8...............' }, A2, A, FILL_2,
  VERSE, VERSE_2, VERSE, VERSE_3, VERSE, VERSE_2, FILL_4, FILL_3,
  { ...RIDE, crash: '9...............' }, RIDE_2, RIDE, FILL_1, { ...A, crash: '8...............' }, FILL_3, END,
];

/** Every stroke in order of time, with human timing (some 4 ms) and strength (some 6 %); the same for the same seed. */
export function demoStrokes(seed: number): Stroke[] {
  const uniform = createRng(seed);
  const gauss = createGaussian(uniform);
  const step = 60 / SONG.bpm / 4;
  const out: Stroke[] = [];
  const put = (drum: string, time: number, strength: number, open?: number) => {
    out.push({ drum, time: Math.max(0.2, time + 0.004 * gauss()), strength: Math.min(1, Math.max(0.08, strength * (1 + 0.06 * gauss()))), open });
  };
  BARS.forEach((bar, b) => {
    for (const [drum, steps] of Object.entries(bar)) {
      for (let k = 0; k < 16; k++) {
        const c = steps[k];
        const t = 0.4 + (b * 16 + k) * step;
        if (c >= '1' && c <= '9') put(drum, t, Number(c) / 10);
        else if (c === 'g') put(drum, t, 0.22 + 0.08 * uniform());
        else if (c === 'o') put(drum, t, 0.7, 0.6);
        else if (c === 'd') {
          put(drum, t, 0.6);
          put(drum, t + step, 0.85);
        } else if (c === 'f') {
          put(drum, t - 0.034, 0.35);
          put(drum, t, 0.85);
        } else if (c === 'r') for (let i = 0; i < 4; i++) put(drum, t + i * step * 0.5, 0.45 + 0.14 * i);
      }
    }
  });
  return out.sort((x, y) => x.time - y.time);
}

/** Length of the recording in seconds: the part and a last ring. */
export const demoSeconds = (): number => 0.4 + BARS.length * 16 * (60 / SONG.bpm / 4) + 1.2;
