/**
 * A low-pass that closes over a marked stretch, for a last ringing sound: from open at its start to its frequency at its end, evenly in octaves, 24 dB per octave
 * (Butterworth); it opens again within 5 ms after the end. Made from the plan; where stretches overlap the lower corner holds.
 */
import { type BiquadProcessor, biquadCoefficients, butterworthQs, createBiquad } from '../dsp/biquad';

export interface Closing {
  readonly from: number;
  readonly to: number;
  /** Corner at the end, Hz. */
  readonly hz: number;
}

const OPEN_HZ = 20000;
const FADE_S = 0.005;
/** Frames between two settings of the corner. */
const STEP = 32;

export interface ClosingStage {
  set(list: readonly Closing[]): void;
  /** In place: `n` samples from `from` on, which lie at frames `atFrame` on. Outside every stretch nothing is touched, bit for bit. */
  process(io: Float32Array, from: number, n: number, atFrame: number): void;
}

/** Corner at a frame, Hz; null outside of all stretches. */
export function cornerAt(list: readonly Closing[], frame: number): number | null {
  let hz: number | null = null;
  for (const c of list) {
    if (frame < c.from || frame >= c.to) continue;
    const v = OPEN_HZ * (c.hz / OPEN_HZ) ** ((frame - c.from) / (c.to - c.from));
    hz = hz === null ? v : Math.min(hz, v);
  }
  return hz;
}

export function createClosings(rate: number): ClosingStage {
  const fade = Math.round(FADE_S * rate);
  const open = biquadCoefficients('lowpass', rate, OPEN_HZ);
  const qs = butterworthQs(4);
  const sections: BiquadProcessor[] = qs.map(() => createBiquad(open));
  const one = new Float32Array(STEP);
  let list: readonly Closing[] = [];
  let expected = -1;
  let wet = 0;
  let corner = OPEN_HZ;
  return {
    set(next) {
      list = next;
    },
    process(io, from, n, atFrame) {
      if (list.length === 0) return;
      if (atFrame !== expected) {
        for (const s of sections) s.reset();
        // begun in the middle of a stretch it is as if it had run before
        wet = cornerAt(list, atFrame) !== null && cornerAt(list, atFrame - fade) !== null ? 1 : 0;
      }
      expected = atFrame + n;
      for (let done = 0; done < n; ) {
        const frame = atFrame + done;
        const size = Math.min(STEP - (frame % STEP), n - done);
        const hz = cornerAt(list, frame - (frame % STEP)) ?? cornerAt(list, frame);
        const end = cornerAt(list, frame + size - 1);
        if (hz === null && end === null && wet === 0) {
          done += size;
          continue;
        }
        if (hz !== null) corner = hz;
        sections.forEach((s, k) => {
          s.set(biquadCoefficients('lowpass', rate, corner, qs[k]));
        });
        for (let i = 0; i < size; i++) one[i] = io[from + done + i];
        for (const s of sections) s.process(one, one, size);
        for (let i = 0; i < size; i++) {
          const inside = cornerAt(list, frame + i) !== null;
          wet = Math.min(1, Math.max(0, wet + (inside ? 1 : -1) / fade));
          const x = io[from + done + i];
          io[from + done + i] = wet === 0 ? x : x + wet * (one[i] - x);
        }
        done += size;
      }
    },
  };
}
