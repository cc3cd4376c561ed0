/**
 * Sends files to a recording one after another, with progress and cancel for each. Headers are looked at first: what cannot be read
 * is told at once, and files of the most common sample rate go first, so that a stray one does not set the rate for all.
 */
import { FreshGapError, ERRORS, type ErrorCode, toErrorData } from '../../core/errors';
import { byFileName } from '../../core/plan/fileNames';
import { type WavInfo, createWavReader } from '../../formats/wavReader';

export type UploadState = 'waiting' | 'sending' | 'storing' | 'done' | 'failed' | 'cancelled';

export interface Upload {
  key: number;
  file: File;
  state: UploadState;
  /** 0..1 of its bytes. */
  sent: number;
  error: { title: string; text: string } | null;
}

const HEAD_BYTES = 512 * 1024;

/** Format of a file by its first bytes; throws WAV_*. */
export async function peekWav(file: Blob): Promise<WavInfo | null> {
  let info: WavInfo | null = null;
  const reader = createWavReader(
    (i) => {
      info = i;
    },
    () => {},
  );
  reader.push(new Uint8Array(await file.slice(0, HEAD_BYTES).arrayBuffer()));
  if (!info && file.size <= HEAD_BYTES) reader.end();
  return info;
}

/** The files in the order they should be sent, those that cannot be read apart with why. */
export async function sortFiles(files: readonly File[]): Promise<{ good: File[]; bad: { file: File; error: unknown }[] }> {
  const byName = files.filter((f) => !f.name.startsWith('.')).sort((a, b) => byFileName(a.name, b.name));
  const good: { file: File; rate: number }[] = [];
  const bad: { file: File; error: unknown }[] = [];
  for (const file of byName) {
    try {
      if (file.size === 0) throw new FreshGapError('WAV_EMPTY', 'The file has 0 bytes.');
      const info = await peekWav(file);
      good.push({ file, rate: info?.rate ?? 0 });
    } catch (error) {
      bad.push({ file, error });
    }
  }
  const count = new Map<number, number>();
  for (const g of good) count.set(g.rate, (count.get(g.rate) ?? 0) + 1);
  const common = [...count].sort((a, b) => b[1] - a[1])[0]?.[0];
  return { good: [...good.filter((g) => g.rate === common), ...good.filter((g) => g.rate !== common)].map((g) => g.file), bad };
}

export function explain(e: unknown): { title: string; text: string } {
  const d = toErrorData(e);
  const entry = ERRORS[d.code];
  return { title: entry.title, text: `${d.message} ${entry.hint}` };
}

/** Sends one file; rejects with a FreshGapError. Aborting `signal` cancels it: the server then keeps nothing of it. */
export function sendFile(recordingId: string, file: File, signal: AbortSignal, onSent: (share: number) => void): Promise<void> {
  return new Promise((resolve, reject) => {
    const cancelled = () => reject(new FreshGapError('UPLOAD_CANCELLED', `${file.name} was cancelled.`));
    if (signal.aborted) return cancelled();
    // XMLHttpRequest, since fetch tells no upload progress
    const xhr = new XMLHttpRequest();
    xhr.open('PUT', `/bulk/recordings/${recordingId}/files/${encodeURIComponent(file.name)}`);
    xhr.upload.onprogress = (e) => onSent(e.total ? e.loaded / e.total : 0);
    xhr.onload = () => {
      if (xhr.status >= 200 && xhr.status < 300) return resolve();
      let error: { code?: ErrorCode; message?: string } = {};
      try {
        error = JSON.parse(xhr.responseText).error;
      } catch {
        error = {};
      }
      reject(new FreshGapError(error.code ?? 'INTERNAL', error.message ?? `The server answered ${xhr.status}.`));
    };
    xhr.onerror = () => reject(new FreshGapError('INTERNAL', 'The connection to the server broke.'));
    xhr.onabort = cancelled;
    signal.addEventListener('abort', () => xhr.abort());
    xhr.send(file);
  });
}
