import { describe, expect, it } from 'vitest';
import { attackLevels, strokeFigures } from './strokeFigures';

const RATE = 1000;
const audio = new Float32Array(1000).fill(0.5);

describe('figures of own strokes', () => {
  it('tell kept from lost strokes, the attack, and openings without a stroke', () => {
    const gain = new Float32Array(1000);
    gain.fill(1, 100, 300); // holds the hit at 120
    gain.fill(1, 600, 700); // no hit
    gain.fill(0.7079, 800, 900); // a hit at 805, 3 dB down
    const f = strokeFigures(RATE, audio, gain, [120, 450, 805]);
    expect(f).toMatchObject({ strokes: 3, lost: 1, foreignOpenings: 1 });
    expect(f.attackDb).toBeCloseTo(-1.5, 2);
  });

  it('say nothing where there is nothing', () => {
    expect(strokeFigures(RATE, audio, new Float32Array(1000), [])).toEqual({ strokes: 0, lost: 0, attackDb: null, foreignOpenings: 0 });
  });

  it('forgive a hit that is marked a little after its opening began', () => {
    const gain = new Float32Array(1000);
    gain.fill(1, 100, 130);
    expect(strokeFigures(RATE, audio, gain, [80]).foreignOpenings).toBe(0);
  });
});

describe('levels of attacks', () => {
  it('are told before and after, stroke by stroke, of what de-bleed left and the gain let through', () => {
    const kept = audio.map((v) => v / 2);
    const gain = new Float32Array(1000).fill(1, 0, 105);
    const levels = attackLevels(RATE, audio, kept, gain, [10, 100, 500, 995]);
    const db = (x: number) => 20 * Math.log10(x);
    // half of the second stroke's attack is let through, nothing of the third; the song ends in the midst of the last
    const right = [db(0.5), db(0.25), db(0.5), db(0.25) - 3.01, db(0.5), -120, db(0.5) - 3.01, -120];
    expect(levels).toHaveLength(right.length);
    for (const [i, v] of right.entries()) expect(levels[i]).toBeCloseTo(v, 1);
    expect(attackLevels(RATE, audio, kept, gain, [])).toHaveLength(0);
  });
});
