/**
 * Real one-shot drum sounds as the voice of made recordings. Source: Debian package hydrogen-drumkits, kits ColomboAcousticDrumkit
 * (M. Guglielmetti, GNU GPL 2 or later) and Millo_MultiLayered3; not shipped here, installed by the tests that need them.
 */
import { spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { createGaussian, createRng } from '../core/dsp/rng';
import type { Voice } from './makeRecording';
import type { Articulation, Stroke } from './strokes';

const FOLDER = '/usr/share/hydrogen/data/drumkits';

export const haveRealSounds = (): boolean => existsSync(`${FOLDER}/Millo_MultiLayered3/ft_01.flac`) && existsSync('/usr/bin/flac');

/** Layers of a sound from soft to loud. */
const KITS: Record<'colombo' | 'millo', Record<string, readonly string[]>> = {
  colombo: {
    kick: ['bassdrum-4mics-br-stereo-soft2', 'bassdrum-4mics-br-stereo-soft4', 'bassdrum-4mics-br-stereo-normal3'],
    snare: ['snare-opaque-2mics_normal-shot1', 'snare-opaque-normal-mic-normal_shot2', 'snare-opaque-normal-mic-normal_shot3'],
    hat: ['hihat-closed-1', 'hihat-closed-4', 'hihat-closed-6'],
    open: ['hihat-open-1', 'hihat-open-4', 'hihat-open-5'],
    'tom-high': ['tom-hi-1'], 'tom-middle': ['tom-mid-1'], 'tom-low': ['tom-low-1'],
    crash: ['crash16i__crash1', 'crash20i__crash'], ride: ['crash16i__ride2', 'crash20i__ride4'],
  },
  millo: {
    kick: ['bd_01', 'bd_02', 'bd_03', 'bd_04'], snare: ['sd_01', 'sd_02', 'sd_03', 'sd_04', 'sd_05', 'sd_06'], hat: ['hh_01', 'hh_02', 'hh_03', 'hh_04'],
    open: ['ho_01', 'ho_02', 'ho_03'], 'tom-high': ['t1_01', 't1_02', 't1_03'], 'tom-middle': ['t2_01', 't2_02', 't2_03'], 'tom-low': ['ft_01', 'ft_02', 'ft_03'],
    crash: ['cc_01', 'cc_02', 'cc_03'], ride: ['rc_01', 'rc_02', 'rc_03'],
  },
};
/** Articulations that a set has sounds of, tuned as their drum is; where it has none, the stroke is struck straight. */
const ARTICULATIONS: Record<'colombo' | 'millo', Partial<Record<Articulation, readonly string[]>>> = {
  colombo: {
    'side-stick': ['stick-rim-9'], 'rim-shot': ['snare-opaque-normal-mic-rimshot2', 'snare-opaque-normal-mic-rimshot6', 'snare-opaque-normal-mic-rimshot7'],
    bell: ['crash16i__ride_cup4', 'crash20i__ride-cup1'], 'half-open': ['hihat-semi-open-1', 'hihat-semi-open-2'],
  },
  millo: { 'side-stick': ['rs_01', 'rs_02', 'rs_03'], foot: ['hh_p'] },
};
const FOLDERS = { colombo: 'ColomboAcousticDrumkit', millo: 'Millo_MultiLayered3' } as const;

/** A FLAC file as mono samples from its first contact on, peak 1. */
function load(path: string): { rate: number; x: Float32Array } {
  const r = spawnSync('flac', ['-d', '-c', '-s', '--force-raw-format', '--endian=little', '--sign=signed', path], { maxBuffer: 1 << 28 });
  if (r.status !== 0) throw new Error(`${path}: ${r.stderr}`);
  const meta = spawnSync('metaflac', ['--show-sample-rate', '--show-channels', '--show-bps', path], { encoding: 'utf8' }).stdout.trim().split('\n').map(Number);
  const [rate, channels, bits] = meta;
  if (bits !== 16) throw new Error(`${path} has ${bits} bits`);
  const pcm = new Int16Array(r.stdout.buffer, r.stdout.byteOffset, r.stdout.byteLength >> 1);
  const n = Math.floor(pcm.length / channels);
  const x = new Float32Array(n);
  for (let i = 0; i < n; i++) for (let c = 0; c < channels; c++) x[i] += pcm[i * channels + c] / channels;
  const peak = x.reduce((p, v) => Math.max(p, Math.abs(v)), 0) || 1;
  let start = x.findIndex((v) => Math.abs(v) > 0.03 * peak);
  start = Math.max(0, start - Math.round(0.0002 * rate));
  return { rate, x: x.subarray(start).map((v) => v / peak) };
}

const cache = new Map<string, { rate: number; x: Float32Array }>();
const sound = (kit: keyof typeof KITS, name: string) => {
  const path = `${FOLDER}/${FOLDERS[kit]}/${name}.flac`;
  const have = cache.get(path) ?? load(path);
  cache.set(path, have);
  return have;
};

/** Played at `speed` times its own rate (cubic Lagrange), duller by a one-pole at `hz`. */
function play(s: { rate: number; x: Float32Array }, rate: number, speed: number, hz: number): Float32Array {
  const ratio = (s.rate / rate) * speed;
  const out = new Float32Array(Math.min(Math.floor((s.x.length - 3) / ratio), 5 * rate));
  const k = 1 - Math.exp((-2 * Math.PI * Math.min(hz, 0.45 * rate)) / rate);
  let y = 0;
  const fade = Math.round(0.02 * rate);
  for (let i = 0; i < out.length; i++) {
    const at = i * ratio;
    const j = Math.floor(at);
    const f = at - j;
    const [a, b, c, d] = [s.x[j - 1] ?? 0, s.x[j], s.x[j + 1], s.x[j + 2]];
    const v = b + 0.5 * f * (c - a + f * (2 * a - 5 * b + 4 * c - d + f * (3 * (b - c) + d - a)));
    y += k * (v - y);
    out[i] = y * Math.min(1, (out.length - i) / fade);
  }
  return out;
}

/** A kit of real sounds, retuned a little by `seed`. `toms`: how many the kit has. */
export function realVoice(kit: keyof typeof KITS, seed: number, toms: number): Voice {
  const uniform = createRng(seed + 99);
  const tune: Record<string, number> = {};
  for (const name of Object.keys(KITS[kit])) tune[name] = 0.88 + 0.24 * uniform();
  const names = toms === 3 ? ['tom-high', 'tom-middle', 'tom-low'] : [uniform() < 0.5 ? 'tom-high' : 'tom-middle', 'tom-low'];
  return (stroke: Stroke, points: number, rate: number, strokeSeed: number) => {
    const gauss = createGaussian(createRng(strokeSeed));
    const tom = /^tom-(\d)$/.exec(stroke.drum);
    const name = tom ? names[Number(tom[1]) - 1] : stroke.drum === 'hat' && (stroke.open ?? 0) > 0.3 ? 'open' : stroke.drum;
    const layers = (stroke.articulation && ARTICULATIONS[kit][stroke.articulation]) ?? KITS[kit][name];
    const s = stroke.strength;
    const layer = layers[Math.min(layers.length - 1, Math.max(0, Math.floor(s * layers.length * 0.999 + 0.35 * gauss())))];
    const speed = tune[name] * (1 + 0.004 * gauss());
    const level = s ** 1.35;
    const bright = 18000 * (0.22 + 0.78 * s) * (1 + 0.1 * gauss());
    return Array.from({ length: points }, (_, p) => {
      const x = play(sound(kit, layer), rate, speed * (1 + 0.003 * p), p === 0 ? bright : bright * 0.4);
      const g = level * (p === 0 ? 1 : 0.5);
      for (let i = 0; i < x.length; i++) x[i] *= g;
      return x;
    });
  };
}
