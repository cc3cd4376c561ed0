/** Where files and folders are dropped or chosen. */
import { FolderOpen, Upload as UploadIcon } from 'lucide-react';
import { useRef } from 'react';
import { useDropzone } from 'react-dropzone';

export interface Dropped {
  files: File[];
  /** Name of the dropped or chosen folder, or null. */
  folder: string | null;
}

type WithPath = File & { path?: string; webkitRelativePath?: string };

function folderOf(files: readonly File[]): string | null {
  const f = files[0] as WithPath | undefined;
  const path = (f?.webkitRelativePath || f?.path || '').replace(/^\.?\//, '');
  const parts = path.split('/');
  return parts.length > 1 ? parts[parts.length - 2] : null;
}

export function DropArea(p: { title: string; onFiles(d: Dropped): void; disabled?: boolean; compact?: boolean }) {
  const folder = useRef<HTMLInputElement>(null);
  const take = (files: File[]) => {
    if (files.length) p.onFiles({ files, folder: folderOf(files) });
  };
  const { getRootProps, getInputProps, isDragActive, open } = useDropzone({ onDrop: take, noClick: true, noKeyboard: true, disabled: p.disabled });
  return (
    <div
      {...getRootProps()}
      className={`rounded-card border-[1.5px] border-dashed ${isDragActive ? 'border-hand bg-hand-soft' : 'border-line2 bg-sheet'} ${p.compact ? 'flex items-center gap-4 px-4 py-2.5' : 'px-6 py-7 text-center'}`}
    >
      <input {...getInputProps()} aria-label="WAV files" data-testid="files-input" />
      <input
        ref={folder}
        type="file"
        hidden
        aria-label="Folder of WAV files"
        data-testid="folder-input"
        // the folder attribute has no React name
        {...({ webkitdirectory: '' } as object)}
        onChange={(e) => {
          take([...(e.target.files ?? [])]);
          e.target.value = '';
        }}
      />
      <div>
        <p className={`font-head font-bold ${p.compact ? '' : 'text-lg'}`}>{isDragActive ? 'Let go to take them in' : p.title}</p>
        <p className="mt-0.5 text-ink2">16, 24, 32-bit or float WAV, one file per mic, all starting at the same moment.</p>
      </div>
      <div className={p.compact ? 'ml-auto flex gap-2' : 'mt-4 flex justify-center gap-2'}>
        <button type="button" className="btn" onClick={open} disabled={p.disabled}>
          <UploadIcon aria-hidden="true" size={15} /> Choose files
        </button>
        <button type="button" className="btn" onClick={() => folder.current?.click()} disabled={p.disabled}>
          <FolderOpen aria-hidden="true" size={15} /> Choose a folder
        </button>
      </div>
    </div>
  );
}
