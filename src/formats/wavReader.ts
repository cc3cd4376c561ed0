/**
 * Streaming reader of WAV (RIFF/WAVE), BWF (EBU Tech 3285) and RF64/BW64 (EBU Tech 3306, ITU-R BS.2088): bytes are pushed in pieces
 * of any size, audio bytes come out as they pass, so that a file of hours needs no more memory than one piece.
 */
import { FreshGapError } from '../core/errors';
import { BYTES_PER_SAMPLE, type Encoding } from './pcm';

export interface WavInfo {
  readonly encoding: Encoding;
  readonly channels: number;
  /** Hz. */
  readonly rate: number;
  readonly bytesPerFrame: number;
  /** Frames the header promises; -1 where the writer did not know (a piped stream). */
  readonly frames: number;
  /** Where the audio bytes begin in the file. */
  readonly dataOffset: number;
}

export interface WavResult extends WavInfo {
  /** Everything before and after the audio bytes as it stood in the file; empty where larger than 1 MiB. */
  readonly head: Uint8Array;
  readonly tail: Uint8Array;
  /** Chunks worth keeping beside changed audio, whole with their headers: broadcast extension, cues and their labels. */
  readonly extras: Uint8Array;
}

export interface WavReader {
  /** Takes the next bytes. Throws a WAV_* error as soon as the file proves unusable. */
  push(bytes: Uint8Array): void;
  /** To be called after the last byte. Throws WAV_TRUNCATED, WAV_EMPTY or WAV_NOT_WAV where the file was not whole. */
  end(): WavResult;
}

const KEEP = new Set(['bext', 'cue ', 'LIST', 'iXML']);
const KEEP_LIMIT = 1 << 20;
const OPEN_ENDED = 0xffffffff;

function concat(parts: readonly Uint8Array[]): Uint8Array {
  const out = new Uint8Array(parts.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const p of parts) {
    out.set(p, at);
    at += p.length;
  }
  return out;
}

const fourCc = (b: Uint8Array, at: number) => String.fromCharCode(b[at], b[at + 1], b[at + 2], b[at + 3]);

function readFormat(body: Uint8Array): Omit<WavInfo, 'frames' | 'dataOffset'> {
  if (body.length < 16) throw new FreshGapError('WAV_HEADER', 'The format chunk is too short.');
  const v = new DataView(body.buffer, body.byteOffset, body.byteLength);
  let tag = v.getUint16(0, true);
  const channels = v.getUint16(2, true);
  const rate = v.getUint32(4, true);
  const align = v.getUint16(12, true);
  const bits = v.getUint16(14, true);
  // the extensible tag keeps the real one in the first two bytes of its sub-format
  if (tag === 0xfffe && body.length >= 40) tag = v.getUint16(24, true);
  const encoding: Encoding | null =
    tag === 1 && bits === 16 ? 'pcm16' : tag === 1 && bits === 24 ? 'pcm24' : tag === 1 && bits === 32 ? 'pcm32' : tag === 3 && bits === 32 ? 'float32' : null;
  if (!encoding) throw new FreshGapError('WAV_ENCODING', `Format ${tag} with ${bits} bits cannot be read.`, { tag, bits });
  if (channels < 1 || channels > 2) throw new FreshGapError('WAV_CHANNELS', `The file has ${channels} channels.`, { channels });
  if (align !== channels * BYTES_PER_SAMPLE[encoding]) throw new FreshGapError('WAV_HEADER', 'Block size and sample size do not agree.');
  if (rate < 8000 || rate > 192000) throw new FreshGapError('RATE_UNSUPPORTED', `The file says ${rate} Hz.`, { rate });
  return { encoding, channels, rate, bytesPerFrame: align };
}

