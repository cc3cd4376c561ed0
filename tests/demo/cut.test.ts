/** Toms that were cut before they came: their strokes are found and their spill taken out nearly as if nobody had. Synthesised drums; no network learnt from this number. */
import { describe, expect, it } from 'vitest';
import { type Analysis, analyse } from '../../src/core/hits/analyse';
import { THRESHOLD } from '../../src/core/hits/detectHits';
import { scoreClean } from '../../src/core/measure/scoreClean';
import { matchHits } from '../../src/core/measure/scoreHits';
import { createHand } from '../../src/core/spill/crew';
import { debleed } from '../../src/core/spill/debleed';
import { type Lend, lending, lendingFrom } from '../../src/core/lend';
import { kitMic } from '../../src/core/spill/ownImages';
import { uncut } from '../../src/core/spill/uncut';
import { withCutToms } from '../../src/demo/cutMics';
import { makeRecording } from '../../src/demo/makeRecording';
import { randomRecording } from '../../src/demo/randomKit';

describe('a kit whose toms were cut', () => {
  it('has their strokes found and their spill taken out, and silence where they are silent', async () => {
    const r = withCutToms(makeRecording(randomRecording({ seed: 902, seconds: 20, spill: 'normal', toms: 2 })));
    const toms = r.mics.flatMap((m, i) => (m.own?.startsWith('tom') ? [i] : []));
    const readers = r.audio.map((x) => ({
      read(at: number, out: Float32Array) {
        out.fill(0);
        out.set(x.subarray(at, at + out.length));
      },
    }));
    const heard = await uncut(r.rate, r.frames, readers, r.mics.map((m) => kitMic(m.role)));
    expect([...heard.silences.keys()]).toEqual(toms);
    const find = (lend: Lend) => analyse(r.rate, r.mics.map((m) => m.role), r.mics.map((m) => m.name), lend);
    const truth = Object.fromEntries(Object.entries(r.hits).map(([d, list]) => {
      const own = r.mics.findIndex((m) => m.own === d);
      return [d, list.map((h) => ({ time: h.time + (own >= 0 ? r.offsets[own] : r.overheadOffsets[d]), strength: h.strength }))];
    }));
    const wrong = (a: Analysis) => {
      const found = Object.fromEntries(Object.entries(a.drums).map(([d, l]) => [d, l.filter((h) => h.certainty >= THRESHOLD)]));
      return ['tom-1', 'tom-2'].reduce((n, d) => n + truth[d].length + found[d].length - 2 * matchHits(truth[d], found[d]).length, 0);
    };
    const known = await find(lending(heard.readers, r.frames));
    const asCut = await find(lendingFrom((m) => r.audio[m]));
    expect(wrong(known)).toBeLessThanOrEqual(wrong(asCut));
    expect(wrong(known)).toBeLessThanOrEqual(2);

    const { mics } = await debleed({ rate: r.rate, frames: r.frames, mics: r.mics.map((m) => kitMic(m.role)), readers, hits: known.drums, hands: [createHand()] });
    for (const m of toms) {
      const kept = mics.find((k) => k.mic === m)?.samples as Float32Array;
      for (const s of heard.silences.get(m) ?? []) expect(kept.subarray(s.from, s.to).every((v) => v === 0)).toBe(true);
      const own = [...truth[r.mics[m].own as string]].sort((a, b) => a.time - b.time);
      const ref = { rate: r.rate, raw: r.audio[m], truth: r.truth[m] as Float32Array, late: r.late[m] as Float32Array, hits: own.map((h) => Math.round(h.time * r.rate)), strengths: own.map((h) => h.strength) };
      const [before, after] = [r.audio[m], kept].map((x) => scoreClean(ref, x));
      // nothing but -1 dB where their silence counts as heard
      expect(after.tailSpillDb).toBeLessThan(-4);
      expect(after.missedStrokes).toBe(0);
      expect(after.attackErrorDb).toBeLessThan(before.attackErrorDb + 0.1);
      expect(after.sustainErrorDb).toBeLessThan(before.sustainErrorDb + 0.1);
    }
  }, 400_000);
});
