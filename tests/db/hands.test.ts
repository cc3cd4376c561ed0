/** The worker threads of analysis and de-bleed as they are built: what goes over to them and comes back. */
import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../../src/core/dsp/rng';
import { analyse } from '../../src/core/hits/analyse';
import { createHand } from '../../src/core/spill/crew';
import { roomFor } from '../../src/core/dsp/room';
import { withHands } from '../../src/node/hands';
import { THREAD } from '../support/hand';
import { shortRecording } from '../support/madeKit';
import { lendingFrom } from '../../src/core/lend';

const RATE = 48000;

/** Strokes twice a second over a floor, longer than what is copied. */
function mic(): Float32Array {
  const g = createGaussian(createRng(6));
  return Float32Array.from({ length: 8 * RATE }, (_, i) => g() * (0.002 + 0.3 * Math.exp(-(i % (RATE / 2)) / 3000)));
}
const own = Array.from({ length: 15 }, (_, i) => (i + 1) * (RATE / 2));

describe('threads', () => {
  it('leave a mic as it is that was not de-bled, and tell how it rings whether its sound was shared or not', async () => {
    const x = mic();
    const there = roomFor(x.length);
    there.set(x);
    const [copied, shared] = await withHands(async ([hand]) => [await hand.tidy(x, RATE, 'ride', own, [], false), await hand.tidy(there, RATE, 'ride', own, [], false)], 1, THREAD);
    expect(there.every((v, i) => v === x[i])).toBe(true);
    expect(copied?.decayDb.length).toBeGreaterThan(10);
    expect(shared).toEqual(copied);
  });

  it('give in shared memory the same as this thread', async () => {
    const x = mic();
    const [there, here] = [roomFor(x.length), x.slice()];
    there.set(x);
    const far = await withHands(async ([hand]) => hand.tidy(there, RATE, 'tom-1', own, [], true), 1, THREAD);
    expect(await createHand().tidy(here, RATE, 'tom-1', own, [], true)).toEqual(far);
    expect(there).toEqual(here);
    expect(there).not.toEqual(x);
  });

  it("turn a cymbal's mic down where it has rung out, and nothing of its strokes", async () => {
    const few = own.filter((_, i) => i < 3 || i > 9);
    const g = createGaussian(createRng(7));
    const there = roomFor(8 * RATE);
    for (let i = 0; i < there.length; i++) there[i] = g() * few.reduce((a, f) => a + (i >= f ? 0.3 * Math.exp((f - i) / 3000) : 0), 0.002);
    const before = there.slice();
    await withHands(async ([hand]) => hand.tidy(there, RATE, 'ride', few, [], true), 1, THREAD);
    const power = (y: Float32Array, from: number, to: number) => y.subarray(from, to).reduce((sum, v) => sum + v * v, 0);
    expect(few.every((f) => before.subarray(f - 100, f + 4800).every((v, i) => Math.abs(there[f - 100 + i] - v) < 1e-4))).toBe(true);
    expect(power(there, few[2] + 1.5 * RATE, few[3] - 0.2 * RATE)).toBeLessThan(0.1 * power(before, few[2] + 1.5 * RATE, few[3] - 0.2 * RATE));
  });

  it('hear the same strokes that stand out as this thread', async () => {
    const x = mic();
    const there = roomFor(x.length);
    there.set(x);
    const seconds = own.map((f) => f / RATE);
    const known = seconds.filter((_, i) => i !== 6 && i !== 9);
    const heard = (sound: Float32Array) => ({ raw: sound, kept: sound, rate: RATE, drum: 'snare', own: known, known });
    const far = await withHands(async ([hand]) => hand.standOut(heard(there)), 1, THREAD);
    expect(await createHand().standOut(heard(x))).toEqual(far);
    expect(far.map((s) => s.time)).toEqual([expect.closeTo(3.5, 2), expect.closeTo(5, 2)]);
  });

  // Node.js 20 ended the process where a thread ended while it was compiled for: mostly within a hundred of these, beside other work
  it('end in the middle of their work, again and again, and nothing else with them', async () => {
    const roles = ['snare-top', 'overhead-left'];
    const { audio } = shortRecording({ seconds: 2, roles });
    for (let i = 0; i < 120; i++) {
      const cancelled = withHands((hands) => analyse(RATE, roles, roles, lendingFrom((m) => audio[m]), () => Promise.reject(new Error('cancelled')), undefined, hands), 2, THREAD);
      await expect(cancelled, `time ${i}`).rejects.toThrow('cancelled');
    }
  });

  it('begin afresh after a rest, forget what they had begun, and do not rest while they work', async () => {
    const x = mic();
    await withHands(async ([hand]) => {
      const before = await hand.tidy(x.slice(), RATE, 'tom-1', own, [], true);
      await hand.rest();
      expect(await hand.tidy(x.slice(), RATE, 'tom-1', own, [], true)).toEqual(before);
      await hand.start({ rate: RATE, drums: ['kick'], mics: [{ own: 'kick', overhead: false }], own: [[0]] } as never, [[0.5]], [{ first: 0, frames: 4 }], 0, 1);
      await hand.rest();
      await expect(Promise.resolve(hand.begin())).rejects.toThrow('nothing is being learnt');
      const working = hand.tidy(x.slice(), RATE, 'tom-1', own, [], true);
      await expect(Promise.resolve(hand.rest())).rejects.toThrow('cannot rest while it works');
      expect(await working).toEqual(before);
    }, 1, THREAD);
  });

  it('tell what goes wrong in them by its words', async () => {
    await expect(withHands(([hand]) => Promise.resolve(hand.round([] as never, {})), 1, THREAD)).rejects.toThrow('nothing is being learnt');
  });
});
