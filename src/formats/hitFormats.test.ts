import { describe, expect, it } from 'vitest';
import { WaveFile } from 'wavefile';
import { deliverHits } from '../server/deliverHits';
import { cueChunks, labelText, markersCsv } from './markers';
import { drumOfKey, midiFile, percussionKey, readMidi, velocityOf } from './midi';

describe('MIDI', () => {
  // Standard MIDI Files 1.0: a header chunk of six bytes, format 1; variable-length quantities 0x80 = 81 00, 0x3FFF = FF 7F, 0x1FFFFF = FF FF 7F
  it('is laid out by the standard, with its variable-length quantities', () => {
    const tick = 500_000 / 9600 / 1e6;
    const b = midiFile([{ name: 'kick', key: 36, notes: [0x80, 0x3fff, 0x1fffff].map((t) => ({ time: t * tick, velocity: 100 })) }]);
    expect(Array.from(b.subarray(0, 14))).toEqual([0x4d, 0x54, 0x68, 0x64, 0, 0, 0, 6, 0, 1, 0, 2, 9600 >> 8, 9600 & 255]);
    const hex = Buffer.from(b).toString('hex');
    // first note-on 0x80 ticks after the track's name, on channel 10
    expect(hex).toContain('8100992464');
    const notes = readMidi(b);
    expect(notes.map((n) => Math.round(n.time / tick))).toEqual([0x80, 0x3fff, 0x1fffff]);
  });

  it('keeps time to a tenth of a millisecond over an hour, and velocities', () => {
    const times = [0, 0.00031, 1.23456, 59.9999, 3599.87654];
    const b = midiFile([{ name: 'snare', key: 38, notes: times.map((time, i) => ({ time, velocity: 10 + i })) }]);
    const notes = readMidi(b);
    times.forEach((t, i) => {
      expect(Math.abs(notes[i].time - t)).toBeLessThan(1e-4);
      expect(notes[i].velocity).toBe(10 + i);
      expect(notes[i].track).toBe('snare');
    });
  });

  it('follows the tempo map of others', () => {
    // format 0, 96 ticks a beat: 120 beats a minute for a beat, then 60: built by hand after the standard
    const track = [0, 0xff, 0x51, 3, 0x07, 0xa1, 0x20, 0, 0x99, 36, 100, 96, 0xff, 0x51, 3, 0x0f, 0x42, 0x40, 96, 0x99, 38, 64, 0, 0xff, 0x2f, 0];
    const bytes = Uint8Array.from([0x4d, 0x54, 0x68, 0x64, 0, 0, 0, 6, 0, 0, 0, 1, 0, 96, 0x4d, 0x54, 0x72, 0x6b, 0, 0, 0, track.length, ...track]);
    expect(readMidi(bytes).map((n) => [n.time, n.key])).toEqual([[0, 36], [1.5, 38]]);
  });

  it('refuses what is no MIDI file in words', () => expect(() => readMidi(new TextEncoder().encode('RIFF nothing here'))).toThrow(/Standard MIDI File/));

  // General MIDI level 1 percussion map
  it('uses General MIDI keys', () => {
    expect(['kick', 'snare', 'hat', 'tom-1', 'tom-3', 'tom-6', 'crash', 'ride', 'kick-2', 'snare-2'].map(percussionKey)).toEqual([36, 38, 42, 50, 47, 41, 49, 51, 35, 40]);
  });

  it('finds the drum of a key: the second one, or the only one of its kind', () => {
    expect([35, 36, 38, 40].map((k) => drumOfKey(k, ['kick', 'kick-2', 'snare', 'snare-2']))).toEqual(['kick-2', 'kick', 'snare', 'snare-2']);
    expect([35, 36, 38, 40, 50].map((k) => drumOfKey(k, ['kick', 'snare']))).toEqual(['kick', 'kick', 'snare', 'snare', undefined]);
    expect(drumOfKey(35, ['snare'])).toBeUndefined();
  });

  it('bends velocities by the curve, within 1 to 127', () => {
    expect([0, 0.5, 1].map((s) => velocityOf(s, 1))).toEqual([1, 64, 127]);
    expect(velocityOf(0.25, 0.5)).toBe(64);
    expect(velocityOf(2, 1)).toBe(127);
  });
});

