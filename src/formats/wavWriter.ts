/**
 * Bytes around the audio of a WAV file. Over 4 GiB the file becomes RF64 (EBU Tech 3306 / ITU-R BS.2088): the same layout with a
 * ds64 chunk that holds the sizes as 64-bit numbers.
 */
import { BYTES_PER_SAMPLE, type Encoding } from './pcm';

export interface WavLayout {
  readonly encoding: Encoding;
  readonly channels: number;
  /** Hz. */
  readonly rate: number;
  readonly frames: number;
  /** Whole chunks to keep (broadcast extension, cues): see WavResult.extras. They go behind the format, before the audio. */
  readonly extras?: Uint8Array;
}

const FOUR_GIB = 0xffffffff;

/** Bytes of the audio alone. */
export const audioBytes = (l: WavLayout): number => l.frames * l.channels * BYTES_PER_SAMPLE[l.encoding];

/** The pad byte that RIFF asks for after an odd number of audio bytes: 0 or 1. */
export const padBytes = (l: WavLayout): number => audioBytes(l) & 1;

/** Everything up to the first audio byte. */
export function wavHead(l: WavLayout): Uint8Array {
  const float = l.encoding === 'float32';
  const size = BYTES_PER_SAMPLE[l.encoding];
  const fmtSize = float ? 18 : 16;
  const extras = l.extras ?? new Uint8Array(0);
  const data = audioBytes(l);
  const base = 12 + 8 + fmtSize + (float ? 12 : 0) + extras.length + 8;
  const large = base + 36 + data + 1 > FOUR_GIB;
  const total = base + (large ? 36 : 0);
  const out = new Uint8Array(total);
  const v = new DataView(out.buffer);
  let at = 0;
  const text = (s: string) => {
    for (let i = 0; i < 4; i++) out[at++] = s.charCodeAt(i);
  };
  const u16 = (n: number) => {
    v.setUint16(at, n, true);
    at += 2;
  };
  const u32 = (n: number) => {
    v.setUint32(at, n, true);
    at += 4;
  };
  const u64 = (n: number) => {
    u32(n % 4294967296);
    u32(Math.floor(n / 4294967296));
  };
  const riffSize = total - 8 + data + (data & 1);
  text(large ? 'RF64' : 'RIFF');
  u32(large ? FOUR_GIB : riffSize);
  text('WAVE');
  if (large) {
    text('ds64');
    u32(28);
    u64(riffSize);
    u64(data);
    u64(l.frames);
    u32(0);
  }
  text('fmt ');
  u32(fmtSize);
  u16(float ? 3 : 1);
  u16(l.channels);
  u32(l.rate);
  u32(l.rate * l.channels * size);
  u16(l.channels * size);
  u16(size * 8);
  if (float) {
    u16(0);
    text('fact');
    u32(4);
    u32(Math.min(l.frames, FOUR_GIB));
  }
  out.set(extras, at);
  at += extras.length;
  text('data');
  u32(large ? FOUR_GIB : data);
  return out;
}

/** Bytes of the whole file. */
export const wavBytes = (l: WavLayout): number => wavHead(l).length + audioBytes(l) + padBytes(l);
