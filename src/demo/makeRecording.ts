/**
 * A made recording with known truth: strokes of a kit, heard by every mic through a room.
 *
 * Per radiating point and mic: a fractional delay at 343 m/s for every single stroke (it lands elsewhere each time), 1/d with a finite
 * source size, the mic's polar pattern and its duller sound off axis, reflections by image sources up to order 2 (J. Allen, D. Berkley,
 * JASA 65(4), 1979), and a diffuse tail that differs from mic to mic. Toms ring with the rest of the kit, wires buzz, preamps hiss.
 *
 * Truth at a close mic is its own drum alone: direct sound and reflections within 20 ms; what comes later is kept apart as "late".
 */
import { createGaussian, createRng } from '../core/dsp/rng';
import { type DrumPlace, type MicPlace, type Point, cosineOff, distance } from './geometry';
import { type RoomOutput, mixRooms } from './mixRooms';
import { type Stroke, strokeSound } from './strokes';

const SOUND = 343;
const EARLY_S = 0.02;
const WALL = 0.62;
const NOISE_DB = -72;

export interface MadeHit {
  /** Seconds at which the stroke reaches the drum's first close mic, or the first overhead for drums without one. */
  readonly time: number;
  readonly strength: number;
}

export interface MadeRecording {
  readonly rate: number;
  readonly frames: number;
  readonly mics: readonly MicPlace[];
  /** In the order of the mics. */
  readonly audio: readonly Float32Array[];
  /** At each close mic its own drum alone; null for the others. */
  readonly truth: readonly (Float32Array | null)[];
  readonly late: readonly (Float32Array | null)[];
  /** Contact times (source side) by drum. */
  readonly hits: Readonly<Record<string, readonly MadeHit[]>>;
  /** Seconds from contact to arrival at each mic's own drum, 0 for mics without one. */
  readonly offsets: readonly number[];
  /** Seconds from contact to arrival at the first overhead, by drum. */
  readonly overheadOffsets: Readonly<Record<string, number>>;
}

export interface RecordingPlan {
  readonly rate: number;
  readonly seconds: number;
  readonly seed: number;
  readonly room: Point;
  readonly drums: readonly DrumPlace[];
  readonly mics: readonly MicPlace[];
  readonly strokes: readonly Stroke[];
  /** Seconds of the diffuse tail to -60 dB. */
  readonly t60: number;
  /** Dry sound of a stroke; synthesised where not given. */
  readonly voice?: Voice;
  /** False: no drum alone is made, which takes half the time. */
  readonly truth?: boolean;
}

/** Dry sound of a stroke, one signal for each radiating point of its drum, beginning at the contact. `seed` makes it this one. */
export type Voice = (stroke: Stroke, points: number, rate: number, seed: number) => Float32Array[];

/** A second crash ("crash-2") is a crash to those who count. */
const countsAs = (drum: string): string => (drum.startsWith('crash') ? 'crash' : drum);

/** Adds `x` delayed by `delay` samples (third-order Lagrange between samples) times `gain`. */
function addDelayed(out: Float32Array, x: Float32Array, delay: number, gain: number) {
  const whole = Math.floor(delay) - 1;
  const f = delay - Math.floor(delay) + 1;
  const c0 = (-(f - 1) * (f - 2) * (f - 3)) / 6;
  const c1 = (f * (f - 2) * (f - 3)) / 2;
  const c2 = (-f * (f - 1) * (f - 3)) / 2;
  const c3 = (f * (f - 1) * (f - 2)) / 6;
  const [g0, g1, g2, g3] = [gain * c0, gain * c1, gain * c2, gain * c3];
  let [x1, x2, x3] = [0, 0, 0];
  const from = Math.max(0, -whole);
  const n = Math.min(x.length, out.length - whole);
  for (let i = from; i < n; i++) {
    const x0 = x[i];
    out[whole + i] += g0 * x0 + g1 * x1 + g2 * x2 + g3 * x3;
    [x3, x2, x1] = [x2, x1, x0];
  }
}

