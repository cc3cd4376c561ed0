/**
 * Drum sounds unlike those that anything was learnt from: each drum of a kit takes a set of its own (either of real sounds, or synthesised) and is changed in speed,
 * colour, length, drive and attack, all drawn from a seed. To measure with, never to learn from.
 */
import { createRng } from '../core/dsp/rng';
import type { Voice } from './makeRecording';
import { tunedVoice } from './randomKit';
import { realVoice } from './realSounds';

export interface Change {
  /** Times its own speed. */
  readonly speed: number;
  /** dB by which what lies over 1 kHz is raised, and what lies under it lowered. */
  readonly tiltDb: number;
  /** Time constant of a further decay, seconds; 0 none. */
  readonly decay: number;
  /** Times full scale into a soft clipper (tanh); 0 none. */
  readonly drive: number;
  /** Seconds within which it comes up; 0 as it is. */
  readonly rise: number;
}

/** Changes a dry sound of peak `peak`, at `rate` samples a second; times and tilt as Change says. */
export function changed(x: Float32Array, rate: number, peak: number, c: Change): Float32Array {
  const out = new Float32Array(Math.max(0, Math.floor((x.length - 1) / c.speed)));
  const k = 1 - Math.exp((-2 * Math.PI * 1000) / rate);
  const [low, high] = [10 ** (-c.tiltDb / 20), 10 ** (c.tiltDb / 20)];
  let y = 0;
  for (let i = 0; i < out.length; i++) {
    const at = i * c.speed;
    const j = Math.floor(at);
    const v = x[j] + (at - j) * (x[j + 1] - x[j]);
    y += k * (v - y);
    let w = low * y + high * (v - y);
    if (c.drive) w = (peak * Math.tanh((c.drive * w) / peak)) / Math.tanh(c.drive);
    if (c.decay) w *= Math.exp(-i / rate / c.decay);
    out[i] = w * Math.min(1, c.rise ? (i + 1) / (c.rise * rate) : 1);
  }
  return out;
}

const CYMBALS = new Set(['crash', 'ride']);

/** How a drum of the kit of `seed` is changed: speeds .63 to 1.58 (cymbals .76 to 1.31), tilt up to 5 dB, of three one damped (60 to 310 ms; no cymbal), of six one overdriven, of three one with an attack of 1 to 3 ms. */
export function changeOf(drum: string, seed: number): Change & { readonly set: 0 | 1 | 2 } {
  let name = 0;
  for (const c of drum) name = (name * 31 + c.charCodeAt(0)) >>> 0;
  const uniform = createRng((seed * 131 + name) >>> 0);
  for (let i = 0; i < 3; i++) uniform();
  const either = (share: number, value: number) => (uniform() < share ? value : 0);
  const set = Math.floor(3 * uniform()) as 0 | 1 | 2;
  const speed = Math.exp((CYMBALS.has(drum) ? 0.27 : 0.455) * (2 * uniform() - 1));
  const tiltDb = 5 * (2 * uniform() - 1);
  const decay = either(CYMBALS.has(drum) ? 0 : 1 / 3, 0.06 * (0.31 / 0.06) ** uniform());
  const drive = either(1 / 6, 2 + 6 * uniform());
  const rise = either(1 / 3, 0.001 + 0.002 * uniform());
  return { set, speed, tiltDb, decay, drive, rise };
}

/** A kit of such sounds. `toms`: how many it has. */
export function unlikeVoice(seed: number, toms: number): Voice {
  const sets: readonly Voice[] = [realVoice('colombo', seed, toms), realVoice('millo', seed, toms), tunedVoice(seed, Array.from({ length: toms }, (_, i) => `tom-${i + 1}`))];
  const peaks = new Map<string, number>();
  return (stroke, points, rate, strokeSeed) => {
    const change = changeOf(stroke.drum, seed);
    const voice = sets[change.set];
    const loudest = peaks.get(stroke.drum) ?? voice({ drum: stroke.drum, time: 0, strength: 1 }, 1, rate, seed)[0].reduce((p, v) => Math.max(p, Math.abs(v)), 1e-6);
    peaks.set(stroke.drum, loudest);
    return voice(stroke, points, rate, strokeSeed).map((x) => changed(x, rate, loudest, change));
  };
}
