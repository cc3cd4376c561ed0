/**
 * Hits as a Standard MIDI File (format 1: a tempo track and a track a drum) and back. Time is exact, without a tempo map: 120 quarter notes a
 * minute at 9,600 ticks each make a tick 52 microseconds.
 */
import { type MidiEvent, parseMidi, writeMidi } from 'midi-file';
import { FreshGapError } from '../core/errors';

const TICKS_PER_BEAT = 9600;
const MICROSECONDS_PER_BEAT = 500_000;
/** Percussion lives on channel 10, counted from 0. */
const PERCUSSION = 9;
const NOTE_S = 0.05;

export interface MidiTrack {
  readonly name: string;
  /** MIDI key, 0 to 127. */
  readonly key: number;
  readonly notes: readonly { readonly time: number; readonly velocity: number }[];
}

/** General MIDI level 1: 36 kick (35 a second one), 38 snare (40), 42 closed hat, 50 48 47 45 43 41 toms from high to low, 49 crash, 51 ride. */
export function percussionKey(drum: string): number {
  const tom = /^tom-(\d)$/.exec(drum);
  if (tom) return [50, 48, 47, 45, 43, 41][Math.min(5, Number(tom[1]) - 1)];
  return { kick: 36, 'kick-2': 35, snare: 38, 'snare-2': 40, hat: 42, crash: 49, ride: 51 }[drum] ?? 37;
}

/** Which of `drums` a key is for: General MIDI has two keys of bass drums and of snares, and who has one of a kind gets both. */
export const drumOfKey = (key: number, drums: readonly string[]): string | undefined =>
  drums.find((d) => percussionKey(d) === key) ?? ['kick', 'snare'].find((d) => drums.includes(d) && percussionKey(`${d}-2`) === key);

/** 1 to 127: `strength` 0..1 to the power `curve`. */
export const velocityOf = (strength: number, curve: number): number => Math.min(127, Math.max(1, Math.round(1 + 126 * strength ** curve)));

/** Times in seconds, rising within a track or not. */
export function midiFile(tracks: readonly MidiTrack[]): Uint8Array {
  const tick = (t: number) => Math.round((t * 1e6 * TICKS_PER_BEAT) / MICROSECONDS_PER_BEAT);
  const list: MidiEvent[][] = [[{ deltaTime: 0, meta: true, type: 'setTempo', microsecondsPerBeat: MICROSECONDS_PER_BEAT }, { deltaTime: 0, meta: true, type: 'endOfTrack' }]];
  for (const t of tracks) {
    const notes = [...t.notes].sort((a, b) => a.time - b.time);
    const events: { at: number; e: MidiEvent }[] = notes.flatMap((n, i) => {
      const at = tick(n.time);
      // a note ends before the next one on its key begins
      const off = Math.min(at + tick(NOTE_S), i + 1 < notes.length ? Math.max(at, tick(notes[i + 1].time) - 1) : Number.POSITIVE_INFINITY);
      const note = { deltaTime: 0, channel: PERCUSSION, noteNumber: t.key };
      return [{ at, e: { ...note, type: 'noteOn' as const, velocity: n.velocity } }, { at: off, e: { ...note, type: 'noteOff' as const, velocity: 0 } }];
    });
    events.sort((a, b) => a.at - b.at || (a.e.type === 'noteOff' ? -1 : 1) - (b.e.type === 'noteOff' ? -1 : 1));
    let last = 0;
    const track: MidiEvent[] = [{ deltaTime: 0, meta: true, type: 'trackName', text: t.name }];
    for (const { at, e } of events) {
      track.push({ ...e, deltaTime: at - last });
      last = at;
    }
    track.push({ deltaTime: 0, meta: true, type: 'endOfTrack' });
    list.push(track);
  }
  return Uint8Array.from(writeMidi({ header: { format: 1, numTracks: list.length, ticksPerBeat: TICKS_PER_BEAT }, tracks: list }));
}

export interface MidiNote {
  /** Seconds. */
  readonly time: number;
  readonly key: number;
  readonly velocity: number;
  readonly track: string;
}

/** All notes of a file in order of time, whatever its tempo map. Throws MIDI_INVALID. */
export function readMidi(bytes: Uint8Array): MidiNote[] {
  let midi: ReturnType<typeof parseMidi>;
  try {
    midi = parseMidi(bytes);
  } catch {
    throw new FreshGapError('MIDI_INVALID', 'The file cannot be read as a Standard MIDI File.');
  }
  const { ticksPerBeat, framesPerSecond, ticksPerFrame } = midi.header;
  const flat = midi.tracks.flatMap((events, track) => {
    let at = 0;
    let name = `Track ${track + 1}`;
    return events.map((e) => {
      at += e.deltaTime;
      if (e.type === 'trackName') name = e.text;
      return { at, e, name };
    });
  });
  flat.sort((a, b) => a.at - b.at || Number(b.e.type === 'setTempo') - Number(a.e.type === 'setTempo'));
  let perTick = ticksPerBeat ? 0.5 / ticksPerBeat : 1 / ((framesPerSecond ?? 25) * (ticksPerFrame ?? 40));
  let [seconds, last] = [0, 0];
  const notes: MidiNote[] = [];
  for (const { at, e, name } of flat) {
    seconds += (at - last) * perTick;
    last = at;
    if (e.type === 'setTempo' && ticksPerBeat) perTick = e.microsecondsPerBeat / 1e6 / ticksPerBeat;
    if (e.type === 'noteOn' && e.velocity > 0) notes.push({ time: seconds, key: e.noteNumber, velocity: e.velocity, track: name });
  }
  return notes;
}
