import { describe, expect, it } from 'vitest';
import { createRng } from '../dsp/rng';
import { decode24, decodeHex } from './pcmKernels';

/** Bytes of samples, little-endian. */
const bytesOf = (samples: readonly number[]) => Uint8Array.from(samples.flatMap((v) => [v & 255, (v >> 8) & 255, (v >> 16) & 255]));

describe('decoding 24 bits in lanes', () => {
  it('is exact from full scale to full scale', () => {
    const samples = [0, 1, -1, 255, 256, -256, 65535, -65536, 8388607, -8388608, 8388606, -8388607];
    const out = new Float32Array(samples.length);
    expect(decode24(bytesOf(samples), out)).toBe(samples.length);
    expect([...out]).toEqual(samples.map((v) => v / 8388608));
  });

  it('leaves up to three samples to others, and never writes beyond what there is', () => {
    for (const [there, room, told] of [[7, 7, 4], [9, 6, 4], [3, 8, 0], [8, 8, 8], [0, 4, 0]]) {
      const out = new Float32Array(room).fill(9);
      expect(decode24(bytesOf(Array.from({ length: there }, (_, i) => i + 1)), out)).toBe(told);
      expect([...out]).toEqual(Array.from({ length: room }, (_, i) => (i < told ? (i + 1) / 8388608 : 9)));
    }
  });

  it('goes on over pieces, from bytes at any place into memory that threads share', () => {
    const rng = createRng(5);
    const samples = Array.from({ length: 150001 }, () => Math.floor(16777216 * rng()) - 8388608);
    const held = new Uint8Array(3 * samples.length + 1);
    held.set(bytesOf(samples), 1);
    const out = new Float32Array(new SharedArrayBuffer(4 * samples.length));
    expect(decode24(held.subarray(1), out)).toBe(150000);
    expect(samples.slice(0, 150000).every((v, i) => out[i] === v / 8388608)).toBe(true);
  });
});

describe('decoding of bytes told as text', () => {
  const told = (bytes: Uint8Array) => Uint8Array.from([...bytes].map((b) => b.toString(16).padStart(2, '0')).join(''), (c) => c.charCodeAt(0));

  it('knows every byte, in small letters and in capitals', () => {
    const all = Uint8Array.from({ length: 256 }, (_, i) => i);
    expect(decodeHex(told(all))).toEqual(all);
    expect(decodeHex(Uint8Array.from([...told(all)].map((c) => (c > 96 ? c - 32 : c))))).toEqual(all);
  });

  it('tells any number of bytes, over pieces too, from text at any place', () => {
    const rng = createRng(6);
    for (const n of [0, 1, 15, 16, 17, 131072, 131073, 300001]) {
      const bytes = Uint8Array.from({ length: n }, () => Math.floor(256 * rng()));
      const held = new Uint8Array(2 * n + 2);
      held.set(told(bytes), 2);
      expect(Buffer.compare(decodeHex(held.subarray(2)), bytes)).toBe(0);
    }
  });
});
