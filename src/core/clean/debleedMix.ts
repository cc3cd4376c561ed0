/**
 * The first stage of a mic: raw towards the mic with its own drum alone, which de-bleed has computed ahead. What is taken out is raw - kept; images of drums that are
 * to stay in part are added to what is kept, and outside a frequency range nothing is taken.
 */
import { type BiquadProcessor, biquadCoefficients, createBiquad } from '../dsp/biquad';
import { firstIndex } from '../dsp/search';
import { DEBLEED_PARAMS, type DebleedSettings } from '../params/debleedParams';

export interface LiveDebleed {
  readonly settings: DebleedSettings;
  /** Frames of own strokes, rising. */
  readonly hits: readonly number[];
  /** Drums (or the rest) that stay in part, and how much of each, 0..1. */
  readonly left: readonly { readonly source: string; readonly gain: number }[];
}

/** What de-bleed computed of a mic: its own drum, and images of others by drum where they were asked for. */
export interface Kept<T> {
  readonly own: T;
  readonly images: Readonly<Record<string, T>>;
}

/** The raw attack begins so long before the hit, and goes over into de-bleed in so long, ms. */
const BEFORE_MS = 2;
const OVER_MS = 5;

export interface DebleedMix {
  set(t: LiveDebleed | null): void;
  /**
   * out = raw - a (raw - kept - what stays) for `n` frames from `atFrame` on. `image` gives a drum's image of the same frames, null where it is not computed: the drum is
   * then taken out whole. Without de-bleed or with a depth of 0 dB `out` is `raw`, bit for bit; `out` may be `raw`. Allocates nothing.
   */
  process(raw: Float32Array, kept: Float32Array, image: (source: string) => Float32Array | null, out: Float32Array, n: number, atFrame: number): void;
}

export function createDebleedMix(rate: number): DebleedMix {
  let live: LiveDebleed | null = null;
  let filters: BiquadProcessor[] = [];
  let range = '';
  let expected = -1;
  let taken = new Float32Array(0);
  return {
    set(t) {
      live = t;
      if (!t) return;
      const { fromHz, toHz } = t.settings;
      const now = `${fromHz} ${toHz}`;
      if (now === range) return;
      range = now;
      filters = [];
      if (fromHz > DEBLEED_PARAMS.fromHz.min) filters.push(createBiquad(biquadCoefficients('highpass', rate, fromHz)));
      if (toHz < DEBLEED_PARAMS.toHz.max) filters.push(createBiquad(biquadCoefficients('lowpass', rate, toHz)));
    },
    process(raw, kept, image, out, n, atFrame) {
      const t = live;
      const { depthDb = 0, attackMs = 0 } = t?.settings ?? {};
      const all = depthDb >= DEBLEED_PARAMS.depthDb.end.from;
      const a = all ? 1 : 1 - 10 ** (-depthDb / 20);
      if (!t || a === 0) {
        if (out !== raw) out.set(raw.subarray(0, n));
        return;
      }
      if (all && attackMs === 0 && filters.length === 0 && t.left.length === 0) {
        out.set(kept.subarray(0, n));
        return;
      }
      if (taken.length < n) taken = new Float32Array(n);
      for (let i = 0; i < n; i++) taken[i] = raw[i] - kept[i];
      for (const { source, gain } of t.left) {
        const x = image(source);
        if (x) for (let i = 0; i < n; i++) taken[i] -= gain * x[i];
      }
      if (atFrame !== expected) for (const f of filters) f.reset();
      for (const f of filters) f.process(taken, taken, n);
      expected = atFrame + n;
      if (attackMs === 0) {
        for (let i = 0; i < n; i++) out[i] = raw[i] - a * taken[i];
        return;
      }
      const ms = rate / 1000;
      const [before, held, over] = [BEFORE_MS * ms, attackMs * ms, OVER_MS * ms];
      const { hits } = t;
      // the last hit whose raw stretch can have begun
      let k = firstIndex(hits.length, (i) => hits[i] - before - over > atFrame) - 1;
      for (let i = 0; i < n; i++) {
        const f = atFrame + i;
        while (k + 1 < hits.length && hits[k + 1] - before - over <= f) k++;
        let away = 1;
        for (let j = k; j >= 0 && j >= k - 1; j--) {
          const d = f - hits[j];
          away = Math.min(away, Math.max(0, Math.min(1, d < 0 ? (-before - d) / over : (d - held) / over)));
        }
        out[i] = raw[i] - a * away * taken[i];
      }
    },
  };
}
