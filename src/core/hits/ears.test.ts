import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { analyse } from './analyse';
import { detectHits } from './detectHits';
import { type Ear, createEar, oneByOne, shareOut } from './ears';
import { NETWORKS } from './weights';
import { lendingFrom } from '../lend';

const RATE = 48000;
const SECONDS = 8;

/** Two drums, each loud in its own mic and 14 dB softer in the other, and an overhead that hears both. */
function mics(): Float32Array[] {
  const g = createGaussian(createRng(3));
  const out = Array.from({ length: 3 }, () => Float32Array.from({ length: SECONDS * RATE }, () => 2e-4 * g()));
  const strike = (t: number, hz: number, fall: number, levels: readonly number[], soft = 1) => {
    for (let i = 0; i < 0.3 * RATE; i++) {
      const v = 0.4 * soft * (Math.sin((2 * Math.PI * hz * i) / RATE) + 0.6 * g()) * Math.exp(-i / fall);
      levels.forEach((l, m) => {
        out[m][Math.round(t * RATE) + i + 48 * m] += l * v;
      });
    }
  };
  for (let k = 0; k < 12; k++) {
    strike(0.4 + 0.6 * k, 70, 4000, [1, 0.2, 0.2], 0.6 + 0.1 * (k % 4));
    strike(0.7 + 0.6 * k, 200, 2500, [0.2, 1, 0.3], 0.5 + 0.2 * (k % 3));
  }
  return out;
}
const KIT = [{ own: 'kick', overhead: false }, { own: 'snare', overhead: false }, { own: null, overhead: true }];

/** An ear whose answers come later, and which counts its calls. */
function slowEar(): { ear: Ear; calls: () => number } {
  const ear = createEar();
  let calls = 0;
  const late = Object.fromEntries(
    Object.entries(ear).map(([name, f]) => [
      name,
      async (...args: unknown[]) => {
        calls++;
        await new Promise((ok) => setTimeout(ok, calls % 3));
        return (f as (...a: unknown[]) => unknown)(...structuredClone(args));
      },
    ]),
  );
  return { ear: late as unknown as Ear, calls: () => calls };
}

describe('ears', () => {
  it('find the same hits however many they are, and share the work', async () => {
    const audio = mics();
    const alone = await detectHits(RATE, KIT, lendingFrom((m) => audio[m]), NETWORKS);
    const two = [slowEar(), slowEar()];
    const shared = await detectHits(RATE, KIT, lendingFrom((m) => audio[m]), NETWORKS, undefined, two.map((t) => t.ear));
    expect(alone.drums.kick.filter((h) => h.certainty > 0.4).length).toBe(12);
    expect(shared.drums).toEqual(alone.drums);
    for (const t of two) expect(t.calls()).toBeGreaterThan(3);
  });

  it('leave every hit in doubt where one or two mics are all there is, and say so', async () => {
    const audio = mics();
    const a = await analyse(RATE, ['kick-in', 'snare-top'], ['Kick in', 'Snare top'], lendingFrom((m) => audio[m]));
    const all = Object.values(a.drums).flat();
    expect(all.filter((h) => h.certainty >= 0.4).length).toBeGreaterThanOrEqual(24);
    expect(Math.max(...all.map((h) => h.certainty))).toBeLessThanOrEqual(0.6);
    expect(a.notes.join(' ')).toMatch(/2 mics alone.*in doubt/);
    // and how they reach each other is told all the same
    expect(a.spill.find((r) => r.drum === 'kick')?.mics[1].levelDb).toBeLessThan(-8);
    const b = await analyse(RATE, ['kick-in', 'snare-top', 'overhead'], ['Kick in', 'Snare top', 'Overhead'], lendingFrom((m) => audio[m]));
    expect(b.notes.join(' ')).not.toMatch(/alone/);
  });

  it('leave out what is far softer than any stroke, but nothing of a sum of overheads', () => {
    const g = createGaussian(createRng(4));
    const x = Float32Array.from({ length: 6 * RATE }, () => 1e-6 * g());
    const burst = (t: number, level: number) => {
      for (let i = 0; i < 0.1 * RATE; i++) x[Math.round(t * RATE) + i] += level * g() * Math.exp(-i / 1500);
    };
    for (let k = 0; k < 6; k++) burst(0.5 + 0.8 * k, 0.3);
    burst(1, 0.3 * 10 ** (-30 / 20));
    burst(1.8, 0.3 * 10 ** (-48 / 20));
    const heard = async (far: boolean) => Array.from((await createEar().seek(x, RATE, 'snare', far)).time);
    const near = (list: readonly number[], t: number) => list.some((v) => Math.abs(v - t) < 0.003);
    return Promise.all([heard(false), heard(true)]).then(([own, far]) => {
      expect([near(own, 0.5), near(own, 1), near(own, 1.8)]).toEqual([true, true, false]);
      expect([near(far, 0.5), near(far, 1), near(far, 1.8)]).toEqual([true, true, true]);
    });
  });
});

describe('sharing out', () => {
  it('keeps the order of jobs, tells how many are done, and passes failures on', async () => {
    const done: number[] = [];
    const jobs = [30, 1, 10, 5].map((ms, i) => () => new Promise<number>((ok) => setTimeout(() => ok(i), ms)));
    expect(await shareOut(['a', 'b'], jobs, (n) => void done.push(n))).toEqual([0, 1, 2, 3]);
    expect(done).toEqual([1, 2, 3, 4]);
    await expect(shareOut(['a'], [() => Promise.reject(new Error('cancelled'))])).rejects.toThrow('cancelled');
  });

  it('reads one mic at a time, and goes on after one that failed', async () => {
    let open = 0;
    let most = 0;
    const read = oneByOne(async (m: number) => {
      most = Math.max(most, ++open);
      await new Promise((ok) => setTimeout(ok, 3));
      open--;
      if (m === 1) throw new Error('no such mic');
      return m;
    });
    const all = await Promise.allSettled([0, 1, 2].map(read));
    expect(all.map((r) => r.status)).toEqual(['fulfilled', 'rejected', 'fulfilled']);
    expect(most).toBe(1);
  });
});
