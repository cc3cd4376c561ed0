import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../dsp/rng';
import { kitMic } from './ownImages';
import { ownLossDb, shareByLoss } from './ownLoss';
import { bandEdges } from './bandFrames';
import { closeFallen } from './closeFallen';
import { followRing } from './ringMask';

const RATE = 48000;
const SECONDS = 12;
const n = SECONDS * RATE;
const STROKES = [1, 2.5, 4, 5.5, 7, 8.5, 10].map((t) => t * RATE);

/** A drum of 120 Hz that falls 60 dB in 0.9 s, at every stroke. */
function drum(strokes: readonly number[], level: (i: number) => number = () => 1): Float32Array {
  const x = new Float32Array(n);
  strokes.forEach((at, k) => {
    for (let i = 0; i < 1.4 * RATE && at + i < n; i++) x[at + i] += 0.5 * level(k) * Math.sin((2 * Math.PI * 120 * i) / RATE) * 10 ** ((-3 * i) / (0.9 * RATE));
  });
  return x;
}
/** A burst of noise from `at` on. */
function burst(x: Float32Array, at: number, seconds: number, level: number) {
  const gauss = createGaussian(createRng(at));
  for (let i = 0; i < seconds * RATE; i++) x[Math.round(at) + i] += level * gauss() * Math.exp(-i / (0.3 * seconds * RATE));
}
const energy = (x: Float32Array, from: number, to: number) => x.subarray(Math.round(from), Math.round(to)).reduce((a, v) => a + v * v, 0);
const db = (a: number, b: number) => 10 * Math.log10((a + 1e-20) / (b + 1e-20));

/** A hat of noise over 4 kHz or so: closed strokes fall 60 dB in 0.15 s, every fourth is open and takes 0.9 s. */
function hat(strokes: readonly number[]): Float32Array {
  const x = new Float32Array(n);
  const gauss = createGaussian(createRng(5));
  strokes.forEach((at, k) => {
    const seconds = k % 4 === 3 ? 0.9 : 0.15;
    let last = 0;
    for (let i = 0; i < seconds * RATE && at + i < n; i++) {
      const v = gauss();
      x[at + i] += 0.2 * (v - last) * 10 ** ((-3 * i) / (seconds * RATE));
      last = v;
    }
  });
  return x;
}

