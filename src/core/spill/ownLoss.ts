/** Whether de-bleed took some of the drum itself: told at its loud strokes that stand alone, where nearly all that a stroke adds is its own. */
import { quantile } from '../hits/candidates';

const FROM_MS = 2;
const TO_MS = 40;
const BEFORE_MS = 45;
/** Another drum's stroke this near makes a stroke no good witness, seconds. */
const ALONE_S = 0.06;
const LEAST = 3;
/** Of the witnesses, the one in four that lost least: others may have been louder for what nobody found. */
const WITNESS = 0.75;
/** Losses up to this are no loss, and from this on the raw mic is better, dB. */
const FREE_DB = 0.5;
const FULL_DB = 1.5;

const energy = (x: Float32Array, from: number, to: number): number => {
  let e = 0;
  for (let i = Math.max(0, from); i < Math.min(x.length, to); i++) e += x[i] * x[i];
  return e;
};

/** Level of what is kept of a stroke against what it adds to the raw mic, dB, at its loud lonely strokes; `own`, `others`: frames. 0 where there is no witness. */
export function ownLossDb(raw: Float32Array, kept: Float32Array, rate: number, own: readonly number[], others: readonly number[]): number {
  const ms = rate / 1000;
  const rows = own.map((f) => {
    const nearest = others.reduce((d, o) => Math.min(d, Math.abs(o - f)), Number.POSITIVE_INFINITY);
    const before = (energy(raw, f - BEFORE_MS * ms, f - 5 * ms) / (BEFORE_MS - 5)) * (TO_MS - FROM_MS);
    return { nearest, added: energy(raw, f + FROM_MS * ms, f + TO_MS * ms) - before, kept: energy(kept, f + FROM_MS * ms, f + TO_MS * ms), before };
  });
  const list = rows.filter((r) => r.added > 4 * r.before && r.added > 0 && r.nearest > ALONE_S * rate);
  if (list.length < LEAST) return 0;
  const loud = quantile(list.map((r) => r.added), 0.5);
  return quantile(list.filter((r) => r.added >= loud).map((r) => 10 * Math.log10((r.kept + 1e-12) / (r.added + 1e-12))), WITNESS);
}

/** How much of de-bleed a mic should get by that, 0..1. */
export const shareByLoss = (lossDb: number): number => Math.max(0, Math.min(1, (FULL_DB + lossDb) / (FULL_DB - FREE_DB)));
