/** What a drum adds to a mic, by a learnt model: the multichannel Wiener estimate, linear in every bin and frame, of one stretch of frames after the other. */
import { createBins, packed, padded } from './bins';
import { activity } from './kit';
import { type DebleedModel, startPowers } from './learn';
import { BINS, HOP, SIZE, type Spectrogram, createTransform, framesOf, learntBins } from './transform';

/** A mic and the source whose share of it is wanted; drums first, in the kit's order, then the rests. */
export type Target = readonly [mic: number, source: number];

/** Frames separated at a time. */
export const BLOCK = 96;
const UPDATES = 4;

export interface Separator {
  /**
   * Images of the targets in samples `from` to `to`. `audio`: by mic, samples whose first is at `offset` in the recording and that reach half a window beyond
   * both ends, or to the recording's ends; outside there is silence.
   */
  run(audio: readonly Float32Array[], offset: number, from: number, to: number, targets: readonly Target[]): Float32Array[];
}

/** Above what is told apart, a mic's bins are turned down to the share of the target in the third of an octave below. */
const BELOW = 2 ** (-1 / 3);

/** Fills bins from `top` up: by frame, the mic's own spectrum times what the target is of it in the bins below (least squares, 0..1). */
function carryUp(x: Spectrogram, re: Float32Array, im: Float32Array, frames: number, top: number): void {
  const from = Math.floor(top * BELOW);
  for (let t = 0; t < frames; t++) {
    let [both, all] = [0, 1e-20];
    for (let f = from; f < top; f++) {
      const i = f * BLOCK + t;
      both += x.re[i] * re[i] + x.im[i] * im[i];
      all += x.re[i] ** 2 + x.im[i] ** 2;
    }
    const g = Math.min(1, Math.max(0, both / all));
    for (let i = top * BLOCK + t; i < BINS * BLOCK; i += BLOCK) {
      re[i] = g * x.re[i];
      im[i] = g * x.im[i];
    }
  }
}

export function createSeparator(model: DebleedModel, hits: readonly (readonly number[])[], updates = UPDATES): Separator {
  const { kit } = model;
  const M = kit.mics.length;
  const S = kit.sources;
  const D = kit.drums.length;
  const SP = padded(S);
  const size = packed(M, 0) * 2 * SP;
  const bins = createBins({ mics: M, sources: S, frames: BLOCK, bins: 1 });
  const transform = createTransform();
  const P = new Float32Array(M * BLOCK);
  return {
    run(audio, offset, from, to, targets) {
      const out = targets.map(() => new Float32Array(to - from));
      const last = framesOf(to);
      for (let first = Math.max(0, Math.floor(from / HOP) - 1); first < last; first += BLOCK) {
        const frames = Math.min(BLOCK, last - first);
        const times = Float64Array.from({ length: frames }, (_, k) => ((first + k) * HOP) / kit.rate);
        const act = kit.drums.map((d, i) => activity(d, hits[i], times, SIZE / kit.rate));
        const loudest = Float32Array.from(times, (_, t) => act.reduce((a, l) => Math.max(a, l[t]), 0));
        const spectra = audio.map((x) => transform.forward(x, offset, first, frames, BLOCK));
        const re = targets.map(() => new Float32Array(BINS * BLOCK));
        const im = targets.map(() => new Float32Array(BINS * BLOCK));
        const top = learntBins(kit.rate);
        for (let f = 0; f < top; f++) {
          const x = bins.x(0);
          for (let m = 0; m < M; m++) {
            const g = 1 / model.level[f * M + m];
            for (let t = 0; t < BLOCK; t++) {
              const a = spectra[m].re[f * BLOCK + t] * g;
              const b = spectra[m].im[f * BLOCK + t] * g;
              x[m * 2 * BLOCK + t] = a;
              x[m * 2 * BLOCK + BLOCK + t] = b;
              P[m * BLOCK + t] = a * a + b * b;
            }
          }
          startPowers(kit, P, BLOCK, frames, act, loudest, (f * kit.rate) / SIZE, bins.v(0));
          bins.matrices(0).set(model.R.subarray(f * size, (f + 1) * size));
          bins.noise(0).set(model.noise.subarray(f * M, (f + 1) * M));
          for (let s = 0; s < S; s++) {
            const c = model.ceiling[f * S + s];
            for (let t = 0; t < BLOCK; t++) bins.prior[s * BLOCK + t] = s < D ? c * (act[s][t] ?? 1e-3) + 1e-20 : c;
          }
          const images = bins.images(0, updates, targets);
          targets.forEach(([m], q) => {
            const g = model.level[f * M + m];
            for (let t = 0; t < frames; t++) {
              re[q][f * BLOCK + t] = images[q * 2 * BLOCK + t] * g;
              im[q][f * BLOCK + t] = images[q * 2 * BLOCK + BLOCK + t] * g;
            }
          });
        }
        targets.forEach(([m], q) => {
          carryUp(spectra[m], re[q], im[q], frames, top);
          transform.inverse(re[q], im[q], BLOCK, first, frames, out[q], from);
        });
      }
      return out;
    },
  };
}
