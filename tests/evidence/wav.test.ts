/**
 * WAV against a second reader and writer (the npm package wavefile 11) and against the standards' layouts: RIFF/WAVE; EBU Tech 3285
 * (BWF); EBU Tech 3306 / ITU-R BS.2088 (RF64).
 */
import { WaveFile } from 'wavefile';
import { describe, expect, it } from 'vitest';
import { createGaussian, createRng } from '../../src/core/dsp/rng';
import { createEncoder, decodeChannel } from '../../src/formats/pcm';
import { type WavInfo, createWavReader } from '../../src/formats/wavReader';
import { padBytes, wavHead } from '../../src/formats/wavWriter';

const gauss = createGaussian(createRng(1));
const signal = Float32Array.from({ length: 1001 }, () => Math.max(-1, Math.min(0.999, 0.3 * gauss())));

function ours(encoding: 'pcm24' | 'float32', channels: Float32Array[], extras?: Uint8Array): Uint8Array {
  const layout = { encoding, channels: channels.length, rate: 44100, frames: channels[0].length, extras };
  return Uint8Array.from([...wavHead(layout), ...createEncoder(encoding, 1).encode(channels), ...new Uint8Array(padBytes(layout))]);
}

function read(bytes: Uint8Array, channel = 0) {
  let info: WavInfo | null = null;
  const audio: number[] = [];
  const r = createWavReader(
    (i) => {
      info = i;
    },
    (b) => audio.push(...b),
  );
  r.push(bytes);
  const result = r.end();
  const i = info as unknown as WavInfo;
  const out = new Float32Array(result.frames);
  decodeChannel(Uint8Array.from(audio), i.encoding, i.channels, channel, out);
  return { result, out };
}

describe('a second reader', () => {
  it('reads the 24-bit samples that we write, and finds nothing odd', () => {
    const w = new WaveFile(ours('pcm24', [signal, signal.map((v) => -v / 2)]));
    expect(w.bitDepth).toBe('24');
    expect((w.fmt as { sampleRate: number }).sampleRate).toBe(44100);
    const [l] = w.getSamples(false) as unknown as Float64Array[];
    for (let i = 0; i < signal.length; i++) expect(Math.abs(l[i] - signal[i] * 8388608)).toBeLessThanOrEqual(1.5);
  });
  it('reads our floats exactly', () => {
    const w = new WaveFile(ours('float32', [signal]));
    expect(Float32Array.from(w.getSamples(false) as unknown as Float64Array)).toEqual(signal);
  });
});

describe('a second writer', () => {
  it.each([
    ['16', 32768],
    ['24', 8388608],
    ['32', 2147483648],
  ] as const)('%s bits: we read its samples', (depth, full) => {
    const ints = Array.from(signal, (v) => Math.round(v * (full - 1)));
    const w = new WaveFile();
    w.fromScratch(2, 48000, depth, [ints, ints.map((v) => -v)]);
    const bytes = w.toBuffer();
    const { out, result } = read(bytes);
    expect(result).toMatchObject({ channels: 2, rate: 48000, frames: signal.length });
    for (let i = 0; i < ints.length; i++) expect(out[i]).toBe(Math.fround(ints[i] / full));
    expect(read(bytes, 1).out[3]).toBe(Math.fround(-ints[3] / full));
  });
  it('32-bit float: we read its samples', () => {
    const w = new WaveFile();
    w.fromScratch(1, 96000, '32f', [...signal]);
    expect(read(w.toBuffer()).out).toEqual(signal);
  });
});

describe('broadcast extension (EBU Tech 3285)', () => {
  it('keeps the time reference through our reader and writer', () => {
    const w = new WaveFile();
    w.fromScratch(1, 48000, '24', [1, 2, 3, 4]);
    Object.assign(w.bext as object, { chunkId: 'bext', description: 'take 2', timeReference: [1234567, 1], version: 1 });
    const { result } = read(w.toBuffer());
    expect(result.extras.length).toBeGreaterThan(600);
    const again = new WaveFile(ours('pcm24', [signal], result.extras));
    expect((again.bext as { timeReference: number[] }).timeReference).toEqual([1234567, 1]);
    expect((again.bext as { description: string }).description.replace(/\0/g, '')).toBe('take 2');
  });
});

describe('RF64 (EBU Tech 3306, ITU-R BS.2088)', () => {
  // layout: "RF64", size 0xFFFFFFFF, "WAVE", "ds64" of 28 bytes first: RIFF size, data size, sample count, as 64-bit numbers
  it('puts the true sizes into ds64 and 0xFFFFFFFF into the old places', () => {
    const frames = 2_000_000_000;
    const head = wavHead({ encoding: 'pcm24', channels: 1, rate: 48000, frames });
    const v = new DataView(head.buffer);
    const text = (at: number) => String.fromCharCode(...head.subarray(at, at + 4));
    expect([text(0), text(8), text(12)]).toEqual(['RF64', 'WAVE', 'ds64']);
    expect(v.getUint32(4, true)).toBe(0xffffffff);
    expect(v.getUint32(16, true)).toBe(28);
    const data = BigInt(frames) * 3n;
    expect(v.getBigUint64(20, true)).toBe(BigInt(head.length - 8) + data);
    expect(v.getBigUint64(28, true)).toBe(data);
    expect(v.getBigUint64(36, true)).toBe(BigInt(frames));
    expect(text(head.length - 8)).toBe('data');
    expect(v.getUint32(head.length - 4, true)).toBe(0xffffffff);
  });
  it('stays plain RIFF under 4 GiB', () => {
    expect(String.fromCharCode(...wavHead({ encoding: 'pcm24', channels: 1, rate: 48000, frames: 1e9 }).subarray(0, 4))).toBe('RIFF');
  });
});
