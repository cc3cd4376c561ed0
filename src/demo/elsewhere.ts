/**
 * Made recordings elsewhere: room, kit, mics and part drawn far more freely than in randomKit.ts. Kits stand anywhere in rooms of any size, mirrored for left hands, some with a
 * second crash; overheads are spaced, wide, coincident or one alone; there are two rooms, one or none; mics of hat, snare bottom or kick may be missing; parts run from ballads to
 * double kicks, the time kept on hat, ride, crash or toms. What was learnt in one kind of room from one kind of part is told by these (docs/decisions/0006-hits.md).
 */
import { createGaussian, createRng } from '../core/dsp/rng';
import type { DrumPlace, MicPlace, Point } from './geometry';
import type { RecordingPlan, Voice } from './makeRecording';
import { type RandomSpec, tunedVoice } from './randomKit';
import { playable } from './randomPart';
import { withSpill } from './spillLevels';
import type { Stroke } from './strokes';
import { changed } from './unlikeSounds';

/** A second crash: a drum of its own to the room, a crash to those who count. */
export const SECOND_CRASH = 'crash-2';

/** Enough to tell how loud spill is. */
const TRIAL_S = 15;

type Draw = ReturnType<typeof drawer>;

function drawer(seed: number) {
  const uniform = createRng(seed);
  const gauss = createGaussian(uniform);
  return {
    uniform, gauss,
    between: (lo: number, hi: number) => lo + (hi - lo) * uniform(),
    chance: (p: number) => uniform() < p,
    pick: <T>(list: readonly T[]): T => list[Math.floor(uniform() * list.length)],
  };
}

const add = (a: Point, b: Point): Point => [a[0] + b[0], a[1] + b[1], a[2] + b[2]];

/** Drums around the stool at `stool` (metres on the floor), x to the drummer's left unless mirrored; `toms` of them. */
function drumsAround(d: Draw, stool: Point, left: number, toms: 2 | 3): DrumPlace[] {
  const at = (x: number, y: number, z: number, move: number): Point => add(stool, [left * x + move * d.gauss(), y + move * d.gauss(), Math.max(0.2, z + 0.4 * move * d.gauss())]);
  const kick = at(0, -0.7, 0.3, 0.05);
  const snare = at(0.2, -0.25, 0.66, 0.05);
  const hat = at(0.6, -0.35, 0.93, 0.08);
  const cymbal = (id: string, c: Point, levelDb: number): DrumPlace => ({ id, label: id, points: [c, add(c, [-0.14, 0.1, 0.02]), add(c, [0.14, -0.1, -0.02])], size: 0.2, levelDb: levelDb + 2.5 * d.gauss(), scatter: 0.04 });
  const tomAt = [at(0.12, -0.68, 0.9, 0.06), ...(toms === 3 ? [at(-0.27, -0.66, 0.88, 0.06)] : []), at(-0.62, -0.2, 0.64, 0.08)];
  const [top, fall] = [d.between(115, 180), d.between(0.5, 0.7)];
  return [
    { id: 'kick', label: 'Kick', points: [kick, add(kick, [0, -d.between(0.3, 0.42), 0])], size: 0.16, levelDb: -2 + 2 * d.gauss(), scatter: 0.01 },
    { id: 'snare', label: 'Snare', points: [snare, add(snare, [0, 0, -0.14])], size: 0.06, levelDb: -2 + 2 * d.gauss(), scatter: 0.03 },
    { id: 'hat', label: 'Hat', points: [hat, add(hat, [0.08, -0.08, -0.02])], size: 0.06, levelDb: -3 + 2.5 * d.gauss(), scatter: 0.03 },
    ...tomAt.map((p, i): DrumPlace => ({
      id: `tom-${i + 1}`, label: `Tom ${i + 1}`, points: [p, add(p, [0, 0, -d.between(0.2, 0.4)])], size: 0.055, levelDb: 2 + 2 * d.gauss(), scatter: 0.04,
      ring: { hz: top * fall ** (i / (toms - 1)), t60: d.between(0.5, 1.5) },
    })),
    cymbal('crash', at(0.6, -0.8, 1.32, 0.14), -6),
    ...(d.chance(0.4) ? [cymbal(SECOND_CRASH, at(-0.7, -0.85, 1.36, 0.14), -6)] : []),
    cymbal('ride', at(-0.7, -0.5, 1.1, 0.14), -10),
  ];
}