describe('closing what has fallen', () => {
  const strokes = Array.from({ length: 18 }, (_, k) => Math.round((0.5 + 0.6 * k) * RATE));
  const own = hat(strokes);
  const wash = createGaussian(createRng(78));
  const spilled = own.map((v) => v + 0.0006 * wash());
  const out = closeFallen(spilled, RATE, strokes);
  const spillLeft = (from: number, to: number) => db(energy(out.map((v, i) => v - own[i]), from, to), energy(spilled.map((v, i) => v - own[i]), from, to));

  it('is silent between short strokes, and soon before the first', () => {
    for (const [k, at] of strokes.entries()) if (k % 4 !== 3) expect(spillLeft(at + 0.3 * RATE, at + 0.5 * RATE), `stroke ${k}`).toBeLessThan(-12);
    expect(spillLeft(0, 0.4 * RATE)).toBeLessThan(-12);
  });

  it('keeps long strokes until they have fallen', () => {
    for (const [k, at] of strokes.entries()) {
      if (k % 4 !== 3) continue;
      const [a, b] = [at, at + 0.4 * RATE];
      expect(Math.abs(db(energy(out, a, b), energy(spilled, a, b))), `stroke ${k}`).toBeLessThan(0.1);
      expect(db(energy(out, at + 0.25 * RATE, at + 0.35 * RATE), energy(own, at + 0.25 * RATE, at + 0.35 * RATE)), `late in ${k}`).toBeGreaterThan(-1.5);
    }
  });

  it('is silent until just before the next stroke', () => {
    // bands open some frames before a stroke: without silence hiss would be heard there
    for (const k of strokes.keys()) if (k % 4 !== 3 && strokes[k + 1]) expect(spillLeft(strokes[k + 1] - 0.03 * RATE, strokes[k + 1] - 0.006 * RATE), `before ${k + 1}`).toBeLessThan(-40);
  });

  it('holds down what rises again before the next stroke, and closes no open stroke for it', () => {
    // another drum's burst while an open stroke still rings
    const [from, a, b] = [strokes[3] + 0.3 * RATE, strokes[3] + 0.32 * RATE, strokes[3] + 0.36 * RATE];
    const bursts = spilled.slice();
    burst(bursts, from, 0.2, 0.6);
    const kept = closeFallen(bursts, RATE, strokes);
    const over = (y: Float32Array) => energy(y.map((v, i) => v - spilled[i]), a, b);
    expect(db(over(kept), over(bursts))).toBeLessThan(-6);
    expect(db(energy(kept, a, b), energy(own, a, b))).toBeGreaterThan(0);
    expect(energy(kept.map((v, i) => v - out[i]), strokes[3], from - 0.03 * RATE)).toBeLessThan(1e-5 * energy(own, strokes[3], from));
  });

  it('never touches an attack', () => {
    for (const at of strokes) expect(energy(out.map((v, i) => v - spilled[i]), at - 100, at + 0.02 * RATE)).toBeLessThan(1e-6 * energy(own, at, at + 0.02 * RATE));
  });

  it('opens where a stroke begins that is told late', () => {
    const late = strokes.map((at, k) => (k === 6 ? at + 0.014 * RATE : at));
    const [kept, exact] = [closeFallen(spilled, RATE, late), energy(own, strokes[6], strokes[6] + 0.01 * RATE)];
    expect(Math.abs(db(energy(kept, strokes[6], strokes[6] + 0.01 * RATE), exact))).toBeLessThan(0.3);
    // and nowhere else
    expect(db(energy(kept, strokes[6] - 0.03 * RATE, strokes[6] - 0.006 * RATE), exact)).toBeLessThan(-50);
  });

  it('closes over hiss that swells and ebbs', () => {
    const hiss = own.map((_, i) => 0.005 * wash() * (1 + 0.5 * Math.sin((2 * Math.PI * 3.1 * i) / RATE)));
    const noisy = own.map((v, i) => v + hiss[i]);
    const kept = closeFallen(noisy, RATE, strokes);
    const left = strokes.flatMap((at, k) => (k % 4 === 3 ? [] : [db(energy(kept, at + 0.13 * RATE, at + 0.3 * RATE), energy(noisy, at + 0.13 * RATE, at + 0.3 * RATE))])).sort((a, b) => a - b);
    expect(left[left.length >> 1]).toBeLessThan(-40);
  });

  it('lets strokes ring that still fall when the next one comes', () => {
    // half open: 60 dB in 0.35 s, struck every 0.22 s
    const often = Array.from({ length: 48 }, (_, k) => Math.round((0.5 + 0.22 * k) * RATE));
    const x = new Float32Array(n);
    const gauss = createGaussian(createRng(6));
    for (const at of often) {
      let last = 0;
      for (let i = 0; i < 0.22 * RATE; i++) {
        const v = gauss();
        x[at + i] = 0.2 * (v - last) * 10 ** ((-3 * i) / (0.35 * RATE)) + 0.00005 * wash();
        last = v;
      }
    }
    const kept = closeFallen(x, RATE, often);
    const late = often.slice(1, -1).map((at) => db(energy(kept, at + 0.12 * RATE, at + 0.15 * RATE), energy(x, at + 0.12 * RATE, at + 0.15 * RATE))).sort((a, b) => a - b);
    expect(late[late.length >> 1]).toBeGreaterThan(-1);
  });

  it('takes no end of a ring for what is there before strokes, where they come in quick groups', () => {
    // 60 dB in 0.17 s, six strokes 0.13 s apart and a rest
    const groups = Array.from({ length: 48 }, (_, k) => Math.round((0.5 + 1.35 * Math.floor(k / 6) + 0.13 * (k % 6)) * RATE));
    const x = new Float32Array(n);
    const gauss = createGaussian(createRng(7));
    for (const [k, at] of groups.entries()) {
      let last = 0;
      for (let i = at; i < Math.min(n, groups[k + 1] ?? n); i++) {
        const v = gauss();
        x[i] = 0.2 * (v - last) * 10 ** ((-3 * (i - at)) / (0.17 * RATE)) + 0.00005 * wash();
        last = v;
      }
    }
    const kept = closeFallen(x, RATE, groups);
    const change = (from: number, to: number) => groups.filter((_, k) => k % 6 !== 5).map((at) => db(energy(kept, at + from * RATE, at + to * RATE), energy(x, at + from * RATE, at + to * RATE))).sort((a, b) => a - b)[20];
    expect(change(0.06, 0.1)).toBeGreaterThan(-1);
  });

  it('leaves bands to ring where the end of a stroke cannot be told, and a mic with few strokes as it is', () => {
    // what is there before strokes lies not far under them
    const close = hat(strokes).map((v) => v + 0.045 * wash());
    const kept = closeFallen(close, RATE, strokes);
    for (const at of strokes.slice(0, 3)) expect(db(energy(kept, at + 0.3 * RATE, at + 0.5 * RATE), energy(close, at + 0.3 * RATE, at + 0.5 * RATE))).toBeGreaterThan(-3);
    expect(closeFallen(spilled, RATE, strokes.slice(0, 5))).toBe(spilled);
  });
});

