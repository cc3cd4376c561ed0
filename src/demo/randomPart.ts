/**
 * A part drawn from a seed: grooves on hat, ride or toms, ghost notes, doubles, fills, flams, rolls, crashes, soft tom strokes under ringing
 * cymbals; at least some 40 tom strokes a minute. Human timing and strength.
 */
import { createGaussian, createRng } from '../core/dsp/rng';
import type { Stroke } from './strokes';

/** Nearer than this no hand strikes one drum twice (a flam's strokes are twice as far apart), seconds. */
const TWICE_S = 0.012;

/** `strokes` in order of time, of such as fall together on one drum the harder one. */
export function playable(strokes: readonly Stroke[]): Stroke[] {
  const out: Stroke[] = [];
  for (const s of strokes) {
    const before = out.findLastIndex((o) => o.drum === s.drum);
    const twice = before >= 0 && s.time - out[before].time < TWICE_S;
    if (twice && s.strength <= out[before].strength) continue;
    if (twice) out.splice(before, 1);
    out.push(s);
  }
  return out;
}

export function randomPart(seed: number, seconds: number, drums: readonly string[]): Stroke[] {
  const uniform = createRng(seed * 13 + 5);
  const gauss = createGaussian(uniform);
  const out: Stroke[] = [];
  const toms = drums.filter((d) => d.startsWith('tom'));
  const step = 60 / (84 + 70 * uniform()) / 4;
  const tight = 0.003 + 0.004 * uniform();
  const put = (drum: string, time: number, strength: number, open?: number) => {
    const t = time + tight * gauss();
    if (!drums.includes(drum) || t < 0.2 || t > seconds - 0.4) return;
    out.push({ drum, time: t, strength: Math.min(1, Math.max(0.07, strength * (1 + 0.09 * gauss()))), open });
  };
  const chance = (p: number) => uniform() < p;
  const pick = <T>(list: readonly T[]): T => list[Math.floor(uniform() * list.length)];
  const flam = (drum: string, t: number, strength: number) => {
    put(drum, t - 0.03 - 0.012 * uniform(), strength * 0.45);
    put(drum, t, strength);
  };
  /** Strokes of a fill: falling from drum to drum, some very soft, a roll or a flam now and then. */
  const fill = (from: number, steps: number) => {
    const order = [...(chance(0.5) ? ['snare'] : []), ...toms];
    const soft = chance(0.35);
    for (let k = 0; k < steps; k++) {
      const drum = order[Math.min(order.length - 1, Math.floor((k / steps) * order.length))];
      const t = from + k * step;
      const s = soft ? 0.12 + 0.4 * uniform() : 0.4 + 0.6 * uniform();
      if (chance(0.1)) flam(drum, t, s);
      else if (chance(0.12)) for (let i = 0; i < 3; i++) put(drum, t + (i * step) / 2, s * (0.6 + 0.2 * i));
      else if (chance(0.88)) put(drum, t, s);
      if (k % 4 === 0 && chance(0.5)) put('kick', t, 0.6 + 0.4 * uniform());
      if (k % 4 === 0 && chance(0.3)) put('hat', t, 0.4 + 0.2 * uniform());
    }
  };
  let bar = 0;
  for (let t0 = 0.5; t0 < seconds; t0 += 16 * step, bar++) {
    const kind = chance(0.3) ? 'toms' : chance(0.45) ? 'ride' : 'hat';
    const filled = chance(0.45) ? pick([4, 6, 8]) : 0;
    const groove = 16 - filled;
    if (bar > 0 && chance(0.4)) put('crash', t0, 0.55 + 0.45 * uniform());
    for (let k = 0; k < groove; k++) {
      const t = t0 + k * step;
      if (k === 0 || k === 8 || chance(0.13)) put('kick', t, 0.6 + 0.4 * uniform());
      if ((k === 4 || k === 12) && chance(0.93)) {
        if (chance(0.08)) flam('snare', t, 0.9);
        else put('snare', t, 0.7 + 0.3 * uniform());
      } else if (chance(0.12)) put('snare', t, 0.14 + 0.2 * uniform());
      if (kind === 'hat' && (k % 2 === 0 || chance(0.12))) put('hat', t, k % 4 === 0 ? 0.55 + 0.3 * uniform() : 0.25 + 0.3 * uniform(), chance(0.05) ? 0.6 : 0);
      if (kind === 'ride') {
        if (k % 2 === 0) put('ride', t, k % 4 === 0 ? 0.5 + 0.3 * uniform() : 0.3 + 0.3 * uniform());
        if (k % 8 === 4) put('hat', t, 0.3 + 0.25 * uniform());
      }
      if (kind === 'toms') {
        if (k % 4 === 0 && chance(0.25)) put('crash', t, 0.4 + 0.5 * uniform());
        if (chance(0.34)) put(pick(toms), t, chance(0.5) ? 0.1 + 0.25 * uniform() : 0.3 + 0.6 * uniform());
      } else if (chance(0.05)) put(pick(toms), t, 0.12 + 0.6 * uniform());
    }
    fill(t0 + groove * step, filled);
  }
  return playable(out.sort((a, b) => a.time - b.time));
}

/** Of a drum's strokes three, evenly spread; the others' as they are. */
export function threeOf<S extends { readonly drum: string }>(strokes: readonly S[], drum: string): S[] {
  const mine = strokes.filter((s) => s.drum === drum);
  const kept = [0.5, 1.5, 2.5].map((k) => mine[Math.floor((k * mine.length) / 3)]);
  return strokes.filter((s) => s.drum !== drum || kept.includes(s));
}
