/**
 * Attacks of which de-bleed took some of the drum itself: what was taken is then in step with what is kept, while another drum's sound is in step with it by chance alone. A hat and a ride that
 * are struck together reach the overheads nearly alike, so that the model gives a little of the hat to the cymbals, which costs a hat mic that hardly hears the others more than it gains.
 */
import { biquadCoefficients, butterworthQs, createBiquad } from '../dsp/biquad';

/** Told over so long from the attack, and only above this: below it a few periods are too little to tell chance from step. */
const ATTACK_MS = 10;
const FROM_HZ = 1000;
/** How well in step, and how much of what is kept is missing. By less nothing is gained; a hat that lost more is under others, which this cannot tell from it. */
const IN_STEP = 0.3;
const MISSING = { least: 0.03, most: 0.25 };
/** The gain is there so long before the attack, and is gone so long after it, where the frames end that the other drum's stroke fell into, ms. */
const BEFORE_MS = 2;
const GONE_MS = 25;

/** How much of what is kept was taken besides, in step with it, by stroke (frames): 0 where that may be chance, or is too little to matter. `raw`, `kept`: the mic before and after. */
export function takenInStep(raw: Float32Array, kept: Float32Array, rate: number, strokes: readonly number[]): number[] {
  const length = Math.round((ATTACK_MS / 1000) * rate);
  const settle = 4 * Math.round(rate / FROM_HZ);
  const highs = (x: Float32Array, at: number): Float32Array => {
    const y = x.slice(Math.max(0, at - settle), Math.min(x.length, at + length));
    for (const q of butterworthQs(4)) createBiquad(biquadCoefficients('highpass', rate, FROM_HZ, q)).process(y, y, y.length);
    return y.subarray(Math.min(settle, at));
  };
  return strokes.map((at) => {
    const [r, k] = [highs(raw, at), highs(kept, at)];
    let [both, own, taken] = [0, 0, 0];
    for (let i = 0; i < k.length; i++) {
      const t = r[i] - k[i];
      both += t * k[i];
      own += k[i] * k[i];
      taken += t * t;
    }
    if (own <= 0 || taken <= 0) return 0;
    const missing = both / own;
    return both / Math.sqrt(own * taken) >= IN_STEP && missing >= MISSING.least && missing <= MISSING.most ? missing : 0;
  });
}

/** Gives attacks back what was taken in step with them, in `kept` itself, from sample `from` to `to`. `strokes`: frames, rising. */
export function giveBackInStep(raw: Float32Array, kept: Float32Array, rate: number, strokes: readonly number[], from = 0, to = kept.length): void {
  const frames = (ms: number) => Math.round((ms / 1000) * rate);
  const [before, full, gone] = [frames(BEFORE_MS), frames(ATTACK_MS), frames(GONE_MS)];
  takenInStep(raw, kept, rate, strokes).forEach((missing, s) => {
    if (missing === 0) return;
    const at = strokes[s];
    const end = Math.min(to, at + gone, (strokes[s + 1] ?? kept.length) - before);
    for (let i = Math.max(from, at - before); i < end; i++) {
      const share = i < at ? (i - at + before) / before : i < at + full ? 1 : (at + gone - i) / (gone - full);
      kept[i] *= 1 + missing * share;
    }
  });
}