function micsAround(d: Draw, stool: Point, room: Point, drums: readonly DrumPlace[], left: number): MicPlace[] {
  const out: MicPlace[] = [];
  const put = (name: string, role: string, own: string | null, at: Point, aim: Point, more: Partial<MicPlace> = {}) =>
    out.push({ file: `${String(out.length + 1).padStart(2, '0')} ${name}.wav`, name, role, own, at: [at[0], at[1], Math.max(0.1, at[2])], aim, pattern: d.between(0.36, 0.55), polarity: 1, shieldDb: 0, peakDb: -8 + 3 * d.gauss(), ...more });
  const point = (id: string, k = 0): Point => (drums.find((x) => x.id === id) as DrumPlace).points[k];
  const off = (by: number): Point => [by * d.gauss(), by * d.gauss(), 0.5 * by * d.gauss()];
  const kicks = d.pick(['both', 'both', 'in', 'out']);
  if (kicks !== 'out') put('Kick In', 'kick-in', 'kick', add(point('kick'), add([0, -0.13, 0.02], off(0.03))), point('kick'), { shieldDb: d.between(4, 10) });
  if (kicks !== 'in') put('Kick Out', 'kick-out', 'kick', add(point('kick', 1), add([0, -0.2, 0.02], off(0.04))), point('kick', 1), { shieldDb: d.between(0, 4) });
  put('Snare Top', 'snare-top', 'snare', add(point('snare'), add([left * 0.1, -0.1, 0.07], off(0.02))), point('snare'));
  if (d.chance(0.7)) put('Snare Bottom', 'snare-bottom', 'snare', add(point('snare', 1), add([0, -0.05, -0.1], off(0.02))), point('snare', 1), { polarity: d.chance(0.8) ? -1 : 1 });
  if (d.chance(0.82)) put('Hat', 'hat', 'hat', add(point('hat'), add([left * 0.1, 0.08, 0.13], off(0.03))), point('hat'));
  for (const t of drums) {
    if (!t.id.startsWith('tom')) continue;
    const [turn, far] = [2 * Math.PI * d.uniform(), d.between(0.07, 0.15)];
    put(t.label, t.id, t.id, add(t.points[0], [far * Math.cos(turn), far * Math.sin(turn), d.between(0.04, 0.1)]), t.points[0]);
  }
  const over = d.pick(['spaced', 'spaced', 'wide', 'together', 'one']);
  const [centre, high] = [add(stool, [0, -0.4, 0.8]), d.between(1.75, 2.3)];
  if (over === 'one') put('Overhead', 'overhead', null, add(stool, add([0, -0.35, high], off(0.1))), centre, { pattern: 0.5 });
  else {
    const reach = { spaced: d.between(0.5, 0.85), wide: d.between(0.95, 1.25), together: 0.06 }[over] ?? 0.7;
    for (const [side, s] of [['Left', 1], ['Right', -1]] as const) {
      put(`Overhead ${side}`, `overhead-${side.toLowerCase()}`, null, add(stool, add([s * reach, -0.4, high], off(0.05))), add(centre, [s * (over === 'together' ? 1.2 : 0.5), 0, 0]), { pattern: 0.5 });
    }
  }
  const rooms = d.pick([0, 1, 2, 2]);
  const roomAt = (k: number): Point => [room[0] * (0.2 + 0.6 * k), room[1] * d.between(0.1, 0.2), d.between(0.8, 1.9)];
  if (rooms === 1) put('Room', 'room', null, roomAt(d.uniform()), centre, { pattern: 1 });
  else if (rooms === 2) for (const [k, side] of ['left', 'right'].entries()) put(`Room ${side}`, `room-${side}`, null, roomAt(k), centre, { pattern: 1 });
  return out;
}

