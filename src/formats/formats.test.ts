import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { FreshGapError } from '../core/errors';
import { type Encoding, BYTES_PER_SAMPLE, createEncoder, decodeChannel } from './pcm';
import { type WavInfo, type WavResult, createWavReader } from './wavReader';
import { audioBytes, padBytes, wavBytes, wavHead } from './wavWriter';

function wav(encoding: Encoding, channels: number, frames: number, fill: (i: number) => number = (i) => (i * 37) & 255, extras?: Uint8Array): Uint8Array {
  const layout = { encoding, channels, rate: 48000, frames, extras };
  const out = new Uint8Array(wavBytes(layout));
  const head = wavHead(layout);
  out.set(head);
  for (let i = 0; i < audioBytes(layout); i++) out[head.length + i] = fill(i);
  return out;
}

function read(bytes: Uint8Array, cut = bytes.length): { info: WavInfo; audio: Uint8Array; result: WavResult } {
  let info: WavInfo | null = null;
  const parts: number[] = [];
  const r = createWavReader(
    (i) => {
      info = i;
    },
    (b) => parts.push(...b),
  );
  for (let at = 0; at < bytes.length; at += cut) r.push(bytes.subarray(at, at + cut).slice());
  const result = r.end();
  return { info: info as unknown as WavInfo, audio: Uint8Array.from(parts), result };
}

const code = (f: () => unknown) => {
  try {
    f();
  } catch (e) {
    return e instanceof FreshGapError ? e.code : e;
  }
  return 'nothing thrown';
};

const ENCODINGS: Encoding[] = ['pcm16', 'pcm24', 'pcm32', 'float32'];
const chunk = (id: string, body: number[]) => [...id].map((c) => c.charCodeAt(0)).concat([body.length & 255, body.length >> 8, 0, 0], body, body.length & 1 ? [0] : []);