/** Adds `x` through a one-pole low-pass. */
function addDulled(out: Float32Array, x: Float32Array, rate: number, hz: number) {
  const k = 1 - Math.exp((-2 * Math.PI * hz) / rate);
  let y = 0;
  for (let i = 0; i < x.length; i++) {
    y += k * (x[i] - y);
    if (y < 1e-20 && y > -1e-20) y = 0;
    out[i] += y;
  }
}

/** One-pole low-pass in place; its tail ends at -400 dB instead of in denormal numbers, which are many times slower. */
function dull(x: Float32Array, rate: number, hz: number) {
  const k = 1 - Math.exp((-2 * Math.PI * hz) / rate);
  let y = 0;
  for (let i = 0; i < x.length; i++) {
    y += k * (x[i] - y);
    if (y < 1e-20 && y > -1e-20) y = 0;
    x[i] = y;
  }
}

const pathGain = (mic: MicPlace, d: DrumPlace, p: Point) => {
  const r = distance(mic.at, p);
  const polar = mic.pattern + (1 - mic.pattern) * cosineOff(mic, p);
  // even a perfect cardioid hears something from behind
  const shield = mic.own === d.id ? 1 : 10 ** (-mic.shieldDb / 20);
  return (shield * Math.sign(polar || 1) * Math.max(Math.abs(polar), 0.06)) / Math.hypot(r, d.size);
};

/** Corner of the treble loss off axis: open in front, 3.5 kHz from behind. */
const offAxisHz = (mic: MicPlace, p: Point) => 20000 * (3500 / 20000) ** ((1 - cosineOff(mic, p)) / 2);

/** Mirror images of a point in a room up to order 2, with the number of walls met. */
function images(p: Point, room: Point): { at: Point; order: number }[] {
  const out: { at: Point; order: number }[] = [];
  const axis = (x: number, len: number) => [
    { v: x, n: 0 }, { v: -x, n: 1 }, { v: 2 * len - x, n: 1 }, { v: 2 * len + x, n: 2 }, { v: x - 2 * len, n: 2 },
  ];
  for (const x of axis(p[0], room[0])) {
    for (const y of axis(p[1], room[1])) {
      for (const z of axis(p[2], room[2])) {
        const order = x.n + y.n + z.n;
        if (order > 0 && order <= 2) out.push({ at: [x.v, y.v, z.v], order });
      }
    }
  }
  return out;
}

/** Decaying noise: the diffuse sound of the room at one mic, from 18 ms on. */
function tail(rate: number, t60: number, seed: number): Float32Array {
  const gauss = createGaussian(createRng(seed));
  const out = new Float32Array(Math.min(32768, Math.ceil(t60 * rate)));
  const from = Math.round(0.018 * rate);
  for (let i = from; i < out.length; i++) out[i] = gauss() * 10 ** ((-3 * i) / (t60 * rate)) * Math.min(1, (i - from) / (0.01 * rate));
  dull(out, rate, 5500);
  let e = 0;
  for (const v of out) e += v * v;
  const g = 1 / Math.sqrt(e);
  return out.map((v) => v * g);
}

/** How loud the diffuse field is against a source at 1 m. */
const DIFFUSE = 0.27;

/** What the room adds to a drum at a mic: reflections duller with each wall, and the tail; all of it, or what comes within 20 ms, or later. */
function roomResponse(plan: RecordingPlan, m: MicPlace, mi: number, d: DrumPlace, part: 'all' | 'early' | 'late'): Float32Array {
  const { rate, room } = plan;
  const p0 = d.points[0];
  const first = distance(m.at, p0);
  const shield = 10 ** (-m.shieldDb / 20) * m.polarity;
  const taps = [1, 2].map(() => new Float32Array(Math.min(32768, Math.ceil(0.1 * rate))));
  for (const im of images(p0, room)) {
    const r = distance(m.at, im.at);
    const early = (r - first) / SOUND <= EARLY_S;
    if (part !== 'all' && early !== (part === 'early')) continue;
    const delay = Math.round((r / SOUND) * rate);
    const polar = m.pattern + (1 - m.pattern) * cosineOff(m, im.at);
    if (delay < taps[0].length) taps[im.order - 1][delay] += (shield * polar * WALL ** im.order) / r;
  }
  dull(taps[0], rate, 7000);
  dull(taps[1], rate, 7000);
  dull(taps[1], rate, 7000);
  const out = part === 'early' ? new Float32Array(taps[0].length) : tail(rate, plan.t60, plan.seed * 31 + mi).map((v) => v * shield * DIFFUSE * (0.5 + 0.5 * m.pattern));
  for (let i = 0; i < Math.min(out.length, taps[0].length); i++) out[i] += taps[0][i] + taps[1][i];
  return out;
}

