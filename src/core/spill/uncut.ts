/**
 * Mics that were cut before they came here: silence stands where somebody took their drum for silent, and nothing tells that other drums sounded on there. What learns from all mics together would
 * take that silence for what the mic heard. So it is filled for those who listen: with what the mics that were not cut tell of it, each by a filter learnt where the cut mic sounds and its own drum
 * is weakest, and as much noise as that leaves unexplained. Nobody hears it: what comes out is silent again where the mic is.
 */
import { solve } from '../dsp/hermitian';
import { quantile } from '../hits/candidates';
import { oneByOne } from '../hits/ears';
import type { SongMic } from '../hits/ownMics';
import type { MicReader } from '../render';
import { readWithin } from './lowerRate';
import { type MicSilences, READ, type Silence, silencesIn } from './silences';
import { BINS, HOP, type Spectrogram, createTransform, framesOf } from './transform';

export interface Uncut {
  /** Of all mics; those that were cut sound on in their silences. */
  readonly readers: readonly MicReader[];
  /** By mic that was cut, in order of time. */
  readonly silences: ReadonlyMap<number, readonly Silence[]>;
  /** Cuts what was made of a mic as the mic was cut: frames `at` and following, in place. */
  cut(mic: number, x: Float32Array, at?: number): Promise<Float32Array>;
}

/** A mic was cut where it is silent for so much more of the recording than the one that is least, and sounds for so long at least that something can be learnt, seconds. */
const CUT = 0.05;
const SOUNDS_S = 2;
/** Mics that are silent for hardly more than the least tell of those that were cut. */
const TELLS = 0.01;
/** A mic is faded so long after a silence and before one, seconds. */
const FADED_IN_S = 0.03;
const FADED_OUT_S = 0.25;
/** Frames that filters are learnt from, at most, and how many of them: those in which the mic is weakest against the others. */
const MOST = 700;
const RUN = 16;
const WEAKEST = [0.05, 0.45] as const;
const ROUNDS = 3;
/** Bins beside one that count with it. */
const BESIDE = 6;
const REGULAR = 1e-3;
/** Levels where a mic is faded are taken over so many frames; what is under half of what it should be is filled. */
const LEVEL = 128;
const FALLEN = 0.5;
/** Blocks of that that are kept: some 200 MB. */
const MOST_KNOWN = 800;
const NOTHING = new Float32Array(0);

/** What tells a cut mic from others: by bin, re and im of each of theirs, and of what that leaves the share of noise. */
interface Filter {
  readonly re: Float32Array;
  readonly im: Float32Array;
  readonly noise: Float32Array;
}

/** Power around each bin of one frame. */
function around(re: Float32Array, im: Float32Array, stride: number, t: number, into: Float64Array): void {
  let sum = 0;
  const p = (b: number) => (b >= 0 && b < BINS ? re[b * stride + t] ** 2 + im[b * stride + t] ** 2 : 0);
  for (let b = 0; b < BESIDE; b++) sum += p(b);
  for (let b = 0; b < BINS; b++) {
    sum += p(b + BESIDE) - p(b - BESIDE - 1);
    into[b] = Math.max(sum, 0) + 1e-20;
  }
}