describe('WAV reader and writer', () => {
  it('give back the audio bytes of every encoding, however the file is cut', () => {
    fc.assert(
      fc.property(fc.constantFrom(...ENCODINGS), fc.integer({ min: 1, max: 2 }), fc.integer({ min: 1, max: 700 }), fc.integer({ min: 1, max: 999 }), (e, channels, frames, cut) => {
        const bytes = wav(e, channels, frames);
        const { info, audio, result } = read(bytes, cut);
        expect(info).toMatchObject({ encoding: e, channels, rate: 48000, frames });
        expect(audio.length).toBe(frames * channels * BYTES_PER_SAMPLE[e]);
        expect(audio).toEqual(bytes.slice(info.dataOffset, info.dataOffset + audio.length));
        // head, audio and tail together are the file again
        expect(Uint8Array.from([...result.head, ...audio, ...result.tail])).toEqual(bytes);
      }),
      { numRuns: 60 },
    );
  });

  it('pad odd audio to an even length', () => {
    const layout = { encoding: 'pcm24', channels: 1, rate: 48000, frames: 3 } as const;
    expect(padBytes(layout)).toBe(1);
    expect(wavBytes(layout) % 2).toBe(0);
  });

  it('skip chunks they do not know, keep the ones worth keeping, also behind the audio', () => {
    const plain = wav('pcm16', 1, 10);
    const before = plain.subarray(12, plain.length);
    const body = [...chunk('junk', [1, 2, 3]), ...chunk('bext', [9, 8, 7, 6]), ...before, ...chunk('cue ', [5, 5]), ...chunk('blah', [1])];
    const file = Uint8Array.from([...plain.subarray(0, 12), ...body]);
    const { audio, result } = read(file, 7);
    expect(audio).toEqual(plain.slice(plain.length - 20));
    expect([...result.extras]).toEqual([...chunk('bext', [9, 8, 7, 6]), ...chunk('cue ', [5, 5])]);
    // written again, they are read again
    const again = wav('pcm24', 1, 4, () => 1, result.extras);
    expect(read(again).result.extras).toEqual(result.extras);
  });

  it('read the extensible format tag', () => {
    const plain = wav('pcm24', 2, 5);
    const fmt = plain.slice(20, 36);
    fmt[0] = 0xfe;
    fmt[1] = 0xff;
    const guid = [1, 0, 0, 0, 0, 0, 0x10, 0, 0x80, 0, 0, 0xaa, 0, 0x38, 0x9b, 0x71];
    const file = Uint8Array.from([...plain.subarray(0, 12), ...chunk('fmt ', [...fmt, 22, 0, 24, 0, 3, 0, 0, 0, ...guid]), ...plain.subarray(36)]);
    expect(read(file).info.encoding).toBe('pcm24');
  });

  it('turn to 64-bit sizes past 4 GiB, and read them', () => {
    const frames = 1.6e9;
    const head = wavHead({ encoding: 'pcm24', channels: 1, rate: 96000, frames });
    expect(String.fromCharCode(...head.subarray(0, 4))).toBe('RF64');
    let info: WavInfo | null = null;
    const r = createWavReader(
      (i) => {
        info = i;
      },
      () => {},
    );
    r.push(head);
    expect(info).toMatchObject({ frames, rate: 96000 });
    expect(code(() => r.end())).toBe('WAV_TRUNCATED');
  });

  it('say what is wrong with a file that cannot be used', () => {
    const good = wav('pcm16', 1, 100);
    const change = (at: number, ...values: number[]) => {
      const b = good.slice();
      b.set(values, at);
      return b;
    };
    expect(code(() => read(new Uint8Array(0)))).toBe('WAV_EMPTY');
    expect(code(() => read(Uint8Array.from([1, 2, 3])))).toBe('WAV_NOT_WAV');
    expect(code(() => read(new TextEncoder().encode('this is a letter, not a recording')))).toBe('WAV_NOT_WAV');
    expect(code(() => read(good.subarray(0, good.length - 1)))).toBe('WAV_TRUNCATED');
    expect(code(() => read(good.subarray(0, 30)))).toBe('WAV_TRUNCATED');
    expect(code(() => read(wav('pcm16', 1, 0)))).toBe('WAV_EMPTY');
    expect(code(() => read(change(20, 2)))).toBe('WAV_ENCODING');
    expect(code(() => read(change(34, 8)))).toBe('WAV_ENCODING');
    expect(code(() => read(change(22, 6)))).toBe('WAV_CHANNELS');
    expect(code(() => read(change(32, 7)))).toBe('WAV_HEADER');
    expect(code(() => read(change(24, 1, 0, 0, 0)))).toBe('RATE_UNSUPPORTED');
    expect(code(() => read(change(40, 199, 0, 0, 0)))).toBe('WAV_TRUNCATED');
  });

  it('never crash on damaged bytes: only coded errors come out', () => {
    const good = wav('pcm24', 2, 60);
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.integer({ min: 0, max: good.length - 1 }), fc.integer({ min: 0, max: 255 })), { maxLength: 8 }), fc.integer({ min: 1, max: good.length }), (hits, length) => {
        const b = good.slice(0, length);
        for (const [at, v] of hits) if (at < length) b[at] = v;
        const r = code(() => read(b, 50));
        return r === 'nothing thrown' || typeof r === 'string';
      }),
      { numRuns: 300 },
    );
  });
});