/** Peaks of a head that rings by itself, against the peaks of what makes it ring (common practice, no source). */
const RING_ALONG_DB = -10;

/** Two-mode resonator driven by what else reaches a tom: its head rings by itself. */
function sympathetic(drive: Float32Array, rate: number, hz: number, t60: number): Float32Array {
  const out = new Float32Array(drive.length);
  for (const [ratio, g] of [[1, 1], [1.594, 0.35]]) {
    const r = 10 ** (-3 / (t60 * rate));
    const c = 2 * r * Math.cos((2 * Math.PI * hz * ratio) / rate);
    const norm = g * (1 - r) * 2 * Math.sin((2 * Math.PI * hz * ratio) / rate);
    let [y1, y2] = [0, 0];
    for (let i = 0; i < drive.length; i++) {
      const y = norm * drive[i] + c * y1 - r * r * y2 + 1e-18;
      y2 = y1;
      y1 = y;
      out[i] += y;
    }
  }
  const peak = (x: Float32Array) => x.reduce((p, v) => Math.max(p, Math.abs(v)), 1e-12);
  const level = (10 ** (RING_ALONG_DB / 20) * peak(drive)) / peak(out);
  for (let i = 0; i < out.length; i++) out[i] *= level;
  return out;
}

function addTo(out: Float32Array, x: Float32Array, gain = 1) {
  for (let i = 0; i < out.length; i++) out[i] += gain * x[i];
}

/** Peak of a full stroke of a drum, its radiating points together: what its level is measured against. */
function loudest(d: DrumPlace, rate: number, seed: number, voice: Voice): number {
  const sounds = voice({ drum: d.id, time: 0, strength: 1 }, d.points.length, rate, seed);
  let peak = 0;
  for (let i = 0; i < sounds[0].length; i++) peak = Math.max(peak, Math.abs(sounds.reduce((sum, x) => sum + x[i], 0)));
  return peak || 1;
}

