/** What is measured by npm run bench: the heart's speed on four minutes of one mic, and the analysis of eleven, against a plain loop over the same samples. */
import { createGate } from '../core/clean/gate';
import { deriveSlices } from '../core/clean/slices';
import { createGaussian, createRng } from '../core/dsp/rng';
import { debleed } from '../core/spill/debleed';
import { kitMic } from '../core/spill/ownImages';
import { withHands } from '../node/hands';
import { analyse } from '../core/hits/analyse';
import { gateGains, gateOverview } from '../core/measure/gateOverview';
import { GATE_DEFAULTS } from '../core/params/gateParams';
import { SLICE_DEFAULTS } from '../core/params/sliceParams';
import { makeRecording } from '../demo/makeRecording';
import { randomRecording } from '../demo/randomKit';
import { createEncoder, decodeChannel } from '../formats/pcm';
import { roomFor } from '../core/dsp/room';
import { lendingFrom } from '../core/lend';

const RATE = 48000;
const SECONDS = 240;
const ROUNDS = 5;
const BLOCK = 128;

/** Strokes of decaying noise, two a second, over a floor; or a stroke and then digital silence. */
function music(silentAfter = Number.POSITIVE_INFINITY): Float32Array {
  const gauss = createGaussian(createRng(1));
  return Float32Array.from({ length: SECONDS * RATE }, (_, i) => (i / RATE > silentAfter ? 0 : gauss() * (0.003 + 0.3 * Math.exp(-(i % (RATE / 2)) / 3000))));
}

function best(work: () => void): number {
  let least = Number.POSITIVE_INFINITY;
  for (let r = 0; r < ROUNDS; r++) {
    const t = performance.now();
    work();
    least = Math.min(least, performance.now() - t);
  }
  return least;
}

const x = music();
const silence = music(0.5);
const out = new Float32Array(x.length);
const settings = { ...GATE_DEFAULTS, on: true, keyHpHz: 80, keyLpHz: 800, thresholdDb: -30 };

const runGate = (input: Float32Array) => {
  const gate = createGate(RATE, settings);
  const y = new Float32Array(BLOCK);
  for (let at = 0; at + BLOCK <= input.length; at += BLOCK) {
    const b = input.subarray(at, at + BLOCK);
    gate.process(b, b, y, BLOCK);
  }
};
const reference = best(() => {
  let y = 0;
  for (let i = 0; i < x.length; i++) {
    y += 0.1 * (x[i] - y);
    out[i] = y;
  }
});
const gateTime = best(() => runGate(x));
const silentTime = best(() => runGate(silence));
// while a hand turns the threshold the key's power is kept: only gains and their overview are made again
const power = Float64Array.from(x, (v) => v * v);
const gains = new Float32Array(x.length);
const preview = best(() => {
  gateGains(RATE, settings, power, gains);
  gateOverview(x, gains, power, 1);
});
const encoder = createEncoder('pcm24', 1);
let bytes: Uint8Array = new Uint8Array(0);
const encode = best(() => {
  bytes = encoder.encode([x]);
});
const decode = best(() => decodeChannel(bytes, 'pcm24', 1, 0, out));

const row = (name: string, ms: number, note = '') => console.log(`${name.padEnd(46)} ${(ms / reference).toFixed(2).padStart(8)} x reference ${((SECONDS * 1000) / ms).toFixed(0).padStart(7)} x real time  ${note}`);
console.log(`Reference: one-pole filter over ${SECONDS} s of one mic, ${reference.toFixed(0)} ms here`);
row('gate, both key filters 24 dB, look-ahead', gateTime);
row('the same on a stroke and then digital silence', silentTime, `silence/music ${(silentTime / gateTime).toFixed(2)} (at most 1.1)`);
row('preview of the whole song (at every move)', preview);
row('encode 24 bit with dither', encode);
row('decode 24 bit', decode);

// 2,000 slices of ten minutes, as they are made anew at every move of a setting
const own = Array.from({ length: 2000 }, (_, i) => ({ id: `h${i}`, frame: Math.round((0.3 * i + 0.1) * RATE), strength: 0.2 + (i % 7) / 10 }));
const ring = { decayDb: Array.from({ length: 200 }, (_, i) => -0.6 * i), spillDb: -40, topDb: -12 };
const foreign = Array.from({ length: 8000 }, (_, i) => Math.round(0.075 * i * RATE));
row('2,000 slices of 10 minutes derived', best(() => void deriveSlices({ rate: RATE, frames: 600 * RATE, settings: { ...SLICE_DEFAULTS, on: true, bridgeMs: 0 }, ring, own, foreign, strong: foreign, edits: {} })));

// a made kit, repeated until four minutes are full
const made = makeRecording(randomRecording({ seed: 71, seconds: 20, spill: 'normal', toms: 3, truth: false }));
const mics = made.audio.slice(0, 11).map((a) => {
  const song = roomFor(SECONDS * RATE);
  for (let at = 0; at < song.length; at += a.length) song.set(a.subarray(0, Math.min(a.length, song.length - at)), at);
  return song;
});
const started = performance.now();
const found = await withHands((hands) => analyse(RATE, made.mics.slice(0, 11).map((m) => m.role), made.mics.slice(0, 11).map((m) => m.name), lendingFrom((m) => mics[m]), undefined, undefined, hands));
row(`analysis of ${mics.length} mics, ${Object.values(found.drums).flat().length} hits (all cores)`, performance.now() - started);

// de-bleed of the same, on all cores: its two parts by when the progress passes from one to the other
const times: Record<string, number> = {};
const begun = performance.now();
let rss = 0;
const result = await withHands((hands) =>
  debleed({
    rate: RATE, frames: SECONDS * RATE, mics: made.mics.slice(0, mics.length).map((m) => kitMic(m.role)), hits: found.drums, hands,
    readers: mics.map((x) => ({
      read(at: number, into: Float32Array) {
        into.fill(0);
        into.set(x.subarray(at, at + into.length));
      },
    })),
    progress(_, what) {
      times[what] = performance.now() - begun;
      rss = Math.max(rss, process.memoryUsage().rss);
    },
  }),
);
const [sought, learnt, separated] = Object.values(times);
row('de-bleed, mics that were cut sought', sought);
row('de-bleed, learning on 40 s', learnt - sought);
row('de-bleed, separating the whole song', separated - learnt);
row(`de-bleed, everything (${result.mics.length} close mics)`, performance.now() - begun, `${(rss / 1e9).toFixed(2)} GB at most`);
