/** Recordings whose toms were cut by hand before they came, as many are sent: each kept from shortly before a stroke until it has died away, silence between. */
import type { MadeRecording } from './makeRecording';

/** A stroke is kept from so long before it to so long after, seconds, and faded so long at either end; strokes nearer than that are kept together. */
const BEFORE_S = 0.008;
const AFTER_S = 0.7;
const IN_S = 0.005;
const OUT_S = 0.1;

/** How much is kept of a mic whose drum arrives at `times`, seconds: 0..1, one value a frame. */
export function keptAround(times: readonly number[], frames: number, rate: number): Float32Array {
  const kept = new Float32Array(frames);
  for (const t of times) {
    const from = Math.round((t - BEFORE_S) * rate);
    const to = Math.round((t + AFTER_S + OUT_S) * rate);
    for (let i = Math.max(0, from); i < Math.min(frames, to); i++) kept[i] = Math.max(kept[i], Math.min(1, (i - from) / (IN_S * rate), (to - i) / (OUT_S * rate)));
  }
  return kept;
}

/** The recording with its toms' mics cut, and what is known of their drums alone cut alike. */
export function withCutToms(r: MadeRecording): MadeRecording {
  const kept = r.mics.map((m, i) => (m.own?.startsWith('tom') ? keptAround(r.hits[m.own].map((h) => h.time + r.offsets[i]), r.frames, r.rate) : null));
  const cut = <X extends Float32Array | null>(x: X, m: number): X => {
    const k = kept[m];
    return (k && x ? x.map((v, i) => v * k[i]) : x) as X;
  };
  return { ...r, audio: r.audio.map(cut), truth: r.truth.map(cut), late: r.late.map(cut) };
}
