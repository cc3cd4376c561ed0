/** The kernels of the finding of hits on plain arrays. An instance keeps one mic at a time in its memory; not to be shared between threads. */
import { biquadCoefficients } from '../dsp/biquad';
import { WASM } from './generated/hits.wasm';
import { instantiate } from './wasm';

interface Exports {
  memory: { readonly buffer: ArrayBuffer };
  reset(): void;
  alloc(bytes: number): number;
  bandPowers(x: number, hops: number, hop: number, coefficients: number, out: number): void;
  bandPass(x: number, length: number, warm: number, coefficients: number, out: number): void;
  bandSteps(x: number, hops: number, hop: number, warm: number, coefficients: number, band: number, all: number): void;
  spectra(starts: number, count: number, length: number, size: number, window: number, twiddles: number, bins: number, bands: number, work: number, out: number): void;
  fit(patterns: number, K: number, cells: number, after: number, before: number, count: number, rounds: number, use: number, aMin: number, aMax: number, work: number, gains: number, a: number, model: number): void;
}

export interface SpectraShape {
  /** Length of a window in samples, even. */
  readonly length: number;
  /** Transform: a power of two, at least `length`. */
  readonly size: number;
  /** The later window; the earlier is its mirror. */
  readonly window: Float32Array;
  /** Edges of the bands, bins. */
  readonly bins: readonly number[];
}

export interface FitInput {
  readonly cells: number;
  /** One pattern after the other, `cells` each. */
  readonly patterns: Float32Array;
  /** Events, `cells` each. */
  readonly after: Float32Array;
  readonly before: Float32Array;
  readonly rounds: number;
  /** One number a pattern: 0 leaves it out. */
  readonly use: Uint8Array;
  /** Start, patterns an event; 0 where left out. */
  readonly gains: Float32Array;
  readonly aStart: number;
  readonly aRange: readonly [number, number];
}

export interface FitOutput {
  readonly gains: Float32Array;
  readonly a: Float32Array;
  readonly model: Float32Array;
}

export interface HitKernels {
  /** Loads the samples of a mic for what follows. */
  load(x: Float32Array): void;
  /** Mean square per hop in up to eight bands, each 12 dB per octave a side: hops x 8, the bands first. */
  bandPowers(rate: number, hopsPerSecond: number, bands: readonly (readonly [number, number])[]): Float32Array;
  /** The mic within a band of 12 dB per octave each side; in the kernels' own memory, there until the next call of any of them. */
  bandPass(rate: number, lowHz: number, highHz: number): Float32Array;
  /** Mean square per step within such a band, and of all, as `powerSteps` gives them; steps must be whole samples, or null comes back. */
  bandSteps(rate: number, perSecond: number, lowHz: number, highHz: number): { readonly band: Float64Array; readonly all: Float64Array } | null;
  /** Power by band after and before each start (frames; may lie outside): starts x 2 x bands. */
  spectra(starts: Int32Array, shape: SpectraShape): Float32Array;
  /** Takes the place of the loaded mic. */
  fit(input: FitInput): FitOutput;
}

const LANES = 8;
/** Silence before and after a mic, samples: 30 Hz are forgotten in it up to 245 kHz, and the longest window fits. */
const PAD = 32768;
/** Periods of its corner after which a high-pass of second order has forgotten what was before: 150 dB down. */
const FORGOTTEN = 4;

