/**
 * Attack part and note part of a mic. Harmonic/percussive separation by median filtering (D. Fitzgerald, DAFx 2010): in a spectrogram what rings on is smooth along time, what
 * strikes is smooth along frequency; the squared medians give a soft mask. The known hits guide it: only from an own stroke on, for as long as the attack lasts, does what strikes
 * count as attack; everywhere else the mic is all note. The attack part is the mic minus the note part, so that both sum to what came in. Any block size gives the same
 * samples; the price is a latency, the same whether it is on or off.
 */
import FFT from 'fft.js';
import { type BiquadProcessor, biquadCoefficients, createBiquad } from '../dsp/biquad';
import { dbToGain } from '../dsp/db';
import { firstIndex } from '../dsp/search';
import { PARTS_PARAMS, type PartsSettings, bandOf } from '../params/partsParams';

export interface LiveParts {
  readonly settings: PartsSettings;
  /** Frames of own strokes, rising. */
  readonly hits: readonly number[];
}

/** What is heard of it while working; what is delivered is always both. */
export type HearPart = 'both' | 'attack' | 'note';

/** Frames of the spectrogram to each side that the median along time spans. */
const BESIDE = 6;
/** Bins to each side that the median along frequency spans. */
const AROUND = 8;
/** The attack begins so long before the hit, seconds: it is never late. */
const BEFORE_S = 0.004;

const sizeOf = (rate: number): number => 2 ** Math.round(Math.log2(rate * 0.0213));

/** Frames. */
export const partsLatency = (rate: number): number => sizeOf(rate) + (BESIDE * sizeOf(rate)) / 4;

export interface PartsStage {
  readonly latency: number;
  set(t: LiveParts | null, hear?: HearPart): void;
  /** In place: takes `n` samples in and gives those of `latency` before, which lie at frames `outFrame` on. Allocates nothing. */
  process(io: Float32Array, from: number, n: number, outFrame: number): void;
  reset(): void;
}

const cosine = (u: number) => 0.5 + 0.5 * Math.cos(Math.PI * Math.min(1, Math.max(0, u)));

/** How far a time is inside an own attack, 1 at the stroke, 0 once it has gone over. `k`: index of the last hit that may count. */
export function attackShare(rate: number, t: LiveParts, frame: number): number {
  const before = BEFORE_S * rate;
  const k = firstIndex(t.hits.length, (i) => t.hits[i] - 4 * before > frame) - 1;
  let w = 0;
  for (let i = k; i >= 0 && i > k - 3; i--) {
    const since = frame - t.hits[i];
    w = Math.max(w, since < -before ? cosine((-before - since) / (3 * before)) : cosine((since / rate - t.settings.attackMs / 1000) / (t.settings.overMs / 1000)));
  }
  return w;
}

function median(list: Float32Array, n: number): number {
  for (let i = 1; i < n; i++) {
    const v = list[i];
    let j = i - 1;
    for (; j >= 0 && list[j] > v; j--) list[j + 1] = list[j];
    list[j + 1] = v;
  }
  return list[n >> 1];
}

/** The four bands of a part in a row; bands at 0 dB are left out. */
function createEqualiser(rate: number) {
  let bands: BiquadProcessor[] = [];
  let made = '';
  return {
    set(s: PartsSettings, part: 'a' | 'n') {
      const list = ([1, 2, 3, 4] as const).map((k) => bandOf(s, part, k)).filter((b) => b.db !== 0);
      const now = JSON.stringify(list);
      if (now === made) return;
      made = now;
      const next = list.map((b) => biquadCoefficients(b.type, rate, b.hz, b.q, b.db));
      // moved bands keep their state, so that they do not click
      if (next.length === bands.length) for (const [i, c] of next.entries()) bands[i].set(c);
      else bands = next.map((c) => createBiquad(c));
    },
    process(x: Float32Array, n: number) {
      for (const b of bands) b.process(x, x, n);
    },
    reset() {
      for (const b of bands) b.reset();
    },
  };
}

