/** All recordings, and where a new one begins: drop its files. */
import { useCallback, useEffect, useState } from 'react';
import { toast } from 'sonner';
import { counted } from '../../core/params/format';
import type { RecordingListRow } from '../../server/sql/recordings';
import { DropArea, type Dropped } from '../intake/DropArea';
import { UploadList } from '../intake/UploadList';
import { takeFiles, useUploads } from '../intake/useUploads';
import { describe, request } from '../shared/api';
import { AskFirst } from '../shared/AskFirst';
import { Brand } from '../shared/Brand';
import { Notices } from '../shared/Notices';
import { formatTime } from '../shared/time';
import { nameFrom } from './nameFrom';

const date = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'short', year: 'numeric' });

export function Recordings() {
  const [rows, setRows] = useState<RecordingListRow[] | null>(null);
  const [error, setError] = useState<unknown>(null);
  const running = useUploads((s) => s.running);
  const [taking, setTaking] = useState<string | null>(null);

  const load = useCallback(async () => {
    try {
      setRows(await request<RecordingListRow[]>('GET', '/api/recordings'));
      setError(null);
    } catch (e) {
      setError(e);
    }
  }, []);
  useEffect(() => void load(), [load]);

  async function begin(d: Dropped) {
    try {
      const { id } = await request<{ id: string }>('POST', '/api/recordings', { name: nameFrom(d.folder, d.files.map((f) => f.name), rows?.map((r) => r.name) ?? []) });
      setTaking(id);
      const done = await takeFiles(id, d.files);
      const failed = useUploads.getState().list.some((u) => u.state === 'failed');
      if (done === 0) {
        await request('DELETE', `/api/recordings/${id}`);
        setTaking(null);
        toast.error('No file could be taken in', { description: 'Nothing was stored. The list says what to do for each file.' });
        return;
      }
      if (!failed) window.location.href = `/recordings/${id}/intake`;
      else await load();
    } catch (e) {
      const { title, text } = describe(e);
      toast.error(title, { description: text });
    }
  }

  async function remove(r: RecordingListRow) {
    try {
      await request('DELETE', `/api/recordings/${r.id}`);
      await load();
    } catch (e) {
      const { title, text } = describe(e);
      toast.error(title, { description: text });
    }
  }

  return (
    <div className="flex h-screen flex-col">
      <header className="flex h-[52px] shrink-0 items-center border-b border-ink px-[18px]">
        <Brand />
        <span className="ml-5 text-ink2">takes spill out of drum recordings, keeps every stroke</span>
      </header>
      <main className="min-h-0 flex-1 overflow-y-auto">
        <div className="mx-auto max-w-[940px] px-6 py-7">
          <DropArea title="Drop the WAV files of one recording here" onFiles={begin} disabled={running} />
          <UploadList />
          {taking && !running && useUploads.getState().list.some((u) => u.state === 'failed') && (
            <p className="mt-3">
              <a className="btn btn-ink" href={`/recordings/${taking}/intake`}>
                Go on with the files that are in
              </a>
            </p>
          )}
          <h1 className="mb-2 mt-8 font-head text-lg font-bold">Recordings</h1>
          {error ? (
            <div className="card p-4" role="alert">
              <b>{describe(error).title}.</b> {describe(error).text}{' '}
              <button type="button" className="btn ml-3" onClick={load}>
                Try again
              </button>
            </div>
          ) : rows === null ? (
            <p className="text-ink2">Loading ...</p>
          ) : rows.length === 0 ? (
            <p className="text-ink2">None yet. Drop a folder of mics above to begin.</p>
          ) : (
            <table className="card w-full border-separate border-spacing-0 overflow-hidden">
              <thead>
                <tr className="text-left text-sm text-ink2">
                  <th className="px-4 py-2 font-semibold">Name</th>
                  <th className="py-2 text-right font-semibold">Mics</th>
                  <th className="py-2 text-right font-semibold">Cleaned</th>
                  <th className="py-2 text-right font-semibold">Length</th>
                  <th className="py-2 text-right font-semibold">Rate</th>
                  <th className="py-2 text-right font-semibold">Since</th>
                  <th className="w-14" aria-label="Delete" />
                </tr>
              </thead>
              <tbody>
                {rows.map((r) => (
                  <tr key={r.id} className="[&>td]:border-t [&>td]:border-line hover:bg-soft">
                    <td className="px-4 py-2.5">
                      <a href={`/recordings/${r.id}/${r.micCount ? 'clean' : 'intake'}`} className="font-semibold text-ink underline decoration-line2 underline-offset-3 hover:decoration-ink">
                        {r.name}
                      </a>
                      {r.isDemo && <span className="ml-2 rounded-full border border-line2 px-2 text-xs text-ink2">demo</span>}
                    </td>
                    <td className="num text-right">{r.micCount}</td>
                    <td className="num text-right">{r.treatedCount}</td>
                    <td className="num text-right">{r.sampleRate ? formatTime(r.frames / r.sampleRate, 1) : '–'}</td>
                    <td className="num text-right">{r.sampleRate ? `${r.sampleRate / 1000} kHz` : '–'}</td>
                    <td className="text-right text-ink2">{date.format(new Date(r.createdAt))}</td>
                    <td className="text-center">
                      <AskFirst
                        label={`Delete ${r.name}`}
                        hint="Delete"
                        title={`Delete “${r.name}”?`}
                        text={`Its ${counted(r.micCount, 'mic')}, its plan and its history go for good. Files on your disk are not touched.${r.isDemo ? ' The demo is made again at the next start.' : ''}`}
                        action="Delete"
                        onSure={() => remove(r)}
                      />
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
        </div>
      </main>
      <Notices />
    </div>
  );
}
