/** What a drum adds to a mic, by a learnt model: the multichannel Wiener estimate, linear in every bin and frame, of one stretch of frames after the other. */
import { type Bins, createBins, packed, padded } from './bins';
import { type Kit, activity } from './kit';
import { type DebleedModel, TOLD_UPDATES, powersOf, startPowers } from './learn';
import { type Line, STAGES, addAlong, alongBins, lineOf, ringsAlong, tapsOf } from './ringAlong';
import { BINS, HOP, SIZE, type Spectrogram, createTransform, framesOf, learntBins } from './transform';

/** A mic and what of it is wanted: one of the kit's drums, by its place there, or, where that is the number of drums, the rests together. */
export type Target = readonly [mic: number, source: number];

/** No more frames are separated at a time. */
const MOST = 128;
/** Of a block's frames so many only lead into others: windows reach half a window beyond both ends, and runs begin anywhere in a frame. */
export const SHARED = 3;

/** Frames separated at a time, a multiple of four, where `samples` are shared out to `hands` so that none waits long for another. */
export function blockFor(samples: number, hands: number): number {
  const each = Math.max(1, Math.ceil(samples / HOP / hands));
  const runs = Math.ceil(each / (MOST - SHARED));
  return 4 * Math.ceil((Math.ceil(each / runs) + SHARED) / 4);
}

/** Frames separated at a time, a multiple of four, where stretches of so many samples are asked for: as many as leave least undone, each block costing some frames beside. */
export function blockOver(stretches: readonly number[]): number {
  const cost = (block: number) => stretches.reduce((n, samples) => n + Math.ceil(samples / HOP / (block - SHARED)), 0) * (block + BESIDE);
  const sizes = Array.from({ length: MOST / 4 - 1 }, (_, i) => MOST - 4 * i);
  return sizes.reduce((best, block) => (cost(block) < cost(best) ? block : best));
}
const BESIDE = 8;

export interface Separator {
  /**
   * Images of the targets in samples `from` to `to`. `audio`: by mic, samples whose first is at `offset` in the recording and that reach half a window beyond
   * both ends, before by leadOf frames more, or to the recording's ends; outside there is silence.
   */
  run(audio: readonly Float32Array[], offset: number, from: number, to: number, targets: readonly Target[]): Float32Array[];
}

/** Above what is told apart, a mic's bins are turned down to the share of the target in the third of an octave below. */
const BELOW = 2 ** (-1 / 3);

/** Fills bins from `top` up, `block` frames each: by frame, the mic's own spectrum times what the target is of it in the bins below (least squares, 0..1). `x` has room for `stride` frames a bin, of which `before` come earlier. */
function carryUp(x: Spectrogram, re: Float32Array, im: Float32Array, frames: number, block: number, top: number, stride: number, before: number): void {
  const [both, all] = [new Float64Array(frames), new Float64Array(frames).fill(1e-20)];
  // frames of a bin lie side by side
  for (let f = Math.floor(top * BELOW); f < top; f++) {
    for (let t = 0, i = f * block, j = f * stride + before; t < frames; t++, i++, j++) {
      both[t] += x.re[j] * re[i] + x.im[j] * im[i];
      all[t] += x.re[j] ** 2 + x.im[j] ** 2;
    }
  }
  const share = both.map((v, t) => Math.min(1, Math.max(0, v / all[t])));
  for (let f = top; f < BINS; f++) {
    for (let t = 0, i = f * block, j = f * stride + before; t < frames; t++, i++, j++) {
      re[i] = share[t] * x.re[j];
      im[i] = share[t] * x.im[j];
    }
  }
}

/** Frames before those wanted that are listened to, a multiple of four. */
export const leadOf = (kit: Kit): number => (ringsAlong(kit).length ? STAGES * Math.ceil(tapsOf(kit.rate) / 4) * 4 : 0);

/** What may be expected of a drum, at `at` in `prior`. */
function scaleInto(act: Float32Array, ceiling: number, prior: Float32Array, at: number, T: number): void {
  for (let t = 0; t < T; t++) prior[at + t] = ceiling * act[t] + 1e-20;
}

