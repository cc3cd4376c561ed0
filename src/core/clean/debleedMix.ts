/** The first stage of a mic: raw towards the mic with its own drum alone, which de-bleed has computed ahead. Any frame can be asked for at any time. */
import { firstIndex } from '../dsp/search';
import { DEBLEED_PARAMS, type DebleedSettings } from '../params/debleedParams';

export interface LiveDebleed {
  readonly settings: DebleedSettings;
  /** Frames of own strokes, rising. */
  readonly hits: readonly number[];
}

/** The raw attack begins so long before the hit, and goes over into de-bleed in so long, ms. */
const BEFORE_MS = 2;
const OVER_MS = 5;

/** out = raw + a (kept - raw) for `n` frames from `atFrame` on. With a depth of 0 dB `out` is `raw`, bit for bit; `out` may be `raw`. */
export function mixDebleed(rate: number, t: LiveDebleed, raw: Float32Array, kept: Float32Array, out: Float32Array, n: number, atFrame: number): void {
  const { depthDb, attackMs } = t.settings;
  const all = depthDb >= DEBLEED_PARAMS.depthDb.end.from;
  const a = all ? 1 : 1 - 10 ** (-depthDb / 20);
  if (a === 0) {
    if (out !== raw) out.set(raw.subarray(0, n));
    return;
  }
  if (attackMs === 0) {
    for (let i = 0; i < n; i++) out[i] = all ? kept[i] : raw[i] + a * (kept[i] - raw[i]);
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
    out[i] = raw[i] + a * away * (kept[i] - raw[i]);
  }
}
