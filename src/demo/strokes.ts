/**
 * The sound of one stroke, physical in style: heads as decaying membrane modes (ideal ratios, N. Fletcher and T. Rossing, The Physics
 * of Musical Instruments), a few ms of stick noise, wires as noise, cymbals as dense partials that bloom and fade. Every stroke
 * is made anew, a little different each time, duller when soft. Signals come one per radiating point of the drum.
 */
import { createGaussian, createRng } from '../core/dsp/rng';

/** How a stroke is struck otherwise than straight. */
export type Articulation = 'side-stick' | 'rim-shot' | 'bell' | 'half-open' | 'foot';

export interface Stroke {
  readonly drum: string;
  /** Seconds from the start of the recording to the first contact. */
  readonly time: number;
  /** 0..1. */
  readonly strength: number;
  /** Only hat: 0 closed to 1 open. */
  readonly open?: number;
  /** Straight where not given. Synthesised sounds know only the hat's. */
  readonly articulation?: Articulation;
}

const MODES = [1, 1.594, 2.136, 2.296, 2.653, 2.918, 3.156, 3.501, 3.6];

interface Voice {
  rate: number;
  uniform: () => number;
  gauss: () => number;
}

/** Adds a decaying sine with a falling pitch; `t60` seconds, `glide` the extra pitch at the start, gone after some 40 ms. */
function addMode(out: Float32Array, v: Voice, hz: number, amp: number, t60: number, phase: number, glide = 0) {
  const decay = 10 ** (-3 / (t60 * v.rate));
  let a = amp;
  let ph = phase;
  let g = glide;
  const gd = Math.exp(-1 / (0.04 * v.rate));
  const w = (2 * Math.PI * hz) / v.rate;
  const n = Math.min(out.length, Math.ceil(t60 * 1.4 * v.rate));
  const rise = 0.0006 * v.rate;
  for (let i = 0; i < n; i++) {
    out[i] += a * (i < rise ? i / rise : 1) * Math.sin(ph);
    a *= decay;
    ph += w * (1 + g);
    g *= gd;
  }
}

/** Adds a steady decaying sine by recurrence: cheap enough for hundreds of partials. */
function addPartial(out: Float32Array, v: Voice, hz: number, amp: number, t60: number, bloom: number) {
  const r = 10 ** (-3 / (t60 * v.rate));
  const w = (2 * Math.PI * hz) / v.rate;
  const c = 2 * r * Math.cos(w);
  const r2 = r * r;
  const ph = 2 * Math.PI * v.uniform();
  let y1 = Math.sin(ph - w) / r;
  let y2 = Math.sin(ph - 2 * w) / r2;
  let up = 0;
  const step = 1 - Math.exp(-1 / (Math.max(bloom, 1e-4) * v.rate));
  const n = Math.min(out.length, Math.ceil(t60 * 1.3 * v.rate));
  for (let i = 0; i < n; i++) {
    const y = c * y1 - r2 * y2;
    y2 = y1;
    y1 = y;
    up += step * (1 - up);
    out[i] += amp * up * y;
  }
}

/** Adds noise between two one-pole corners that decays by `t60`; `rise` seconds to come up. */
function addNoise(out: Float32Array, v: Voice, amp: number, t60: number, lowHz: number, highHz: number, rise = 0.0003) {
  const decay = 10 ** (-3 / (t60 * v.rate));
  const kl = 1 - Math.exp((-2 * Math.PI * highHz) / v.rate);
  const kh = 1 - Math.exp((-2 * Math.PI * lowHz) / v.rate);
  const n = Math.min(out.length, Math.ceil(t60 * 1.3 * v.rate));
  const up = rise * v.rate;
  let a = amp;
  let l = 0;
  let h = 0;
  for (let i = 0; i < n; i++) {
    l += kl * (v.gauss() - l);
    h += kh * (l - h);
    out[i] += a * Math.min(1, i / up) * (l - h);
    a *= decay;
  }
}

function head(out: Float32Array, v: Voice, o: { hz: number; t60: number; amp: number; bright: number; glide: number }) {
  const detune = 1 + 0.004 * v.gauss();
  for (let m = 0; m < MODES.length; m++) {
    const tilt = m === 0 ? 1 : o.bright ** (1 + 0.3 * m) * (0.75 + 0.5 * v.uniform());
    addMode(out, v, o.hz * MODES[m] * detune, o.amp * tilt, o.t60 / (1 + 0.55 * m), m === 0 ? 0 : v.uniform() * 6.28, o.glide);
  }
}

function cymbal(out: Float32Array, v: Voice, s: number, o: { count: number; low: number; high: number; t60: number; bloom: number; amp: number }) {
  for (let i = 0; i < o.count; i++) {
    const x = (i + v.uniform()) / o.count;
    const hz = o.low * (o.high / o.low) ** x ** 0.8;
    const soft = Math.exp(-(1 - s) * 2.2 * x);
    const t60 = o.t60 * (0.5 + v.uniform()) * (hz < 2000 ? 1 : (2000 / hz) ** 0.45);
    addPartial(out, v, hz, (o.amp * soft * (0.4 + v.uniform())) / Math.sqrt(o.count), t60, o.bloom * (0.3 + x));
  }
}

const SECONDS: Record<string, number> = { kick: 0.7, snare: 0.6, hat: 0.9, crash: 4.5, ride: 3 };