/** `block`: frames separated at a time, a multiple of four. */
export function createSeparator(model: DebleedModel, hits: readonly (readonly number[])[], block: number, updates = TOLD_UPDATES): Separator {
  const { kit } = model;
  const M = kit.mics.length;
  const S = kit.sources;
  const D = kit.drums.length;
  const SP = padded(S);
  const size = packed(M, 0) * 2 * SP;
  const transform = createTransform();
  const along = ringsAlong(kit);
  const taps = tapsOf(kit.rate);
  const [lowest, end] = along.length ? alongBins(kit.rate) : [0, 0];
  const filters = along.length ? model.along.length / (end - lowest) : 0;
  const lead = leadOf(kit);
  const bins = createBins({ mics: M, sources: S, frames: block, bins: 1 });
  const longer = along.length ? createBins({ mics: M, sources: S, frames: block + lead, bins: 1 }) : bins;
  const P = new Float32Array(M * (block + lead));
  const sources = [...new Set(along.flatMap((a) => a.refs))];
  const own = sources.map((s) => [kit.own[s][0], s] as const);
  const rests = Array.from({ length: S - D }, (_, r) => D + r);

  /** Powers and priors of bin `f` for `T` frames, of which `frames` are real, by what stands in `on`'s spectra. */
  function prepare(on: Bins, f: number, T: number, frames: number, act: readonly Float32Array[], loudest: Float32Array): void {
    const x = on.x(0);
    powersOf(x, M, T, P);
    startPowers(kit, P, T, frames, act, loudest, (f * kit.rate) / SIZE, on.v(0));
    on.matrices(0).set(model.R.subarray(f * size, (f + 1) * size));
    on.noise(0).set(model.noise.subarray(f * M, (f + 1) * M));
    const { prior } = on;
    for (let s = 0; s < S; s++) {
      const c = model.ceiling[f * S + s];
      if (s >= D) prior.fill(c, s * T, (s + 1) * T);
      else scaleInto(act[s], c, prior, s * T, T);
    }
  }
  /** Spectra of the mics in bin `f` from frame `skip` of the block's on, against their levels. */
  function hear(on: Bins, spectra: readonly Spectrogram[], f: number, T: number, skip: number, stride: number): void {
    const x = on.x(0);
    for (let m = 0; m < M; m++) {
      const g = 1 / model.level[f * M + m];
      const { re, im } = spectra[m];
      for (let t = 0, from = f * stride + skip, to = m * 2 * T; t < T; t++, from++, to++) {
        x[to] = re[from] * g;
        x[to + T] = im[from] * g;
      }
    }
  }

  return {
    run(audio, offset, from, to, targets) {
      const out = targets.map(() => new Float32Array(to - from));
      const parts = targets.map(([m, s]) => (s < D ? [s] : rests).map((source) => [m, source] as const));
      const asked = parts.flat();
      const last = framesOf(to);
      for (let first = Math.max(0, Math.floor(from / HOP) - 1); first < last; first += block) {
        const frames = Math.min(block, last - first);
        const before = Math.min(lead, first);
        const T = block + lead;
        const times = Float64Array.from({ length: before + frames }, (_, k) => ((first - before + k) * HOP) / kit.rate);
        // with room for a whole block; what is beyond its frames is of no use to anybody
        const acts = kit.drums.map((d, i) => {
          const all = new Float32Array(T);
          all.set(activity(d, hits[i], times, SIZE / kit.rate));
          return all;
        });
        const loudests = Float32Array.from(times, (_, t) => acts.reduce((a, l) => Math.max(a, l[t]), 0));
        const [act, loudest] = [acts.map((a) => a.subarray(before)), loudests.subarray(before)];
        const spectra = audio.map((x) => transform.forward(x, offset, first - before, before + frames, T));
        const re = targets.map(() => new Float32Array(BINS * block));
        const im = targets.map(() => new Float32Array(BINS * block));
        const top = learntBins(kit.rate);
        for (let f = 0; f < top; f++) {
          hear(bins, spectra, f, block, before, T);
          let rung: { readonly mic: number; readonly drum: number; readonly line: Line }[] = [];
          if (f >= lowest && f < end) {
            hear(longer, spectra, f, T, 0, T);
            const x = longer.x(0);
            const heard = Float32Array.from(x);
            const since = Int32Array.from({ length: before + frames }, (_, t) => (before === first ? taps : t));
            let at = (f - lowest) * filters;
            for (let stage = 0; stage < STAGES; stage++) {
              prepare(longer, f, T, before + frames, acts, loudests);
              const images = longer.images(0, updates, own);
              x.set(heard);
              rung = [];
              for (const { mic, refs } of along) {
                for (const s of refs) {
                  const line = { re: new Float32Array(T), im: new Float32Array(T) };
                  addAlong(model.along.subarray(at, at + 2 * taps), lineOf(images, sources.indexOf(s), T), since, taps, line, 1);
                  at += 2 * taps;
                  const mine = mic * 2 * T;
                  for (let t = 0; t < before + frames; t++) {
                    x[mine + t] -= line.re[t];
                    x[mine + T + t] -= line.im[t];
                  }
                  rung.push({ mic, drum: s, line });
                }
              }
            }
            const y = bins.x(0);
            for (const { mic } of along) {
              for (let t = 0; t < frames; t++) {
                y[mic * 2 * block + t] = x[mic * 2 * T + before + t];
                y[mic * 2 * block + block + t] = x[mic * 2 * T + T + before + t];
              }
            }
          }
          prepare(bins, f, block, frames, act, loudest);
          const images = bins.images(0, updates, asked);
          let image = 0;
          targets.forEach(([m, s], q) => {
            const g = model.level[f * M + m];
            const added = rung.find((r) => r.mic === m && r.drum === s)?.line;
            const [p, i] = [re[q], im[q]];
            for (const _ of parts[q]) {
              for (let t = 0, from = image * 2 * block, to = f * block; t < frames; t++, from++, to++) {
                p[to] += images[from] * g;
                i[to] += images[from + block] * g;
              }
              image++;
            }
            for (let t = 0, to = f * block; added && t < frames; t++, to++) {
              p[to] += added.re[before + t] * g;
              i[to] += added.im[before + t] * g;
            }
          });
        }
        // above what is told apart one by one
        targets.forEach(([m], q) => {
          carryUp(spectra[m], re[q], im[q], frames, block, top, T, before);
          transform.inverse(re[q], im[q], block, first, frames, out[q], from);
        });
      }
      return out;
    },
  };
}
