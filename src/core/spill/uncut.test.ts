import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import type { MicReader } from '../render';
import { lending } from '../lend';
import { cutNotes, uncut } from './uncut';

const RATE = 16000;
const SECONDS = 24;
const N = RATE * SECONDS;

/** A mic's samples behind a reader that refuses to be asked twice at a time. */
function readerOf(x: Float32Array): MicReader {
  let busy = false;
  return {
    async read(at, out) {
      expect(busy).toBe(false);
      busy = true;
      await Promise.resolve();
      out.fill(0);
      out.set(x.subarray(at, at + out.length));
      busy = false;
    },
  };
}

/** Bursts of noise that fall by 60 dB in `fall` seconds, at `times`. */
function drum(seed: number, times: readonly number[], fall: number): Float32Array {
  const gaussian = createGaussian(createRng(seed));
  const x = new Float32Array(N);
  for (const t of times) {
    const at = Math.round(t * RATE);
    for (let i = 0; i < fall * RATE && at + i < N; i++) x[at + i] += gaussian() * 10 ** ((-3 * i) / (fall * RATE));
  }
  return x;
}

/** `x` so many samples later, and so much of it. */
const heard = (x: Float32Array, delay: number, gain: number) => Float32Array.from(x, (_, i) => gain * (x[i - delay] ?? 0));
const sum = (...list: readonly Float32Array[]) => list[0].map((_, i) => list.reduce((a, x) => a + x[i], 0));
const every = (from: number, step: number) => Array.from({ length: Math.floor((SECONDS - from) / step) }, (_, k) => from + k * step);

const TOMS = every(1.1, 2.4);
const noise = (seed: number) => {
  const gaussian = createGaussian(createRng(seed));
  return Float32Array.from({ length: N }, () => 1e-4 * gaussian());
};
function kit() {
  const [tom, snare, hat] = [drum(1, TOMS, 0.5), drum(2, every(0.4, 0.61), 0.3), drum(3, every(0.2, 0.37), 0.1)];
  const mics = [
    sum(tom, heard(snare, 30, 0.2), heard(hat, 40, 0.1), noise(11)),
    sum(snare, heard(tom, 25, 0.1), heard(hat, 20, 0.2), noise(12)),
    sum(hat, heard(snare, 15, 0.15), heard(tom, 45, 0.05), noise(13)),
    sum(heard(tom, 60, 0.2), heard(snare, 55, 0.25), heard(hat, 50, 0.25), noise(14)),
  ];
  // as it is cut by hand: kept from 10 ms before every stroke for .7 s, the last 60 ms faded
  const kept = new Float32Array(N);
  for (const t of TOMS) {
    const from = Math.round((t - 0.01) * RATE);
    for (let i = 0; i < 0.7 * RATE && from + i < N; i++) kept[from + i] = Math.min(1, (0.7 * RATE - i) / (0.06 * RATE));
  }
  return { mics, kept, cut: [mics[0].map((v, i) => v * kept[i]), ...mics.slice(1)] };
}
/** Three drums' mics, and an overhead. */
const DRUMS = ['tom-1', 'snare', 'hat', null].map((own) => ({ own, overhead: own === null }));
const power = (x: Float32Array, on: (i: number) => boolean) => x.reduce((a, v, i) => a + (on(i) ? v * v : 0), 0);
const levelDb = (a: Float32Array, b: Float32Array, on: (i: number) => boolean) => 10 * Math.log10(power(a, on) / power(b, on));

/** A mic as it is read, to be kept. */
const whole = (reader: MicReader) => lending([reader], N)(0, (x) => Float32Array.from(x));