export function createHitKernels(): HitKernels {
  const e = instantiate(WASM) as unknown as Exports;
  let [frames, pad, at, base] = [0, 0, 0, 0];
  const needMic = () => {
    if (base === 0) throw new Error('load a mic first; a fit takes its place');
  };
  const f32 = (p: number, n: number) => new Float32Array(e.memory.buffer, p, n);
  const place = (v: Float32Array | Int32Array | Uint8Array) => {
    const p = e.alloc(v.byteLength);
    new Uint8Array(e.memory.buffer, p, v.byteLength).set(new Uint8Array(v.buffer, v.byteOffset, v.byteLength));
    return p;
  };
  const warmOf = (rate: number, lowHz: number) => {
    const warm = Math.ceil((FORGOTTEN * rate) / lowHz);
    if (warm > pad) throw new RangeError('the band reaches too low');
    return warm;
  };
  const placeBand = (rate: number, lowHz: number, highHz: number) => {
    const [h, l] = [biquadCoefficients('highpass', rate, lowHz), biquadCoefficients('lowpass', rate, Math.min(highHz, 0.45 * rate))];
    return place(new Uint8Array(Float64Array.of(h.b0, h.b1, h.b2, h.a1, h.a2, l.b0, l.b1, l.b2, l.a1, l.a2).buffer));
  };
  /** Work that leaves the loaded mic where it is. */
  const scratch = <T>(work: () => T): T => {
    e.reset();
    if (base > 0) e.alloc(base);
    return work();
  };
  return {
    load(x) {
      pad = PAD;
      frames = x.length;
      e.reset();
      const p = e.alloc((frames + 2 * pad) * 4);
      const all = f32(p, frames + 2 * pad);
      all.fill(0, 0, pad);
      all.fill(0, pad + frames);
      all.set(x, pad);
      at = p + pad * 4;
      base = (frames + 2 * pad) * 4;
    },
    bandPowers(rate, hopsPerSecond, bands) {
      needMic();
      return scratch(() => {
        const hop = rate / hopsPerSecond;
        const hops = Math.floor(frames / hop);
        const c = new Float32Array(20 * 8 * 2);
        for (let b = 0; b < LANES; b++) {
          const [low, high] = bands[Math.min(b, bands.length - 1)];
          // the low-pass first: what it takes away cannot leave rounding errors in the slow high-pass
          [biquadCoefficients('lowpass', rate, Math.min(high, 0.45 * rate)), biquadCoefficients('highpass', rate, low)].forEach((q, k) => {
            [q.b0, q.b1, q.b2, q.a1, q.a2].forEach((v, i) => {
              c[(5 * k + i) * LANES + b] = v;
            });
          });
        }
        const cp = place(c);
        const out = e.alloc(hops * LANES * 4);
        e.bandPowers(at, hops, hop, cp, out);
        return f32(out, hops * LANES).slice();
      });
    },
    bandPass(rate, lowHz, highHz) {
      needMic();
      const warm = warmOf(rate, lowHz);
      return scratch(() => {
        const c = placeBand(rate, lowHz, highHz);
        const length = Math.ceil(frames / 4);
        const out = e.alloc(16 * length);
        e.bandPass(at, length, warm, c, out);
        return f32(out, frames);
      });
    },
    bandSteps(rate, perSecond, lowHz, highHz) {
      needMic();
      const warm = warmOf(rate, lowHz);
      const hop = rate / perSecond;
      if (!Number.isInteger(hop)) return null;
      return scratch(() => {
        const c = placeBand(rate, lowHz, highHz);
        const steps = Math.floor(frames / hop);
        const hops = Math.ceil(steps / 4);
        const [band, all] = [e.alloc(32 * hops), e.alloc(32 * hops)];
        e.bandSteps(at, hops, hop, warm, c, band, all);
        const taken = (p: number) => new Float64Array(e.memory.buffer, p, steps).slice();
        return { band: taken(band), all: taken(all) };
      });
    },
    spectra(starts, { length, size, window, bins }) {
      needMic();
      if (length > pad) throw new RangeError('window too long');
      return scratch(() => {
        const twiddle = new Float32Array(2 * size);
        for (let k = 0; k < size; k++) {
          twiddle[2 * k] = Math.cos((2 * Math.PI * k) / size);
          twiddle[2 * k + 1] = -Math.sin((2 * Math.PI * k) / size);
        }
        const bands = bins.length - 1;
        const s = place(starts.map((v) => at + 4 * Math.min(frames + pad - length, Math.max(length - pad, v))));
        const [w, t, b] = [place(window), place(twiddle), place(Int32Array.from(bins))];
        const work = e.alloc(64 * size);
        const out = e.alloc(starts.length * 2 * bands * 4);
        e.spectra(s, starts.length, length, size, w, t, b, bands, work, out);
        return f32(out, starts.length * 2 * bands).slice();
      });
    },
    fit({ cells, patterns, after, before, rounds, use, gains, aStart, aRange }) {
      base = 0;
      return scratch(() => {
        const padded = (cells + 15) & ~15;
        const K = patterns.length / cells;
        const n = after.length / cells;
        const spread = (v: Float32Array) => {
          const out = new Float32Array((v.length / cells) * padded);
          for (let i = 0; i < v.length / cells; i++) out.set(v.subarray(i * cells, (i + 1) * cells), i * padded);
          return place(out);
        };
        const [w, x, b] = [spread(patterns), spread(after), spread(before)];
        const [u, g, a] = [place(use), place(gains), place(new Float32Array(n).fill(aStart))];
        const work = e.alloc(2 * padded * 4);
        const model = e.alloc(n * padded * 4);
        e.fit(w, K, padded, x, b, n, rounds, u, aRange[0], aRange[1], work, g, a, model);
        const all = f32(model, n * padded);
        const tight = new Float32Array(n * cells);
        for (let i = 0; i < n; i++) tight.set(all.subarray(i * padded, i * padded + cells), i * cells);
        return { gains: f32(g, n * K).slice(), a: f32(a, n).slice(), model: tight };
      });
    },
  };
}