describe('PCM', () => {
  it('16 and 24 bits and floats survive decoding and encoding exactly', () => {
    const bytes24 = Uint8Array.from({ length: 300 }, (_, i) => (i * 91 + 7) & 255);
    const x = new Float32Array(100);
    expect(decodeChannel(bytes24, 'pcm24', 1, 0, x)).toBe(100);
    expect(createEncoder('pcm24', 1).encode([x])).toEqual(bytes24);

    const bytes16 = Uint8Array.from({ length: 200 }, (_, i) => (i * 57 + 3) & 255);
    decodeChannel(bytes16, 'pcm16', 1, 0, x);
    const as24 = createEncoder('pcm24', 1).encode([x]);
    for (let i = 0; i < 100; i++) expect([as24[3 * i], as24[3 * i + 1], as24[3 * i + 2]]).toEqual([0, bytes16[2 * i], bytes16[2 * i + 1]]);

    const f = Float32Array.from({ length: 50 }, (_, i) => Math.fround(Math.sin(i) * 1.7));
    const back = new Float32Array(50);
    decodeChannel(createEncoder('float32', 1).encode([f]), 'float32', 1, 0, back);
    expect(back).toEqual(f);
  });

  it('24 bits are the same wherever they lie in memory', () => {
    const all = Uint8Array.from({ length: 330 }, (_, i) => (i * 173 + 11) & 255);
    for (const from of [0, 1, 2, 3, 4, 6]) {
      const bytes = all.subarray(from, from + 309);
      const x = new Float32Array(103);
      expect(decodeChannel(bytes, 'pcm24', 1, 0, x)).toBe(103);
      for (let i = 0; i < 103; i++) expect(x[i]).toBe((((bytes[3 * i] << 8) | (bytes[3 * i + 1] << 16) | (bytes[3 * i + 2] << 24)) >> 8) / 8388608);
    }
  });

  it('takes channels apart and together', () => {
    const [l, r] = [Float32Array.from([0.5, -0.25]), Float32Array.from([-1, 0.125])];
    const bytes = createEncoder('pcm24', 1).encode([l, r]);
    const out = new Float32Array(2);
    decodeChannel(bytes, 'pcm24', 2, 1, out);
    expect(out).toEqual(r);
  });

  it('writes floats of any number of channels little-endian, and reads them wherever they lie, cut short or not', () => {
    for (const channels of [1, 2, 3]) {
      const given = Array.from({ length: channels }, (_, c) => Float32Array.from({ length: 40 }, (_, i) => Math.fround(Math.sin(7 * i + c) * 1.3)));
      const bytes = createEncoder('float32', 1).encode(given);
      const view = new DataView(bytes.buffer, bytes.byteOffset);
      for (let i = 0; i < 40; i++) for (let c = 0; c < channels; c++) expect(view.getFloat32(4 * (i * channels + c), true)).toBe(given[c][i]);
      for (const from of [0, 1, 2, 3, 4]) {
        for (const held of [new Uint8Array(from + bytes.length + 3), Buffer.alloc(from + bytes.length + 3)]) {
          held.set(bytes, from);
          const out = new Float32Array(50).fill(9);
          // a last sample that is not whole is none
          expect(decodeChannel(held.subarray(from), 'float32', channels, channels - 1, out)).toBe(40);
          expect(out.subarray(0, 40)).toEqual(given[channels - 1]);
          expect(out[40]).toBe(9);
        }
      }
    }
  });

  it('reads full scale of 32-bit integers as 1, and no-numbers as silence', () => {
    const out = new Float32Array(2);
    decodeChannel(Uint8Array.from([0, 0, 0, 0x80, 0, 0, 0, 0x40]), 'pcm32', 1, 0, out);
    expect([...out]).toEqual([-1, 0.5]);
    const bad = new Uint8Array(new Float32Array([Number.NaN, Number.POSITIVE_INFINITY]).buffer);
    decodeChannel(bad, 'float32', 1, 0, out);
    expect([...out]).toEqual([0, 0]);
  });

  it('dithers only what 24 bits cannot hold, keeps digital silence, and says what was limited', () => {
    const e = createEncoder('pcm24', 5);
    const n = 40000;
    const between = new Float32Array(n).fill(0.3 / 8388608);
    const bytes = e.encode([between]);
    const out = new Float32Array(n);
    decodeChannel(bytes, 'pcm24', 1, 0, out);
    const steps = [...out].map((v) => v * 8388608);
    const mean = steps.reduce((a, b) => a + b) / n;
    // triangular dither of 2 LSB: the mean is kept, the error's variance is 1/4 LSB squared (derived: 1/6 + 1/12)
    expect(mean).toBeCloseTo(0.3, 1);
    expect(steps.reduce((a, b) => a + (b - 0.3) ** 2, 0) / n).toBeCloseTo(0.25, 1);
    expect(e.encode([new Float32Array(10)]).every((b) => b === 0)).toBe(true);
    expect(e.clipped).toBe(0);
    e.encode([Float32Array.from([1.5, -1.5, 1, -1])]);
    expect(e.clipped).toBe(3);
  });

  it('gives the same dither for the same seed', () => {
    const x = Float32Array.from({ length: 100 }, (_, i) => Math.sin(i) * 0.1);
    expect(createEncoder('pcm24', 9).encode([x])).toEqual(createEncoder('pcm24', 9).encode([x]));
    expect(createEncoder('pcm24', 9).encode([x])).not.toEqual(createEncoder('pcm24', 10).encode([x]));
  });
});
