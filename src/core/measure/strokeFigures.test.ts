import { describe, expect, it } from 'vitest';
import { strokeFigures } from './strokeFigures';

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
