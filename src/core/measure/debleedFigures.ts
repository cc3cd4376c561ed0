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
  let next = 0;
  for (let i = 0; i < raw.length; i++) {
    while (next < hits.length && hits[next] <= i) next++;
    const since = next > 0 ? (i - hits[next - 1]) / rate : Number.POSITIVE_INFINITY;
    const until = next < hits.length ? (hits[next] - i) / rate : Number.POSITIVE_INFINITY;
    const s = since < ATTACK_S ? sums.attack : since >= TAIL_S[0] && since < tail && until > LEAD_S ? sums.tails : since > rungOut && until > LEAD_S ? sums.gaps : null;
    if (!s) continue;
    s[0] += raw[i] * raw[i];
    s[1] += debled[i] * debled[i];
  }
  const db = ([a, b]: number[]) => (a > 0 ? Math.max(-90, 10 * Math.log10(b / a + 1e-12)) : null);
  return { gapsDb: db(sums.gaps), tailsDb: db(sums.tails), attackDb: db(sums.attack) };
}
