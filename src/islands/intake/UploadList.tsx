/** Every file being taken in: name, size, how far, what went wrong. */
import { Check, CircleAlert, X } from 'lucide-react';
import { formatBytes } from '../shared/time';
import { cancelAll, cancelUpload, clearUploads, useUploads } from './useUploads';

const WORDS = { waiting: 'waits', sending: 'sending', storing: 'storing', done: 'in', failed: 'not taken', cancelled: 'cancelled' } as const;

export function UploadList() {
  const { list, running } = useUploads();
  if (list.length === 0) return null;
  const failed = list.filter((u) => u.state === 'failed').length;
  const done = list.filter((u) => u.state === 'done').length;
  return (
    <section aria-label="Files being taken in" className="card mt-3 overflow-hidden">
      <header className="flex items-center gap-3 border-b border-line px-3 py-1.5">
        <b aria-live="polite">
          {done} of {list.length} files in{failed ? `, ${failed} not taken` : ''}
        </b>
        <span className="flex-1" />
        {running ? (
          <button type="button" className="btn" onClick={cancelAll}>
            Cancel all
          </button>
        ) : (
          <button type="button" className="btn" onClick={clearUploads}>
            Clear list
          </button>
        )}
      </header>
      <ul className="max-h-64 overflow-y-auto">
        {list.map((u) => (
          <li key={u.key} className="border-b border-line px-3 py-1.5 last:border-b-0" data-upload={u.file.name} data-state={u.state}>
            <div className="flex items-center gap-3">
              {u.state === 'done' ? <Check aria-hidden="true" size={15} /> : u.state === 'failed' ? <CircleAlert aria-hidden="true" size={15} className="text-hand" /> : <span className="w-[15px]" />}
              <span className="w-64 truncate font-semibold" title={u.file.name}>
                {u.file.name}
              </span>
              <span className="num w-20 text-right text-ink2">{formatBytes(u.file.size)}</span>
              <progress aria-label={`${u.file.name} sent`} max={1} value={u.sent} className="h-1.5 flex-1 accent-ink" />
              <span className="w-20 text-ink2">{WORDS[u.state]}</span>
              {u.state === 'waiting' || u.state === 'sending' || u.state === 'storing' ? (
                <button type="button" className="grid size-6 place-items-center" onClick={() => cancelUpload(u.key)} aria-label={`Cancel ${u.file.name}`}>
                  <X aria-hidden="true" size={15} />
                </button>
              ) : (
                <span className="size-6" />
              )}
            </div>
            {u.error && (
              <p className="mt-0.5 pl-7 text-hand" role="alert">
                <b>{u.error.title}.</b> <span className="text-ink">{u.error.text}</span>
              </p>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
