import { type Ring, ringMs } from '../clean/ring';

/** What de-bleed does to a mic, without a truth: its level against the raw mic's, told at and away from the strokes of its own drum. */
export interface DebleedFigures {
  /** Where no own stroke has sounded for a while, dB; null where there is no such place. */
  readonly gapsDb: number | null;
  /** 60 to 400 ms after own strokes, while the drum rings, dB. */
  readonly tailsDb: number | null;
  /** First 10 ms of own strokes, dB. */
  readonly attackDb: number | null;
}

const ATTACK_S = 0.01;
const TAIL_S: readonly [number, number] = [0.06, 0.4];
/** A drum whose ring is not known has rung out this long after its last stroke; one whose ring is known once its loudest stroke has fallen so far, dB, and never sooner. */
const RUNG_OUT_S = 1;
const RUNG_OUT_DB = -50;
const LEAST_RING_S = 0.15;
const LEAD_S = 0.03;

/** How long after a stroke its drum has rung out, seconds. */
export const rungOutS = (ring: Ring | null): number => (ring ? Math.min(RUNG_OUT_S, Math.max(LEAST_RING_S, ringMs(ring, 1, RUNG_OUT_DB) / 1000)) : RUNG_OUT_S);

/** `hits`: frames of own strokes, rising; `raw` and `debled` of one length; `rungOut`: seconds until the drum is silent. */
export function debleedFigures(rate: number, raw: Float32Array, debled: Float32Array, hits: readonly number[], rungOut = RUNG_OUT_S): DebleedFigures {
  const tail = Math.min(TAIL_S[1], rungOut);
  const sums = { gaps: [0, 0], tails: [0, 0], attack: [0, 0] };
  const add = (s: number[], from: number, to: number) => {
    let [a, b] = s;
    for (let i = from; i < to; i++) {
      a += raw[i] * raw[i];
      b += debled[i] * debled[i];
    }
    [s[0], s[1]] = [a, b];
  };
  // from one stroke to the next: before the first the drum is silent
  for (let k = -1; k < hits.length; k++) {
    const from = k < 0 ? 0 : hits[k];
    const next = k + 1 < hits.length ? hits[k + 1] : raw.length;
    const end = Math.min(raw.length, next);
    const after = (s: number) => Math.max(0, Math.min(end, from + Math.ceil(s * rate)));
    const before = k + 1 < hits.length ? Math.min(end, Math.ceil(next - LEAD_S * rate)) : end;
    if (k >= 0) {
      add(sums.attack, from, after(ATTACK_S));
      add(sums.tails, after(TAIL_S[0]), Math.min(before, after(tail)));
    }
    add(sums.gaps, k < 0 ? 0 : after(rungOut), before);
  }
  const db = ([a, b]: number[]) => (a > 0 ? Math.max(-90, 10 * Math.log10(b / a + 1e-12)) : null);
  return { gapsDb: db(sums.gaps), tailsDb: db(sums.tails), attackDb: db(sums.attack) };
}