/** `mine` by `others`, in frames all of them have. */
function learnFilter(mine: Spectrogram, others: readonly Spectrogram[]): Filter {
  const [N, K] = [mine.frames, others.length];
  const filter = { re: new Float32Array(BINS * K), im: new Float32Array(BINS * K), noise: new Float32Array(BINS) };
  const own = Array.from({ length: N }, () => new Float64Array(BINS));
  const told = Array.from({ length: N }, () => new Float64Array(BINS));
  const part = new Float64Array(BINS);
  for (let t = 0; t < N; t++) {
    around(mine.re, mine.im, N, t, own[t]);
    for (const o of others) {
      around(o.re, o.im, N, t, part);
      for (let b = 0; b < BINS; b++) told[t][b] += part[b];
    }
  }
  const ratio = new Float32Array(N);
  const [ar, ai, br, bi] = [new Float64Array(K * K), new Float64Array(K * K), new Float64Array(K), new Float64Array(K)];
  const [gr, gi] = [new Float32Array(BINS * N), new Float32Array(BINS * N)];
  for (let round = 0; round < ROUNDS; round++) {
    for (let b = 0; b < BINS; b++) {
      for (let t = 0; t < N; t++) ratio[t] = own[t][b] / told[t][b];
      const [some, most] = [quantile(ratio, WEAKEST[0]), quantile(ratio, WEAKEST[1])];
      const chosen = Array.from(ratio.keys()).filter((t) => ratio[t] >= some && ratio[t] <= most);
      for (const a of [ar, ai, br, bi]) a.fill(0);
      for (const t of chosen) {
        const w = 1 / own[t][b];
        const at = b * N + t;
        for (let i = 0; i < K; i++) {
          const [p, q] = [w * others[i].re[at], w * others[i].im[at]];
          br[i] += p * mine.re[at] + q * mine.im[at];
          bi[i] += p * mine.im[at] - q * mine.re[at];
          for (let j = 0; j <= i; j++) {
            ar[i * K + j] += p * others[j].re[at] + q * others[j].im[at];
            ai[i * K + j] += p * others[j].im[at] - q * others[j].re[at];
          }
        }
      }
      // each mic by its own level: some are near and some far
      for (let i = 0; i < K; i++) ar[i * K + i] = ar[i * K + i] * (1 + REGULAR) + 1e-20;
      solve(K, ar, ai, br, bi);
      filter.re.set(br, b * K);
      filter.im.set(bi, b * K);
      for (let t = 0; t < N; t++) {
        let [x, y] = [0, 0];
        for (let i = 0; i < K; i++) {
          const at = b * N + t;
          x += br[i] * others[i].re[at] - bi[i] * others[i].im[at];
          y += br[i] * others[i].im[at] + bi[i] * others[i].re[at];
        }
        gr[b * N + t] = x;
        gi[b * N + t] = y;
      }
      const left = Float32Array.from(chosen, (t) => {
        const at = b * N + t;
        return ((mine.re[at] - gr[at]) ** 2 + (mine.im[at] - gi[at]) ** 2) / (gr[at] ** 2 + gi[at] ** 2 + 1e-20);
      });
      filter.noise[b] = Math.sqrt(Math.min(1, quantile(left, 0.5)));
    }
    for (let t = 0; t < N; t++) around(gr, gi, N, t, told[t]);
  }
  return filter;
}

/** Noise of one bin and frame, -1..1 twice, always the same. */
function noiseAt(bin: number, frame: number): [number, number] {
  let h = (Math.imul(bin + 1, 0x9e3779b1) ^ Math.imul(frame + 1, 0x85ebca6b)) >>> 0;
  const next = () => {
    h = Math.imul(h ^ (h >>> 15), 0x2c1b3c6d) >>> 0;
    h = Math.imul(h ^ (h >>> 12), 0x297a2d39) >>> 0;
    h = (h ^ (h >>> 15)) >>> 0;
    return h / 2 ** 31 - 1;
  };
  return [next(), next()];
}

/** Root mean square of values that lie evenly between -1 and 1, two of them. */
const EVEN = Math.sqrt(2 / 3);