/** Makes the recording; the same plan always gives the same samples. `progress` is told 0..1. */
export function makeRecording(plan: RecordingPlan, progress: (done: number) => void = () => {}): MadeRecording {
  const { rate, drums, mics } = plan;
  const frames = Math.round(plan.seconds * rate);
  const zeros = () => new Float32Array(frames);
  const audio = mics.map(zeros);
  const alone = plan.truth !== false;
  const truth = mics.map((m) => (m.own && alone ? zeros() : null));
  const late = mics.map((m) => (m.own && alone ? zeros() : null));
  const ringDrive = new Map<string, Float32Array>();
  const gauss = createGaussian(createRng(plan.seed ^ 0x5bd1e995));
  const voice = plan.voice ?? strokeSound;
  const dry: Float32Array[] = [];

  drums.forEach((d, di) => {
    const strokes = plan.strokes.filter((s) => s.drum === d.id);
    const all = zeros();
    const direct = mics.map(zeros);
    const point = d.points.map(() => mics.map(zeros));
    const level = 10 ** (d.levelDb / 20) / loudest(d, rate, plan.seed, voice);
    strokes.forEach((s, k) => {
      const sounds = voice(s, d.points.length, rate, (plan.seed + di * 7919 + k * 104729) >>> 0);
      const shift: Point = [gauss() * d.scatter * 0.5, gauss() * d.scatter * 0.5, 0];
      d.points.forEach((p, pi) => {
        addDelayed(all, sounds[pi], s.time * rate, level);
        const at: Point = [p[0] + shift[0], p[1] + shift[1], p[2]];
        mics.forEach((m, mi) => {
          addDelayed(point[pi][mi], sounds[pi], (s.time + distance(m.at, at) / SOUND) * rate, level * m.polarity * pathGain(m, d, at));
        });
      });
    });
    d.points.forEach((p, pi) => {
      mics.forEach((m, mi) => {
        addDulled(direct[mi], point[pi][mi], rate, offAxisHz(m, p));
      });
    });
    mics.forEach((m, mi) => {
      addTo(audio[mi], direct[mi]);
      const own = truth[mi];
      if (m.own === d.id && own) addTo(own, direct[mi]);
      else if (m.own && m.own !== d.id) {
        const drive = ringDrive.get(m.own) ?? zeros();
        addTo(drive, direct[mi]);
        ringDrive.set(m.own, drive);
      }
    });
    dry.push(all);
    progress((0.6 * (di + 1)) / drums.length);
  });

  // the room: reflections of each drum at each mic, and a diffuse field that is about as loud everywhere
  const outputs: RoomOutput[] = mics.map((m, mi) => ({ out: audio[mi], terms: drums.map((d, input) => ({ input, ir: roomResponse(plan, m, mi, d, 'all') })) }));
  mics.forEach((m, mi) => {
    const input = drums.findIndex((d) => d.id === m.own);
    const [early, rest] = [truth[mi], late[mi]];
    if (input < 0 || !early || !rest) return;
    outputs.push({ out: early, terms: [{ input, ir: roomResponse(plan, m, mi, drums[input], 'early') }] });
    outputs.push({ out: rest, terms: [{ input, ir: roomResponse(plan, m, mi, drums[input], 'late') }] });
  });
  mixRooms(dry, outputs, (done) => progress(0.6 + 0.35 * done));

  // heads ring by themselves, wires buzz: spill, since nobody struck them
  mics.forEach((m, mi) => {
    const drive = m.own ? ringDrive.get(m.own) : undefined;
    if (!drive) return;
    const ring = drums.find((d) => d.id === m.own)?.ring;
    if (ring) addTo(audio[mi], sympathetic(drive, rate, ring.hz, ring.t60));
    else if (m.own?.startsWith('snare')) {
      const noise = createGaussian(createRng(plan.seed + 77 + mi));
      let env = 0;
      let last = 0;
      const gain = m.polarity < 0 ? 0.16 : 0.04;
      for (let i = 0; i < frames; i++) {
        const x = Math.abs(drive[i]);
        env += (x > env ? 0.02 : 0.0004) * (x - env);
        const w = noise();
        audio[mi][i] += gain * env * (w - last);
        last = w;
      }
    }
  });

  // preamps: each mic at its level, with its hiss
  mics.forEach((m, mi) => {
    let peak = 0;
    for (const v of audio[mi]) peak = Math.max(peak, Math.abs(v));
    const g = 10 ** (m.peakDb / 20) / peak;
    const hiss = createGaussian(createRng(plan.seed + 1000 + mi));
    const level = 10 ** (NOISE_DB / 20);
    for (let i = 0; i < frames; i++) audio[mi][i] = audio[mi][i] * g + level * hiss();
    for (const t of [truth[mi], late[mi]]) if (t) for (let i = 0; i < frames; i++) t[i] *= g;
  });

  const offsets = mics.map((m) => {
    const d = drums.find((x) => x.id === m.own);
    return d ? Math.min(...d.points.map((p) => distance(p, m.at))) / SOUND : 0;
  });
  const overhead = mics.find((m) => m.role.startsWith('overhead'));
  const overheadOffsets = Object.fromEntries(drums.map((d) => [d.id, overhead ? Math.min(...d.points.map((p) => distance(p, overhead.at))) / SOUND : 0]));
  const hits: Record<string, MadeHit[]> = {};
  for (const d of drums) {
    const id = countsAs(d.id);
    // told as if it had sounded where the first of its name stands
    const later = overheadOffsets[d.id] - overheadOffsets[id];
    hits[id] = [...(hits[id] ?? []), ...plan.strokes.filter((s) => s.drum === d.id).map((s) => ({ time: s.time + later, strength: s.strength }))].sort((a, b) => a.time - b.time);
  }
  progress(1);
  return { rate, frames, mics, audio, truth, late, hits, offsets, overheadOffsets };
}