export function createParts(rate: number): PartsStage {
  const size = sizeOf(rate);
  const hop = size / 4;
  const bins = size / 2 + 1;
  const span = 2 * BESIDE + 1;
  const latency = partsLatency(rate);
  const fft = new FFT(size);
  const window = Float64Array.from({ length: size }, (_, i) => Math.sqrt(0.5 - 0.5 * Math.cos((2 * Math.PI * i) / size)));
  const input = new Float64Array(size);
  const full = new Float64Array(2 * size);
  const time = new Float64Array(2 * size);
  // rings: samples that came in, spectra of the last `span` frames, what is added up of the note part
  const room = latency + size;
  const came = new Float32Array(room);
  const spectra = Array.from({ length: span }, () => new Float64Array(2 * bins));
  const levels = Array.from({ length: span }, () => new Float32Array(bins));
  const note = new Float32Array(room);
  const [column, row] = [new Float32Array(span), new Float32Array(2 * AROUND + 1)];
  const equalisers = { a: createEqualiser(rate), n: createEqualiser(rate) };
  let live: LiveParts | null = null;
  let [gainA, gainN] = [1, 1];
  // samples seen (from a whole ring on), and spectra made
  let count = room;
  let made = 0;
  let [attackOut, noteOut] = [new Float32Array(4096), new Float32Array(4096)];

  /** The note part of the frame in the middle of the span; its last sample came in `BESIDE` hops ago. */
  function separate(t: LiveParts, lastFrame: number) {
    const middle = (made - 1 - BESIDE + span) % span;
    const X = spectra[middle];
    const w = attackShare(rate, t, lastFrame - size / 2);
    // a whole number of rings later, so that no index is under 0
    const first = count - size - BESIDE * hop + 2 * room;
    const steady = 10 ** (t.settings.steadyDb / 10);
    if (w === 0) {
      for (let i = 0; i < size; i++) note[(first + i) % room] += 0.5 * window[i] ** 2 * came[(first + i) % room];
      return;
    }
    const level = levels[middle];
    full.fill(0);
    for (let b = 0; b < bins; b++) {
      for (let k = 0; k < span; k++) column[k] = levels[k][b];
      const along = median(column, span) ** 2 * steady;
      let n = 0;
      for (let k = Math.max(0, b - AROUND); k <= Math.min(bins - 1, b + AROUND); k++) row[n++] = level[k];
      const across = median(row, n) ** 2;
      const g = 1 - w + (w * along) / (along + across + 1e-20);
      full[2 * b] = X[2 * b] * g;
      full[2 * b + 1] = X[2 * b + 1] * g;
      if (b > 0 && b < bins - 1) {
        full[2 * (size - b)] = full[2 * b];
        full[2 * (size - b) + 1] = -full[2 * b + 1];
      }
    }
    fft.inverseTransform(time, full);
    for (let i = 0; i < size; i++) note[(first + i) % room] += 0.5 * window[i] * time[2 * i];
  }

  /** Off: a delay, in pieces that meet no end of the ring. */
  function delay(io: Float32Array, from: number, n: number) {
    for (let i = 0; i < n; ) {
      const at = count % room;
      const out = (count - latency + room) % room;
      const m = Math.min(n - i, size, room - at, room - out);
      for (let k = 0; k < m; k++) {
        const x = io[from + i + k];
        io[from + i + k] = came[out + k];
        came[at + k] = x;
      }
      count += m;
      i += m;
    }
  }

  function analyse() {
    for (let i = 0; i < size; i++) input[i] = window[i] * came[(count - size + i + room) % room];
    fft.realTransform(full, input);
    const at = made % span;
    const [X, level] = [spectra[at], levels[at]];
    for (let b = 0; b < bins; b++) {
      X[2 * b] = full[2 * b];
      X[2 * b + 1] = full[2 * b + 1];
      level[b] = Math.hypot(full[2 * b], full[2 * b + 1]);
    }
    made++;
  }

  return {
    latency,
    set(t, hear = 'both') {
      const next = t?.settings.on ? t : null;
      if (!next && live) {
        // switched on again it begins with nothing
        note.fill(0);
        for (const l of levels) l.fill(0);
        for (const s of spectra) s.fill(0);
      }
      live = next;
      if (!live) return;
      const s = live.settings;
      const gain = (db: number) => (db <= PARTS_PARAMS.attackDb.end.from ? 0 : dbToGain(db));
      gainA = hear === 'note' ? 0 : gain(s.attackDb);
      gainN = hear === 'attack' ? 0 : gain(s.noteDb);
      equalisers.a.set(s, 'a');
      equalisers.n.set(s, 'n');
    },
    process(io, from, n, outFrame) {
      const t = live;
      if (!t) {
        delay(io, from, n);
        return;
      }
      if (attackOut.length < n) [attackOut, noteOut] = [new Float32Array(n), new Float32Array(n)];
      for (let i = 0; i < n; i++) {
        const at = count % room;
        came[at] = io[from + i];
        count++;
        if (count % hop === 0) {
          analyse();
          separate(t, outFrame + i + latency - BESIDE * hop);
        }
        const out = (count - 1 - latency + 2 * room) % room;
        const x = came[out];
        noteOut[i] = note[out];
        attackOut[i] = x - note[out];
        note[out] = 0;
      }
      equalisers.a.process(attackOut, n);
      equalisers.n.process(noteOut, n);
      for (let i = 0; i < n; i++) io[from + i] = gainA * attackOut[i] + gainN * noteOut[i];
    },
    reset() {
      came.fill(0);
      note.fill(0);
      for (const l of levels) l.fill(0);
      for (const s of spectra) s.fill(0);
      equalisers.a.reset();
      equalisers.n.reset();
      count = room;
      made = 0;
    },
  };
}
