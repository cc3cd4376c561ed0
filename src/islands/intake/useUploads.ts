/** The list of files being taken in, as a small store of its own that outlives a change of step. */
import { create } from 'zustand';
import { type Upload, explain, sendFile, sortFiles } from './upload';
import { FreshGapError } from '../../core/errors';
import { request } from '../shared/api';

interface Uploads {
  list: Upload[];
  running: boolean;
}

export const useUploads = create<Uploads>(() => ({ list: [], running: false }));

let nextKey = 1;
const aborts = new Map<number, AbortController>();

const change = (key: number, patch: Partial<Upload>) => useUploads.setState((s) => ({ list: s.list.map((u) => (u.key === key ? { ...u, ...patch } : u)) }));

/** Takes files into a recording; resolves when all are done, failed or cancelled. Returns how many came in. */
export async function takeFiles(recordingId: string, files: readonly File[]): Promise<number> {
  useUploads.setState({ running: true });
  const { good, bad } = await sortFiles(files);
  const rows: Upload[] = [
    ...good.map((file): Upload => ({ key: nextKey++, file, state: 'waiting', sent: 0, error: null })),
    ...bad.map(({ file, error }): Upload => ({ key: nextKey++, file, state: 'failed', sent: 0, error: explain(error) })),
  ];
  useUploads.setState((s) => ({ list: [...s.list, ...rows] }));
  let done = 0;
  for (const row of rows) {
    if (useUploads.getState().list.find((u) => u.key === row.key)?.state !== 'waiting') continue;
    const abort = new AbortController();
    aborts.set(row.key, abort);
    change(row.key, { state: 'sending' });
    try {
      await sendFile(recordingId, row.file, abort.signal, (sent) => change(row.key, { sent, state: sent >= 1 ? 'storing' : 'sending' }));
      change(row.key, { state: 'done', sent: 1 });
      done++;
    } catch (e) {
      const cancelled = e instanceof FreshGapError && e.code === 'UPLOAD_CANCELLED';
      change(row.key, { state: cancelled ? 'cancelled' : 'failed', error: cancelled ? null : explain(e) });
    } finally {
      aborts.delete(row.key);
    }
  }
  // who struck when is looked for at once; where that cannot be started, step Hits offers it
  if (done > 0) await request('POST', `/api/recordings/${recordingId}/analysis`).catch(() => {});
  useUploads.setState({ running: false });
  return done;
}

export function cancelUpload(key: number): void {
  const abort = aborts.get(key);
  if (abort) abort.abort();
  else change(key, { state: 'cancelled' });
}

export function cancelAll(): void {
  for (const u of useUploads.getState().list) if (u.state === 'waiting' || u.state === 'sending' || u.state === 'storing') cancelUpload(u.key);
}

export const clearUploads = (): void => useUploads.setState((s) => ({ list: s.list.filter((u) => ['waiting', 'sending', 'storing'].includes(u.state)) }));
