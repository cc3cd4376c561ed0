/** The worker threads of analysis and de-bleed as they are built: what goes over to them and comes back. */
import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../../src/core/dsp/rng';
import { createHand } from '../../src/core/spill/crew';
import { sharedSamples, withHands } from '../../src/node/hands';
import { THREAD } from '../support/hand';

const RATE = 48000;

/** Strokes twice a second over a floor, longer than what is copied. */
function mic(): Float32Array {
  const g = createGaussian(createRng(6));
  return Float32Array.from({ length: 8 * RATE }, (_, i) => g() * (0.002 + 0.3 * Math.exp(-(i % (RATE / 2)) / 3000)));
}
const own = Array.from({ length: 15 }, (_, i) => (i + 1) * (RATE / 2));

describe('threads', () => {
  it('leave a cymbal mic as it is, whether its sound was shared before or not', async () => {
    const x = mic();
    const there = sharedSamples(x.length);
    there.set(x);
    const both = await withHands(async ([hand]) => [await hand.tidy(x, RATE, 'ride', own, [], true), await hand.tidy(there, RATE, 'ride', own, [], true)], 1, THREAD);
    for (const t of both) expect(t.samples).toEqual(x);
    expect(both[0].ring?.decayDb.length).toBeGreaterThan(10);
  });

  it('give the same as this thread, and leave what was handed over untouched', async () => {
    const x = mic();
    const before = x.slice();
    const [far, here] = [await withHands(async ([hand]) => hand.tidy(x, RATE, 'tom-1', own, [], true), 1, THREAD), await createHand().tidy(x.slice(), RATE, 'tom-1', own, [], true)];
    expect(x).toEqual(before);
    expect(far.samples).toEqual(here.samples);
    expect(far.ring).toEqual(here.ring);
    expect(far.samples).not.toEqual(x);
  });

  it('tell what goes wrong in them by its words', async () => {
    await expect(withHands(([hand]) => Promise.resolve(hand.round([] as never)), 1, THREAD)).rejects.toThrow('nothing is being learnt');
  });
});