/** A part of sections: each keeps the time in its own way, at its own strength. */
export function freePart(seed: number, seconds: number, drums: readonly string[]): Stroke[] {
  const d = drawer(seed * 19 + 11);
  const out: Stroke[] = [];
  const toms = drums.filter((x) => x.startsWith('tom'));
  const crashes = drums.filter((x) => x.startsWith('crash'));
  const beat = 60 / Math.exp(d.between(Math.log(62), Math.log(190)));
  const beats = d.pick([4, 4, 4, 3]);
  const tight = d.between(0.002, 0.007);
  const put = (drum: string, time: number, strength: number, open?: number) => {
    const t = time + tight * d.gauss();
    if (t < 0.15 || t > seconds - 0.4) return;
    out.push({ drum, time: t, strength: Math.min(1, Math.max(0.07, strength * (1 + 0.1 * d.gauss()))), open });
  };
  const fill = (from: number, long: number) => {
    const order = d.chance(0.6) ? ['snare', ...toms] : [...toms, 'snare', ...toms];
    const steps = Math.max(2, Math.round(long * d.pick([3, 4, 4])));
    const soft = d.chance(0.35) ? d.between(0.1, 0.4) : d.between(0.5, 0.9);
    for (let k = 0; k < steps; k++) {
      const drum = order[Math.min(order.length - 1, Math.floor((k * order.length) / steps))];
      const t = from + (k * long * beat) / steps;
      if (d.chance(0.1)) put(drum, t - d.between(0.028, 0.045), 0.4 * soft);
      if (d.chance(0.9)) put(drum, t, soft + (1 - soft) * 0.5 * d.uniform());
      if (d.chance(0.12)) put('kick', t, 0.8);
    }
  };
  // how crashes are struck is a habit: with the kick, or alone; often or hardly
  const [crashOften, withKick] = [d.between(0.15, 0.8), d.between(0.4, 1)];
  let [section, left] = [0, 0];
  let [keeper, division, kicks, ghosts, tomsOften, loud] = ['hat', 2, 0.15, 0.1, 0.05, 0.7];
  for (let t0 = d.between(0.3, 1.2); t0 < seconds; t0 += beats * beat) {
    if (left-- <= 0) {
      section++;
      left = d.pick([1, 1, 3, 3, 5]);
      keeper = d.pick(['hat', 'hat', 'ride', 'ride', 'crash', 'toms', 'none']);
      division = beat > 0.6 ? d.pick([2, 3, 4, 4]) : beat > 0.42 ? d.pick([1, 2, 2, 3, 4]) : d.pick([1, 1, 2]);
      kicks = d.pick([0.05, 0.15, 0.3, beat < 0.45 ? 0.85 : 0.4]);
      ghosts = d.pick([0.02, 0.1, 0.25]);
      tomsOften = keeper === 'toms' ? d.between(0.3, 0.6) : d.pick([0.02, 0.06, 0.15]);
      loud = d.between(0.35, 0.9);
    }
    const filled = d.chance(0.4) ? d.pick([1, 1, 2, beats]) : 0;
    if (d.chance(left === 0 || section === 1 ? crashOften : 0.4 * crashOften)) {
      put(d.pick(crashes), t0, d.between(0.4, 1));
      if (d.chance(withKick)) put('kick', t0, 0.9);
      if (d.chance(0.1)) put(d.pick(crashes), t0 + 0.5 * beat, d.between(0.4, 0.9));
    }
    const steps = (beats - filled) * 4;
    for (let k = 0; k < steps; k++) {
      const t = t0 + (k * beat) / 4;
      if (k === 0 ? d.chance(0.8) : d.chance(k % 2 === 0 || kicks > 0.8 ? kicks : 0.3 * kicks)) put('kick', t, d.between(0.5, 1));
      if (k % 8 === 4 ? d.chance(0.9) : false) put('snare', t, loud + 0.25);
      else if (d.chance(ghosts)) put('snare', t, d.between(0.08, 0.3));
      if (d.chance(tomsOften)) put(d.pick(toms), t, d.chance(0.5) ? d.between(0.08, 0.35) : d.between(0.4, 1));
    }
    const ticks = (beats - filled) * division;
    for (let k = 0; k < ticks; k++) {
      const t = t0 + (k * beat) / division;
      const s = loud * (k % division === 0 ? d.between(0.75, 1) : d.between(0.4, 0.75));
      if (keeper === 'hat') put('hat', t, s, d.chance(0.06) ? 0.7 : 0);
      else if (keeper === 'ride') put('ride', t, s);
      else if (keeper === 'crash' && (division < 3 || k % 2 === 0)) put(crashes[0], t, s);
      if (keeper !== 'hat' && k % (2 * division) === division && d.chance(0.5)) put('hat', t, d.between(0.2, 0.5));
    }
    if (filled) fill(t0 + (beats - filled) * beat, filled);
  }
  // in many songs a cymbal is hardly struck, or never
  const hardly = (cymbals: readonly string[]): Set<Stroke> => {
    const mine = out.filter((s) => cymbals.includes(s.drum));
    const kept = d.chance(0.3) ? Math.floor(6 * d.uniform()) : mine.length;
    return new Set(mine.sort((a, b) => ((a.time * 997) % 1) - ((b.time * 997) % 1)).slice(kept));
  };
  const dropped = new Set([...hardly(crashes), ...hardly(['ride'])]);
  return playable(out.filter((s) => !dropped.has(s)).sort((a, b) => a.time - b.time));
}

/** The second crash sounds as the first does, faster or slower. */
function withSecondCrash(voice: Voice, speed: number): Voice {
  return (stroke, points, rate, seed) =>
    stroke.drum !== SECOND_CRASH ? voice(stroke, points, rate, seed) : voice({ ...stroke, drum: 'crash' }, points, rate, seed).map((x) => changed(x, rate, 1, { speed, tiltDb: 0, decay: 0, drive: 0, rise: 0 }));
}

export function elsewhereRecording(spec: RandomSpec): RecordingPlan {
  const { seed, seconds } = spec;
  const d = drawer(seed * 23 + 5);
  const toms = spec.toms ?? 3;
  const room: Point = [d.between(4, 10), d.between(3.8, 8), d.between(2.4, 4.2)];
  const stool: Point = [room[0] * d.between(0.4, 0.6), room[1] * d.between(0.45, 0.65), 0];
  const left = d.chance(0.25) ? -1 : 1;
  const drums = drumsAround(d, stool, left, toms);
  const voice = spec.voice ?? tunedVoice(seed, drums.flatMap((x) => (x.id.startsWith('tom') ? [x.id] : [])));
  const plan: RecordingPlan = {
    rate: spec.rate ?? 48000, seconds, seed, room, drums,
    mics: micsAround(d, stool, room, drums, left),
    strokes: freePart(seed, seconds, drums.map((x) => x.id)),
    t60: d.between(0.2, 0.6),
    voice: withSecondCrash(voice, d.between(0.8, 1.25)),
    truth: spec.truth,
  };
  return withSpill(plan, spec.spill, TRIAL_S);
}
