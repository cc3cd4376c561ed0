/** WAV files of a folder, opened for reading in place: nothing is held whole. */
import { type FileHandle, open, readdir } from 'node:fs/promises';
import { join } from 'node:path';
import { FreshGapError } from '../core/errors';
import { oneByOne } from '../core/hits/ears';
import type { MicReader } from '../core/render';
import { decodeChannel } from '../formats/pcm';
import { type WavResult, createWavReader } from '../formats/wavReader';

/** A file that was read through: plain data. */
export interface KnownWav {
  readonly name: string;
  readonly path: string;
  readonly info: WavResult;
}

export interface WavFile extends KnownWav {
  reader(channel: number): MicReader;
  close(): Promise<void>;
}

const PIECE = 1 << 20;
/** Frames that are read at a time: bytes of a whole song beside its samples would be memory for nothing. */
const FRAMES = 1 << 17;

const opened = ({ name, path, info }: KnownWav, file: FileHandle): WavFile => ({
  name, path, info,
  reader(channel) {
    // frames that lie in `bytes`: most reads go on where the last ended
    let bytes = new Uint8Array(0);
    let [held, end] = [0, 0];
    return {
      read: oneByOne(async (atFrame: number, out: Float32Array) => {
        const n = Math.max(0, Math.min(out.length, info.frames - atFrame));
        for (let from = 0; from < n; ) {
          const at = atFrame + from;
          if (at < held || at >= end) {
            const count = Math.min(FRAMES, info.frames - at);
            if (bytes.length < count * info.bytesPerFrame) bytes = new Uint8Array(count * info.bytesPerFrame);
            end = 0;
            await file.read(bytes, 0, count * info.bytesPerFrame, info.dataOffset + at * info.bytesPerFrame);
            [held, end] = [at, at + count];
          }
          const count = Math.min(end - at, n - from);
          const first = (at - held) * info.bytesPerFrame;
          decodeChannel(bytes.subarray(first, first + count * info.bytesPerFrame), info.encoding, info.channels, channel, out.subarray(from, n));
          from += count;
        }
        out.fill(0, n);
      }),
    };
  },
  close: () => file.close(),
});

/** Opens a file that is known already. */
export const reopenWav = async (known: KnownWav): Promise<WavFile> => opened(known, await open(known.path, 'r'));

/** Reads a file through once (so that a damaged one is known before anything is written) and keeps it open. Throws WAV_*. */
export async function openWav(folder: string, name: string): Promise<WavFile> {
  const path = join(folder, name);
  const file: FileHandle = await open(path, 'r');
  try {
    const parser = createWavReader(
      () => {},
      () => {},
    );
    const buffer = new Uint8Array(PIECE);
    for (;;) {
      const { bytesRead } = await file.read(buffer, 0, PIECE, null);
      if (bytesRead === 0) break;
      parser.push(buffer.subarray(0, bytesRead));
    }
    const info = parser.end();
    return opened({ name, path, info }, file);
  } catch (e) {
    await file.close();
    if (e instanceof FreshGapError) throw new FreshGapError(e.code, `${name}: ${e.message}`, { ...e.details, file: name });
    throw e;
  }
}

/** The WAV files of a folder in the order of their names. Throws CLI_NO_FILES, WAV_* and RATE_MISMATCH. */
export async function openFolder(folder: string): Promise<WavFile[]> {
  const entries = await readdir(folder).catch((e: NodeJS.ErrnoException) => {
    throw new FreshGapError('CLI_NO_FILES', e.code === 'ENOENT' ? `There is no folder ${folder}.` : e.code === 'ENOTDIR' ? `${folder} is a file, not a folder.` : `${folder} cannot be read: ${e.message}`);
  });
  const names = entries.filter((n) => /\.(wav|wave|bwf|rf64)$/i.test(n));
  if (names.length === 0) throw new FreshGapError('CLI_NO_FILES', `${folder} holds no WAV files.`);
  names.sort((a, b) => a.localeCompare(b, 'en', { numeric: true }));
  const files: WavFile[] = [];
  try {
    for (const n of names) files.push(await openWav(folder, n));
    const rate = files[0].info.rate;
    const odd = files.find((f) => f.info.rate !== rate);
    if (odd) throw new FreshGapError('RATE_MISMATCH', `${odd.name} has ${odd.info.rate} Hz, ${files[0].name} ${rate} Hz.`, { file: odd.name });
  } catch (e) {
    await Promise.all(files.map((f) => f.close()));
    throw e;
  }
  return files;
}