/** Mics as they would have been had nobody cut them, `rate` in Hz. Where no mic was, the readers are those that were given. Only mics of drums and overheads are looked at: a click, say, is silent by itself. `progress` is called between steps and may throw to cancel. `told`: by mic, its silences, where they are known without reading it. */
export async function uncut(rate: number, frames: number, given: readonly MicReader[], mics: readonly Pick<SongMic, 'own' | 'overhead'>[], progress: () => void | Promise<void> = () => {}, told: readonly (MicSilences | null)[] = []): Promise<Uncut> {
  // at once: where they come from one after the other, one comes while another is looked at
  const found = await Promise.all(
    given.map(async (r, m) => {
      const silences = told[m] ?? (await silencesIn(r, frames, rate));
      await progress();
      return silences;
    }),
  );
  const heard = found.filter((f) => f.total < frames);
  const least = Math.min(...heard.map((f) => f.total));
  const all = [...given.keys()];
  const cut = all.filter((m) => (mics[m].own !== null || mics[m].overhead) && found[m].total - least > CUT * frames && frames - found[m].total > SOUNDS_S * rate);
  const tell = all.filter((m) => found[m].total - least <= TELLS * frames);
  if (cut.length === 0 || tell.length === 0) return { readers: given, silences: new Map(), cut: async (_, x) => x };

  const transform = createTransform();
  /** Frames of the transform in which a mic sounds on, its fades left out where enough remain. */
  const soundingFrames = (m: number): number[] => {
    const clear = (before: number, after: number) =>
      Array.from({ length: framesOf(frames) }, (_, k) => k).filter((k) => found[m].list.every((s) => (k + 1) * HOP <= s.from - before || (k - 1) * HOP >= s.to + after) && k > 0 && (k + 1) * HOP <= frames);
    const some = clear(0.5 * FADED_OUT_S * rate, FADED_IN_S * rate);
    const list = some.length >= MOST / 4 ? some : clear(0, 0);
    // whole runs of frames, from all over the recording
    const runs: number[][] = [];
    for (const k of list) {
      const run = runs[runs.length - 1];
      if (run && run[run.length - 1] === k - 1 && run.length < RUN) run.push(k);
      else runs.push([k]);
    }
    const every = Math.max(1, list.length / MOST);
    return runs.filter((_, i) => Math.floor(i / every) !== Math.floor((i - 1) / every)).flat();
  };
  const at = async (m: number, list: readonly number[]): Promise<Spectrogram> => {
    const re = new Float32Array(BINS * list.length);
    const im = new Float32Array(BINS * list.length);
    for (let i = 0; i < list.length; ) {
      let n = 1;
      while (list[i + n] === list[i] + n) n++;
      const from = (list[i] - 1) * HOP;
      const part = transform.forward(await readWithin(given[m], frames, from, (n + 1) * HOP), from, list[i], n);
      for (let b = 0; b < BINS; b++) {
        re.set(part.re.subarray(b * n, (b + 1) * n), b * list.length + i);
        im.set(part.im.subarray(b * n, (b + 1) * n), b * list.length + i);
      }
      i += n;
    }
    return { bins: BINS, frames: list.length, re, im };
  };
  const filters = new Map<number, Filter>();
  for (const m of cut) {
    const list = soundingFrames(m);
    if (list.length < 2 * tell.length) continue;
    const others: Spectrogram[] = [];
    for (const o of tell) others.push(await at(o, list));
    filters.set(m, learnFilter(await at(m, list), others));
    await progress();
  }

  // readers answer one call at a time, whoever asks
  const inTurn = oneByOne((work: () => Promise<void>) => work());
  /** What the mics that tell say of samples `from` and following. */
  async function toldOf(filter: Filter, from: number, length: number): Promise<Float32Array> {
    const K = tell.length;
    const first = Math.floor(from / HOP);
    const n = Math.floor((from + length - 1) / HOP) + 2 - first;
    const offset = (first - 1) * HOP;
    const re = new Float32Array(BINS * n);
    const im = new Float32Array(BINS * n);
    for (const [i, m] of tell.entries()) {
      const s = transform.forward(await readWithin(given[m], frames, offset, (n + 1) * HOP), offset, first, n);
      for (let b = 0; b < BINS; b++) {
        const [p, q] = [filter.re[b * K + i], filter.im[b * K + i]];
        for (let t = b * n; t < (b + 1) * n; t++) {
          re[t] += p * s.re[t] - q * s.im[t];
          im[t] += p * s.im[t] + q * s.re[t];
        }
      }
    }
    for (let b = 0; b < BINS; b++) {
      for (let t = 0; t < n; t++) {
        const [p, q] = noiseAt(b, first + t);
        const g = (filter.noise[b] * Math.hypot(re[b * n + t], im[b * n + t])) / EVEN;
        re[b * n + t] += g * p;
        im[b * n + t] += g * q;
      }
    }
    const out = new Float32Array(length);
    transform.inverse(re, im, n, first, n, out, from);
    return out;
  }
  const [fadedOut, fadedIn] = [Math.round(FADED_OUT_S * rate), Math.round(FADED_IN_S * rate)];
  /**
   * Calls `each` for the samples of a stretch of a cut mic that lie in its silences, or beside them where it is faded: with the sample's place in the stretch, what the other mics tell of it,
   * and how much of that is missing, 0..1.
   */
  async function missing(m: number, filter: Filter, at: number, length: number, each: (i: number, told: number, gain: number) => void): Promise<void> {
    const list = found[m].list.filter((s) => s.from - fadedOut < at + length && s.to + fadedIn > at);
    if (list.length === 0) return;
    // levels lie on a grid of their own, and what is faded hangs together with its silence, so that it does not matter where reading begins
    const from = Math.floor(Math.min(at, ...list.map((s) => s.to)) / LEVEL - 2) * LEVEL;
    const to = Math.ceil(Math.max(at + length, ...list.map((s) => s.from)) / LEVEL + 2) * LEVEL;
    const raw = await readWithin(given[m], frames, from, to - from);
    const told = await toldOf(filter, from, to - from);
    const n = (to - from) / LEVEL;
    const gain = new Float32Array(n);
    const power = (x: Float32Array, k: number) => {
      let p = 0;
      for (let i = Math.max(0, k - 1) * LEVEL; i < Math.min(n, k + 2) * LEVEL; i++) p += x[i] * x[i];
      return p;
    };
    const level = (k: number) => Math.sqrt(power(raw, k) / (FALLEN * power(told, k) + 1e-20));
    const faded = (first: number, step: number, most: number) => {
      for (let k = first, left = most / LEVEL; k >= 0 && k < n && left > 0; k += step, left--) {
        const is = level(k);
        if (is >= 1) return;
        gain[k] = 1 - is;
      }
    };
    for (const s of list) {
      for (let k = Math.max(0, Math.floor((s.from - from) / LEVEL)); k < Math.min(n, (s.to - from) / LEVEL); k++) gain[k] = 1;
    }
    for (const s of list) {
      faded(Math.floor((s.from - from) / LEVEL), -1, fadedOut);
      faded(Math.floor((s.to - from) / LEVEL), 1, fadedIn);
    }
    let next = 0;
    for (let i = 0; i < length; i++) {
      const p = (at + i - from) / LEVEL - 0.5;
      const k = Math.floor(p);
      if (k < 0 || k + 1 >= n || at + i >= frames) continue;
      while (next < list.length && list[next].to <= at + i) next++;
      if (next < list.length && list[next].from <= at + i) each(i, told[at + i - from], 1);
      else if (gain[k] > 0 || gain[k + 1] > 0) each(i, told[at + i - from], gain[k] + (p - k) * (gain[k + 1] - gain[k]));
    }
  }
  /** Turns frames `from` to `to` of `x`, which begins at frame `at`, down to where they are no louder than the mic is. */
  async function noLouder(m: number, x: Float32Array, at: number, from: number, to: number): Promise<void> {
    const first = Math.floor(from / LEVEL) - 2;
    const n = Math.ceil(to / LEVEL) + 2 - first;
    const raw = await readWithin(given[m], frames, first * LEVEL, n * LEVEL);
    const [is, may] = [new Float64Array(n + 2), new Float64Array(n + 2)];
    for (let i = Math.max(0, at - first * LEVEL); i < Math.min(raw.length, at + x.length - first * LEVEL); i++) {
      const k = Math.floor(i / LEVEL) + 1;
      is[k] += x[first * LEVEL + i - at] ** 2;
      may[k] += raw[i] ** 2;
    }
    const gain = Float32Array.from({ length: n }, (_, k) => {
      const [now, most] = [is, may].map((p) => p[k] + p[k + 1] + p[k + 2]);
      return now > most ? Math.sqrt(most / now) : 1;
    });
    for (let i = from; i < to; i++) {
      const p = i / LEVEL - first - 0.5;
      const k = Math.floor(p);
      x[i - at] *= gain[k] + (p - k) * (gain[k + 1] - gain[k]);
    }
  }
  /** What is added to a mic, by mic and block: whoever listens reads a mic several times. */
  const known = new Map<string, Float32Array>();
  async function added(m: number, filter: Filter, block: number): Promise<Float32Array> {
    const key = `${m} ${block}`;
    const held = known.get(key);
    if (held) return held;
    let out = NOTHING;
    await missing(m, filter, block * READ, READ, (i, told, gain) => {
      if (out === NOTHING) out = new Float32Array(READ);
      out[i] = gain * told;
    });
    if (known.size >= MOST_KNOWN) known.delete(known.keys().next().value as string);
    known.set(key, out);
    return out;
  }
  const readers = given.map((r, m) => ({
    read: (atFrame: number, out: Float32Array) => inTurn(async () => {
      await r.read(atFrame, out);
      const filter = filters.get(m);
      for (let at = atFrame; filter && at < Math.min(frames, atFrame + out.length); ) {
        const block = Math.floor(at / READ);
        const end = Math.min((block + 1) * READ, atFrame + out.length);
        const more = await added(m, filter, block);
        if (more !== NOTHING) for (let i = at; i < end; i++) out[i - atFrame] += more[i - block * READ];
        at = end;
      }
    }),
  }));
  return {
    readers,
    silences: new Map([...filters.keys()].map((m) => [m, found[m].list])),
    async cut(m, x, at = 0) {
      if (filters.has(m)) await inTurn(async () => {
        for (const s of found[m].list) x.fill(0, Math.max(0, s.from - at), Math.max(0, s.to - at));
        // beside silences the mic is faded: once where those are near each other
        let done = 0;
        for (const [a, z] of found[m].list.flatMap((s) => [[s.from - fadedOut, s.from], [s.to, s.to + fadedIn]])) {
          const from = Math.max(done, a, at);
          const to = Math.min(z, at + x.length, frames);
          done = Math.max(done, z);
          if (to > from) await noLouder(m, x, at, from, to);
        }
      });
      return x;
    },
  };
}

const LISTED = new Intl.ListFormat('en-GB');

/** For people: which mics were cut. */
export function cutNotes(names: readonly string[], { silences }: Pick<Uncut, 'silences'>, frames: number): string[] {
  if (silences.size === 0) return [];
  const shares = [...silences.values()].map((list) => String(Math.round((100 * list.reduce((n, s) => n + s.to - s.from, 0)) / frames)));
  const one = silences.size === 1;
  return [`${LISTED.format([...silences.keys()].map((m) => names[m]))} ${one ? 'was' : 'were'} cut before (silent for ${LISTED.format(shares)} % of the time): what ${one ? 'it' : 'they'} heard there is told from the other mics.`];
}