/** What makes one kit's sounds differ from another's: by drum, what every pitch (or lower corner), ring time and overtone is multiplied by; 1 where nothing is said. */
export interface Tuning {
  /** Lowest mode of each tom, Hz. */
  readonly tomHz: Readonly<Record<string, number>>;
  readonly pitch?: Readonly<Record<string, number>>;
  readonly length?: Readonly<Record<string, number>>;
  readonly bright?: Readonly<Record<string, number>>;
}

export const DEMO_TUNING: Tuning = { tomHz: { 'tom-1': 139, 'tom-2': 84 } };

/** Ring of a tom's head: the lower the longer. */
const tomRing = (hz: number) => 1.25 * (84 / hz) ** 0.766;

/** Dry sound of a stroke, one signal for each radiating point of its drum, beginning at the contact. `seed` makes it this one. */
export function strokeSound(stroke: Stroke, points: number, rate: number, seed: number, tuning: Tuning = DEMO_TUNING): Float32Array[] {
  const uniform = createRng(seed);
  const v: Voice = { rate, uniform, gauss: createGaussian(uniform) };
  const { drum, strength: s } = stroke;
  const level = s ** 1.35;
  const tom = tuning.tomHz[drum];
  const [p, l, bright] = [tuning.pitch?.[drum] ?? 1, tuning.length?.[drum] ?? 1, tuning.bright?.[drum] ?? 1];
  const outs = Array.from({ length: points }, () => new Float32Array(Math.ceil((tom ? 1.6 * tomRing(tom) : (SECONDS[drum] ?? 1)) * l * rate)));
  const [a, b = a, c = a] = outs;
  if (tom) {
    const t60 = tomRing(tom) * l;
    head(a, v, { hz: tom, t60, amp: level, bright: (0.28 + 0.25 * s) * bright, glide: 0.07 * s });
    head(b, v, { hz: tom * 1.02, t60: 0.88 * t60, amp: level * 0.5, bright: 0.15 * bright, glide: 0.05 * s });
    addNoise(a, v, level * 1.5 * (0.35 + 0.65 * s) * bright, 0.022, 700, 7000);
    return outs;
  }
  switch (drum) {
    case 'kick':
      addMode(a, v, 54 * p, level * 0.9, 0.38 * l, 0, 1.1);
      head(b, v, { hz: 57 * p, t60: 0.42 * l, amp: level * 0.8, bright: 0.2 * s * bright, glide: 0.6 });
      addNoise(a, v, level * 1.6 * s * bright, 0.025, 1200, 6500);
      addNoise(a, v, level * 0.5, 0.09, 150, 900);
      break;
    case 'snare': {
      head(a, v, { hz: 187 * p * (1 + 0.01 * s), t60: 0.22 * l, amp: level * 0.8, bright: (0.45 + 0.25 * s) * bright, glide: 0.05 * s });
      addNoise(a, v, level * 2 * (0.4 + 0.6 * s) * bright, 0.035, 900, 9000);
      addNoise(b, v, level * 1.5 * bright, (0.2 + 0.1 * s) * l, 1800, 11000, 0.0012);
      addMode(b, v, 187 * p, -level * 0.4, 0.18 * l, 0, 0.03);
      addMode(b, v, 330 * p, -level * 0.25, 0.14 * l, 0, 0);
      break;
    }
    case 'hat': {
      const open = stroke.open ?? (stroke.articulation === 'half-open' ? 0.25 : 0);
      const t60 = (0.09 + 0.9 * open) * l;
      cymbal(a, v, s, { count: 60, low: 2600 * p, high: 15000, t60: t60 * 1.6, bloom: 0.0004, amp: level * 0.7 });
      cymbal(b, v, s, { count: 40, low: 900 * p, high: 12000, t60, bloom: 0.001, amp: level * 0.4 });
      addNoise(a, v, level * 0.9, t60 * 0.7, 4000 * p, 15000);
      addNoise(a, v, level * 0.9 * s * bright, 0.012, 1500, 9000);
      break;
    }
    case 'crash':
      cymbal(a, v, s, { count: 160, low: 320 * p, high: 15500, t60: 3.4 * l, bloom: 0.012, amp: level });
      cymbal(b, v, s, { count: 50, low: 260 * p, high: 9000, t60: 2.8 * l, bloom: 0.02, amp: level * 0.6 });
      cymbal(c, v, s, { count: 50, low: 500 * p, high: 14000, t60: 2.6 * l, bloom: 0.015, amp: level * 0.6 });
      addNoise(a, v, level * 0.8 * bright, 0.6 * l, 2500, 14000, 0.004);
      addNoise(a, v, level * 0.8 * s * bright, 0.015, 800, 8000);
      break;
    default:
      cymbal(a, v, s, { count: 90, low: 420 * p, high: 13000, t60: 2.2 * l, bloom: 0.004, amp: level * 0.6 });
      cymbal(b, v, s, { count: 30, low: 600 * p, high: 9000, t60: 1.6 * l, bloom: 0.008, amp: level * 0.35 });
      cymbal(c, v, s, { count: 30, low: 900 * p, high: 12000, t60: 1.4 * l, bloom: 0.006, amp: level * 0.35 });
      addPartial(a, v, 3150 * p, level * 0.5, 0.25 * l, 0.0003);
      addNoise(a, v, level * 0.9 * bright, 0.012, 1500, 9000);
  }
  return outs;
}