describe("following a drum's own decay", () => {
  const own = drum(STROKES);
  const wash = createGaussian(createRng(77));
  const spilled = own.map((v) => v + 0.004 * wash());
  // some strokes are followed by another drum's
  for (let k = 0; k < 2; k++) burst(spilled, STROKES[3 * k + 1] + 0.5 * RATE, 0.15, 0.05);

  it('takes down what is louder than the drum can be, in tails and in gaps', () => {
    const out = followRing(spilled, RATE, 'tom', STROKES);
    const [left, before] = [out.map((v, i) => v - own[i]), spilled.map((v, i) => v - own[i])];
    for (let k = 0; k < 2; k++) {
      const [a, b] = [STROKES[3 * k + 1] + 0.5 * RATE, STROKES[3 * k + 1] + 0.6 * RATE];
      expect(db(energy(left, a, b), energy(before, a, b)), 'burst').toBeLessThan(-6);
    }
    for (const at of STROKES) expect(db(energy(left, at + 1.2 * RATE, at + 1.4 * RATE), energy(before, at + 1.2 * RATE, at + 1.4 * RATE)), 'gap').toBeLessThan(-10);
  });

  it('takes down further what is louder once the drum has fallen far: it is mostly others then', () => {
    // the drum has fallen by 13 and 33 dB there
    const [early, late] = [0.2, 0.5];
    const heard = own.map((v) => v + 0.0005 * wash());
    const level = (x: Float32Array, at: number) => energy(x, at, at + 0.04 * RATE);
    // another drum's ring in the same band, 15 dB over this one's, in every second tail
    for (const [k, at] of STROKES.entries()) {
      for (const after of k % 2 ? [early, late] : []) {
        const from = Math.round(at + after * RATE);
        const loud = Math.sqrt((2 * 10 ** 1.5 * level(own, from)) / (0.04 * RATE));
        for (let i = 0; i < 0.08 * RATE; i++) heard[from - 960 + i] += loud * Math.sin((2 * Math.PI * 117 * i) / RATE) * Math.sin((Math.PI * i) / (0.08 * RATE));
      }
    }
    const out = followRing(heard, RATE, 'tom', STROKES);
    const over = (after: number, x = out) => {
      const list = STROKES.flatMap((at, k) => (k % 2 ? [db(level(x, Math.round(at + after * RATE)), level(own, Math.round(at + after * RATE)))] : [])).sort((a, b) => a - b);
      return list[list.length >> 1];
    };
    // the first may be a stroke that nobody found
    expect(over(early)).toBeGreaterThan(10);
    expect(over(late)).toBeLessThan(3);
    expect(over(late, followRing(heard, RATE, 'snare', STROKES))).toBeGreaterThan(6);
    // and nothing of the drum is missing
    expect(over(0.3)).toBeCloseTo(0, 1);
  });

  it('holds bands in which little is left to what is some way over the usual decay, but leaves what may be a stroke that nobody found', () => {
    const [a, b] = [STROKES[2] + 0.9 * RATE, STROKES[2] + 1.1 * RATE];
    // the drum alone, and one burst of highs in a gap: as loud as strokes are, or soft
    const struck = (level: number) => {
      const x = own.slice();
      burst(x, a, 0.1, level);
      return x;
    };
    const left = (y: Float32Array, x: Float32Array) => db(energy(y.map((v, i) => v - own[i]), a, b), energy(x.map((v, i) => v - own[i]), a, b));
    const [loud, soft] = [struck(0.3), struck(0.005)];
    expect(left(followRing(loud, RATE, 'tom', STROKES), loud)).toBeGreaterThan(-1);
    const held = followRing(soft, RATE, 'tom', STROKES);
    expect(left(held, soft)).toBeLessThan(-10);
    // kicks may lie further over their usual decay
    expect(left(followRing(soft, RATE, 'kick', STROKES), soft)).toBeGreaterThan(left(held, soft) + 1);
    for (const at of STROKES) expect(Math.abs(db(energy(held, at, at + 0.5 * RATE), energy(own, at, at + 0.5 * RATE)))).toBeLessThan(0.05);
    // where a stroke may be it is left
    expect(left(followRing(soft, RATE, 'tom', STROKES, [...STROKES, a].sort((p, q) => p - q)), soft)).toBeGreaterThan(-3);
  });

  it('takes down after the attack what is struck with most strokes in bands where the drum itself has little, however hard it is struck', () => {
    const strokes = Array.from({ length: 11 }, (_, i) => (0.5 + i) * RATE);
    const mine = new Float32Array(n);
    const level = (k: number) => (k % 3 === 0 ? 0.2 : 1);
    strokes.forEach((at, k) => {
      for (let p = 0; p < 12; p++) for (let i = 0; i < 0.5 * RATE && at + i < n; i++) mine[at + i] += 0.1 * level(k) * Math.sin((2 * Math.PI * 110 * 1.31 ** p * i) / RATE) * 10 ** ((-3 * i) / (0.6 * RATE));
      burst(mine, at, 0.5, 0.003 * level(k));
    });
    const struck = mine.map((v) => v + 0.006 * wash());
    const alone = [4, 7];
    strokes.forEach((at, k) => {
      const hat = new Float32Array(n);
      if (!alone.includes(k)) burst(hat, at + 10, 0.5, 0.05);
      // of highs alone
      for (let i = 2; i < n; i++) struck[i] += hat[i] - 2 * hat[i - 1] + hat[i - 2];
    });
    const out = followRing(struck, RATE, 'snare', strokes);
    const tail = (x: Float32Array, k: number) => energy(x.map((v, i) => v - mine[i]), strokes[k] + 0.06 * RATE, strokes[k] + 0.25 * RATE);
    for (const k of [2, 3, 6, 9]) expect(db(tail(out, k), tail(struck, k)), `stroke ${k}`).toBeLessThan(-8);
    for (const k of alone) expect(Math.abs(db(energy(out, strokes[k], strokes[k] + 0.4 * RATE), energy(mine, strokes[k], strokes[k] + 0.4 * RATE))), `stroke ${k}`).toBeLessThan(0.15);
    // with few strokes none may have been struck alone
    const few = strokes.slice(0, 7);
    const little = followRing(struck, RATE, 'snare', few);
    expect(db(tail(little, 2), tail(struck, 2))).toBeGreaterThan(db(tail(out, 2), tail(struck, 2)) + 3);
  });

  it('never touches the attack, and leaves a mic without spill as it is', () => {
    const out = followRing(own, RATE, 'tom', STROKES);
    const difference = out.map((v, i) => v - own[i]);
    for (const at of STROKES) expect(energy(difference, at - 200, at + 0.02 * RATE)).toBeLessThan(1e-6 * energy(own, at, at + 0.02 * RATE));
    expect(db(energy(difference, 0, n), energy(own, 0, n))).toBeLessThan(-40);
  });

  it('leaves a drum its ring where it is struck so often that it never falls silent', () => {
    // every 0.45 s, ringing 0.9 s: what is there before a stroke is the drum itself
    const often = Array.from({ length: 24 }, (_, k) => Math.round((0.5 + 0.45 * k) * RATE));
    const dense = drum(often, (k) => (k % 3 === 0 ? 1 : 0.4));
    const out = followRing(dense, RATE, 'tom', often);
    expect(db(energy(out.map((v, i) => v - dense[i]), 0, n), energy(dense, 0, n))).toBeLessThan(-20);
  });

  it('adds up strokes of a roll: they ring on together', () => {
    const roll = STROKES.flatMap((at) => [0, 0.09, 0.18, 0.27].map((d) => Math.round(at + d * RATE)));
    const x = drum(roll);
    const out = followRing(x, RATE, 'tom', roll);
    expect(db(energy(out.map((v, i) => v - x[i]), 0, n), energy(x, 0, n))).toBeLessThan(-20);
  });

  it('needs three strokes to say how a drum rings', () => {
    expect(followRing(own, RATE, 'tom', STROKES.slice(0, 2))).toBe(own);
  });

  it('has bands that cover every bin once', () => {
    const edges = bandEdges(RATE);
    expect(edges[0]).toBe(0);
    expect(edges[edges.length - 1]).toBe(1025);
    expect(edges.every((e, i) => i === 0 || e > edges[i - 1])).toBe(true);
  });
});

