/** Two bass drums and two snares: each stroke is found of the one that was struck, and each mic is freed of the other. Synthesised drums; no network learnt from such a kit. */
import { describe, expect, it } from 'vitest';
import { analyse } from '../../src/core/hits/analyse';
import { THRESHOLD } from '../../src/core/hits/detectHits';
import { scoreClean } from '../../src/core/measure/scoreClean';
import { matchHits } from '../../src/core/measure/scoreHits';
import { guessRoles } from '../../src/core/plan/guessRoles';
import { createHand } from '../../src/core/spill/crew';
import { debleed } from '../../src/core/spill/debleed';
import { kitMic } from '../../src/core/spill/ownImages';
import { makeRecording } from '../../src/demo/makeRecording';
import { randomRecording, tunedVoice } from '../../src/demo/randomKit';
import { withSecondDrums } from '../../src/demo/secondDrums';
import { lendingFrom } from '../../src/core/lend';

const PAIRS = ['kick', 'kick-2', 'snare', 'snare-2'];

describe('a kit with two bass drums and two snares', () => {
  it('has the strokes of each found, and each mic freed of the other', async () => {
    const seed = 914;
    const r = makeRecording(withSecondDrums(randomRecording({ seed, seconds: 20, spill: 'normal', toms: 2 }), seed, tunedVoice(seed + 7000, [])));
    const roles = guessRoles(r.mics.map((m) => ({ file: m.file, channel: 0, channels: 1 })));
    const { drums } = await analyse(r.rate, roles, r.mics.map((m) => m.name), lendingFrom((m) => r.audio[m]));
    const truth = Object.fromEntries(PAIRS.map((d) => [d, r.hits[d].map((h) => ({ time: h.time + r.offsets[r.mics.findIndex((m) => m.own === d)], strength: h.strength }))]));
    for (const d of PAIRS) {
      const found = drums[d].filter((h) => h.certainty >= THRESHOLD);
      const right = matchHits(truth[d], found).length;
      expect(truth[d].length, d).toBeGreaterThan(4);
      expect(truth[d].length - right, `${d} lost`).toBeLessThanOrEqual(1);
      expect(found.length - right, `false ${d}`).toBeLessThanOrEqual(2);
    }
    const readers = r.audio.map((x) => ({
      read(at: number, out: Float32Array) {
        out.fill(0);
        out.set(x.subarray(at, at + out.length));
      },
    }));
    const { mics } = await debleed({ rate: r.rate, frames: r.frames, mics: roles.map(kitMic), readers, hits: drums, hands: [createHand()] });
    const errors: (readonly number[])[] = [];
    for (const [m, { own }] of r.mics.entries()) {
      if (!own || !PAIRS.includes(own)) continue;
      const kept = mics.find((k) => k.mic === m)?.samples as Float32Array;
      const ref = { rate: r.rate, raw: r.audio[m], truth: r.truth[m] as Float32Array, late: r.late[m] as Float32Array, hits: truth[own].map((h) => Math.round(h.time * r.rate)), strengths: truth[own].map((h) => h.strength) };
      const [before, after] = [r.audio[m], kept].map((x) => scoreClean(ref, x));
      expect(after.gapSuppressionDb, r.mics[m].file).toBeGreaterThan(20);
      expect(after.tailSpillDb, r.mics[m].file).toBeLessThan(-6);
      expect(after.missedStrokes).toBe(0);
      expect(after.sustainErrorDb).toBeLessThan(before.sustainErrorDb + 0.1);
      errors.push([before.attackErrorDb, after.attackErrorDb]);
    }
    // one snare stroke, soft and under a hat's, loses 3 dB: the six mics together
    const [untouched, cleaned] = [0, 1].map((k) => errors.reduce((a, e) => a + e[k], 0) / errors.length);
    expect(cleaned).toBeLessThan(untouched);
  }, 400_000);
});