describe('a mic that was cut before', () => {
  const { mics, cut, kept } = kit();
  const heardOn = uncut(RATE, N, cut.map(readerOf), DRUMS);
  it('sounds on in its silences as the others tell, as loud as it was and much like it', async () => {
    const u = await heardOn;
    expect([...u.silences.keys()]).toEqual([0]);
    const filled = await whole(u.readers[0]);
    const silent = (i: number) => kept[i] === 0;
    expect(Math.abs(levelDb(filled, mics[0], silent))).toBeLessThan(2);
    expect(levelDb(filled.map((v, i) => v - mics[0][i]), mics[0], silent)).toBeLessThan(-4);
    // where it was kept nothing is changed but beside the silences, and hardly anything there
    const full = (i: number) => kept[i] === 1;
    expect(levelDb(filled.map((v, i) => v - cut[0][i]), cut[0], full)).toBeLessThan(-20);
    const away = (i: number) => full(i) && kept[i - 0.05 * RATE] === 1 && kept[i + 0.3 * RATE] === 1;
    expect(filled.some((_, i) => away(i))).toBe(true);
    expect(filled.every((v, i) => !away(i) || v === cut[0][i])).toBe(true);
    for (const m of [1, 2, 3]) expect(await whole(u.readers[m])).toEqual(cut[m]);
  });
  it('sounds the same wherever reading begins, and several may ask at a time', async () => {
    const u = await heardOn;
    const [all] = await Promise.all([whole(u.readers[0]), whole(u.readers[2])]);
    for (const [at, length] of [[12345, 30000], [100001, 5000], [N - 3000, 8000]]) {
      const part = new Float32Array(length);
      await u.readers[0].read(at, part);
      const known = all.subarray(at, at + length);
      expect(Math.max(...known.map((v, i) => Math.abs(v - part[i])))).toBeLessThan(1e-5);
      expect(part.subarray(known.length).every((v) => v === 0)).toBe(true);
    }
  });
  it('is cut again: silent where it is, faded where it was, else left alone', async () => {
    const u = await heardOn;
    const x = await u.cut(0, await whole(u.readers[0]));
    expect(x.every((v, i) => kept[i] !== 0 || v === 0)).toBe(true);
    const faded = (i: number) => kept[i] > 0 && kept[i] < 0.5;
    expect(levelDb(x, cut[0], faded)).toBeLessThan(1.5);
    // what is no louder than the mic is left as it is there, too
    const soft = cut[0].map((v) => 0.9 * v);
    const left = await u.cut(0, soft.slice());
    expect(left.every((v, i) => Math.abs(v - soft[i]) < 1e-6)).toBe(true);
    const part = await u.cut(0, (await whole(u.readers[0])).slice(40000, 90000), 40000);
    // but for its ends, where it does not know what comes before and after
    expect(Math.max(...part.subarray(500, 49500).map((v, i) => Math.abs(v - x[40500 + i])))).toBeLessThan(1e-5);
    const other = cut[1].slice();
    expect(await u.cut(1, other)).toEqual(cut[1]);
  });
  it('is told to people by name, with how long it is silent', async () => {
    const u = await heardOn;
    const percent = Math.round((100 * kept.filter((v) => v === 0).length) / N);
    expect(cutNotes(['Tom', 'Snare', 'Hat', 'Overhead'], u, N)).toEqual([`Tom was cut before (silent for ${percent} % of the time): what it heard there is told from the other mics.`]);
    const three = new Map([0, 2, 3].map((m) => [m, [{ from: 0, to: (m + 1) * 10 }]]));
    expect(cutNotes(['Tom', 'Snare', 'Hat', 'Kick'], { silences: three }, 100)).toEqual(['Tom, Hat and Kick were cut before (silent for 10, 30 and 40 % of the time): what they heard there is told from the other mics.']);
    expect(cutNotes(['Tom'], { silences: new Map() }, 100)).toEqual([]);
  });
});

describe('mics that nobody cut', () => {
  it('stay what they are: a recording without silences, a silent mic, a song that pauses', async () => {
    const { mics } = kit();
    const plain = mics.map(readerOf);
    expect((await uncut(RATE, N, plain, DRUMS)).readers).toBe(plain);
    const silent = [...mics.slice(0, 3), new Float32Array(N)].map(readerOf);
    expect((await uncut(RATE, N, silent, DRUMS)).readers).toBe(silent);
    const paused = mics.map((x) => readerOf(x.map((v, i) => (i > 8 * RATE && i < 14 * RATE ? 0 : v))));
    expect((await uncut(RATE, N, paused, DRUMS)).silences.size).toBe(0);
  });
  it('stay what they are where they are no mics of drums: clicks are silent in between', async () => {
    const { mics } = kit();
    const click = new Float32Array(N);
    for (const t of every(0, 1)) for (let i = 0; i < 0.4 * RATE; i++) click[t * RATE + i] = 0.3 * Math.sin(i);
    const readers = [...mics, click].map(readerOf);
    const as = async (own: string | null) => [...(await uncut(RATE, N, readers, [...DRUMS, { own, overhead: false }])).silences.keys()];
    expect(await as(null)).toEqual([]);
    expect(await as('tom-2')).toEqual([4]);
  });
  it('can be cancelled while mics are sought', async () => {
    const { cut } = kit();
    await expect(uncut(RATE, N, cut.map(readerOf), DRUMS, () => {
      throw new Error('stop');
    })).rejects.toThrow('stop');
  });
});