describe('what de-bleed took of the drum itself', () => {
  const raw = drum(STROKES);
  it('is told at strokes that stand alone', () => {
    expect(ownLossDb(raw, raw, RATE, STROKES, [])).toBeCloseTo(0, 3);
    expect(ownLossDb(raw, raw.map((v) => 0.5 * v), RATE, STROKES, [])).toBeCloseTo(-6.02, 1);
    // no stroke is alone: no witness
    expect(ownLossDb(raw, raw.map((v) => 0.5 * v), RATE, STROKES, STROKES.map((f) => f + 100))).toBe(0);
  });

  it('leaves the mic as it came where it is a lot', () => {
    expect(shareByLoss(0.2)).toBe(1);
    expect(shareByLoss(-0.5)).toBe(1);
    expect(shareByLoss(-1)).toBeCloseTo(0.5, 6);
    expect(shareByLoss(-3)).toBe(0);
  });
});

describe('mics of a kit by role', () => {
  it('own a drum only where they stand close to it', () => {
    expect(kitMic('snare-bottom')).toMatchObject({ own: 'snare', overhead: false });
    expect(kitMic('overhead-left')).toMatchObject({ own: null, overhead: true });
    expect(kitMic('room-left')).toMatchObject({ own: null, overhead: false });
  });
});