describe('markers', () => {
  it('stand in tables and label text by time', () => {
    expect(markersCsv([{ drum: 'kick', frame: 24000, strength: 0.5, certainty: 1 }], 48000)).toBe('drum,time_s,frame,strength,certainty\nkick,0.500000,24000,0.5000,1.0000\n');
    expect(labelText([{ frame: 48, label: 'kick 50' }], 48000)).toBe('0.001000\t0.001000\tkick 50\n');
  });

  // second reader: the npm package wavefile
  it('stand in a tick track as cues that another reader finds', async () => {
    const files: Record<string, Buffer> = {};
    const hits = [{ frame: 1000, strength: 0.9, certainty: 1 }, { frame: 5000, strength: 0.3, certainty: 0.6 }];
    const mic = Float32Array.from({ length: 9001 }, (_, i) => Math.sin(i / 5) / 2);
    await deliverHits({
      rate: 48000, frames: 9001, drums: { kick: hits, snare: [] }, files: { midi: true, keys: { kick: 35 }, curve: 1, ticks: 'own', csv: true, labels: true, cuts: true, slices: false },
      cuts: [{ mic: '06 Tom 1', cuts: [{ from: 480, to: 4800, fadeIn: 48, fadeOut: 960, hits: 2 }, { from: 6000, to: 7200, fadeIn: 0, fadeOut: 0, hits: 1 }] }],
      reader: () => ({ read: (at, out) => out.fill(0).set(mic.subarray(at, at + out.length)) as unknown as undefined }),
      async emit(name, produce) {
        const parts: Buffer[] = [];
        await produce(async (b) => void parts.push(Buffer.from(b)));
        files[name] = Buffer.concat(parts);
      },
    });
    expect(Object.keys(files).sort()).toEqual(['cuts.csv', 'cuts/06 Tom 1.txt', 'hits.csv', 'hits.mid', 'labels/kick.txt', 'ticks/kick.wav']);
    expect(files['cuts.csv'].toString().split('\n')[1]).toBe('06 Tom 1,0.010000,0.100000,480,4800,0.001000,0.020000,2');
    expect(files['cuts/06 Tom 1.txt'].toString()).toBe('0.010000\t0.100000\tslice 1\n0.125000\t0.150000\tslice 2\n');
    expect(readMidi(files['hits.mid']).map((n) => n.key)).toEqual([35, 35]);
    const wav = new WaveFile(files['ticks/kick.wav']);
    const cue = wav.cue as { points: { dwSampleOffset: number }[] };
    expect(cue.points.map((p) => p.dwSampleOffset)).toEqual([1000, 5000]);
    const x = Array.from(wav.getSamples(false, Float64Array) as unknown as Float64Array, (v) => v / 8388608);
    expect(x).toHaveLength(9001);
    // silent outside the 20 ms, the mic's own sound inside, faded in over 20 and out over 200 samples
    for (let i = 0; i < 9001; i++) if (!hits.some((h) => i >= h.frame && i < h.frame + 960)) expect(x[i]).toBe(0);
    expect(Math.abs(x[1100] - mic[1100])).toBeLessThan(1e-6);
    expect(Math.abs(x[1009] - mic[1009] / 2)).toBeLessThan(1e-6);
    expect(Math.abs(x[1860] - mic[1860] / 2)).toBeLessThan(1e-6);
  });

  it('are chunks of even size', () => {
    const b = cueChunks([{ frame: 7, label: 'ab' }]);
    expect(b.length % 2).toBe(0);
    expect(new TextDecoder().decode(b.subarray(0, 4))).toBe('cue ');
  });
});