/** `onFormat` is called once before the first audio bytes, `onAudio` with each piece of audio bytes (views, valid only during the call). */
export function createWavReader(onFormat: (info: WavInfo) => void, onAudio: (bytes: Uint8Array) => void): WavReader {
  let pending: Uint8Array = new Uint8Array(0);
  let stage: 'riff' | 'chunk' | 'body' | 'audio' | 'skip' | 'done' = 'riff';
  let id = '';
  let left = 0; // bytes of the present chunk still to come, its pad byte not included
  let pad = 0;
  let taken = 0;
  let riff64 = false;
  let dataSize64 = -1;
  let format: Omit<WavInfo, 'frames' | 'dataOffset'> | null = null;
  let info: WavInfo | null = null;
  let audioSeen = 0;
  let audioWanted = 0;
  let inHead = true;
  const head: Uint8Array[] = [];
  const tail: Uint8Array[] = [];
  const extras: Uint8Array[] = [];
  let kept = 0;

  function keep(b: Uint8Array) {
    kept += b.length;
    if (kept <= KEEP_LIMIT) (inHead ? head : tail).push(b.slice());
  }

  /** Takes `n` bytes off the pending ones, or null where they have not come yet. */
  function take(n: number): Uint8Array | null {
    if (pending.length < n) return null;
    const out = pending.subarray(0, n);
    pending = pending.subarray(n);
    taken += n;
    return out;
  }

  function startChunk(): boolean {
    const b = take(8);
    if (!b) return false;
    keep(b);
    id = fourCc(b, 0);
    left = new DataView(b.buffer, b.byteOffset).getUint32(4, true);
    if (id === 'data') {
      if (!format) throw new FreshGapError('WAV_HEADER', 'The audio comes before its format.');
      if (info) throw new FreshGapError('WAV_HEADER', 'The file has two audio chunks.');
      if (riff64 && left === OPEN_ENDED && dataSize64 >= 0) left = dataSize64;
      const open = left === OPEN_ENDED;
      if (open) left = Number.MAX_SAFE_INTEGER;
      if (!open && left % format.bytesPerFrame !== 0) throw new FreshGapError('WAV_TRUNCATED', 'The audio ends inside a sample.');
      audioWanted = left;
      info = { ...format, frames: open ? -1 : left / format.bytesPerFrame, dataOffset: taken };
      onFormat(info);
      pad = left & 1;
      inHead = false;
      stage = 'audio';
      return true;
    }
    pad = left & 1;
    const wanted = id === 'fmt ' || id === 'ds64' || KEEP.has(id);
    stage = wanted && left <= KEEP_LIMIT ? 'body' : 'skip';
    return true;
  }

  function step(): boolean {
    switch (stage) {
      case 'riff': {
        const b = take(12);
        if (!b) return false;
        const kind = fourCc(b, 0);
        if (!['RIFF', 'RF64', 'BW64'].includes(kind) || fourCc(b, 8) !== 'WAVE') throw new FreshGapError('WAV_NOT_WAV', 'The file does not begin as a WAV file does.');
        riff64 = kind !== 'RIFF';
        keep(b);
        stage = 'chunk';
        return true;
      }
      case 'chunk':
        return startChunk();
      case 'body': {
        const b = take(left + pad);
        if (!b) return false;
        keep(b);
        const body = b.subarray(0, left);
        if (id === 'fmt ') format = readFormat(body);
        else if (id === 'ds64' && left >= 24) {
          const v = new DataView(body.buffer, body.byteOffset);
          dataSize64 = v.getUint32(8, true) + v.getUint32(12, true) * 4294967296;
        } else if (KEEP.has(id)) {
          const header = new Uint8Array(8);
          for (let i = 0; i < 4; i++) header[i] = id.charCodeAt(i);
          new DataView(header.buffer).setUint32(4, left, true);
          extras.push(header, b.slice());
        }
        stage = 'chunk';
        return true;
      }
      case 'audio': {
        if (left === 0) {
          stage = pad ? 'skip' : 'chunk';
          return true;
        }
        if (pending.length === 0) return false;
        const b = take(Math.min(left, pending.length)) as Uint8Array;
        left -= b.length;
        audioSeen += b.length;
        onAudio(b);
        return true;
      }
      case 'skip': {
        const n = Math.min(left + pad, pending.length);
        if (left + pad > 0 && n === 0) return false;
        const b = take(n) as Uint8Array;
        keep(b);
        const rest = left + pad - n;
        left = Math.max(0, rest - pad);
        pad = rest > left ? 1 : 0;
        if (rest === 0) stage = 'chunk';
        return true;
      }
      case 'done':
        return false;
    }
  }

  return {
    push(bytes) {
      pending = pending.length ? concat([pending, bytes]) : bytes;
      while (step());
      // whatever waits for more bytes must outlive the caller's buffer
      pending = pending.slice();
    },
    end() {
      if (stage === 'riff') throw new FreshGapError(pending.length ? 'WAV_NOT_WAV' : 'WAV_EMPTY', pending.length ? 'The file is too short for a WAV file.' : 'The file has 0 bytes.');
      if (!info) throw new FreshGapError(format ? 'WAV_EMPTY' : 'WAV_TRUNCATED', format ? 'The file has no audio chunk.' : 'The file ends inside its header.');
      const bytesPerFrame = info.bytesPerFrame;
      if (info.frames >= 0 && audioSeen < audioWanted) {
        throw new FreshGapError('WAV_TRUNCATED', `The header promises ${info.frames} samples, the file holds ${Math.floor(audioSeen / bytesPerFrame)}.`, {
          promised: info.frames,
          found: Math.floor(audioSeen / bytesPerFrame),
        });
      }
      if (info.frames < 0 && audioSeen % bytesPerFrame) throw new FreshGapError('WAV_TRUNCATED', 'The audio ends inside a sample.');
      const frames = audioSeen / bytesPerFrame;
      if (frames === 0) throw new FreshGapError('WAV_EMPTY', 'The audio chunk is empty.');
      if (pending.length) keep(pending);
      stage = 'done';
      const whole = kept <= KEEP_LIMIT;
      return { ...info, frames, head: whole ? concat(head) : new Uint8Array(0), tail: whole ? concat(tail) : new Uint8Array(0), extras: concat(extras) };
    },
  };
}
