/** Where to begin with a mic: starting points for its drum, one's own settings by name, saved to and opened from files. */
import { BookmarkPlus, Download, FolderOpen, Trash2 } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { useEffect, useRef, useState } from 'react';
import { toast } from 'sonner';
import { type NamedSettings, applyNamed, applyPoint, namedSettings, pointsFor } from '../../core/plan/startingPoints';
import { describe, request } from '../shared/api';
import { commit, focusedMic, useBench } from '../workbench/store';

const item = 'flex cursor-pointer items-start gap-2 rounded px-2.5 py-1 outline-none data-[highlighted]:bg-ink data-[highlighted]:text-paper';

export function BeginWith() {
  const focus = useBench((s) => s.focus);
  const mic = useBench(focusedMic);
  const [own, setOwn] = useState<readonly NamedSettings[]>([]);
  const [open, setOpen] = useState(false);
  const [name, setName] = useState('');
  const file = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (open) request<NamedSettings[]>('GET', '/api/settings').then(setOwn).catch(fail);
  }, [open]);
  if (!mic) return null;
  const save = async (s: NamedSettings) => {
    try {
      setOwn(await request<NamedSettings[]>('PUT', '/api/settings', s));
      setName('');
      toast(`Saved as “${s.name}”`);
    } catch (e) {
      fail(e);
    }
  };
  const saveNow = () => {
    const { base } = useBench.getState();
    if (base && name.trim()) void save(namedSettings(base, focus, name.trim()));
  };
  const download = (s: NamedSettings) => {
    const a = document.createElement('a');
    a.href = URL.createObjectURL(new Blob([JSON.stringify(s, null, 1)], { type: 'application/json' }));
    a.download = `${s.name.replace(/[^\p{L}\p{N} ._-]+/gu, '')}.settings.json`;
    a.click();
    URL.revokeObjectURL(a.href);
  };
  const take = (make: (plan: NonNullable<ReturnType<typeof useBench.getState>['base']>) => ReturnType<typeof applyPoint>) => {
    const { base } = useBench.getState();
    if (base) commit(make(base));
  };
  return (
    <>
      <DropdownMenu.Root open={open} onOpenChange={setOpen}>
        <DropdownMenu.Trigger aria-label="Begin with settings" title="Starting points for this drum, and settings of your own" className="grid size-7 shrink-0 place-items-center rounded-[7px] border border-line2 bg-sheet hover:border-ink">
          <BookmarkPlus aria-hidden="true" size={14} />
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="start" className="card z-50 max-h-[70vh] w-[330px] overflow-y-auto p-1.5 shadow-lg">
            <DropdownMenu.Label className="px-2.5 py-1 text-xs text-ink2">Begin with</DropdownMenu.Label>
            {pointsFor(mic.role).map((p) => (
              <DropdownMenu.Item key={p.id} className={`${item} flex-col !gap-0`} onSelect={() => take((plan) => applyPoint(plan, focus, p))}>
                <b>{p.label}</b>
                <span className="text-sm opacity-75">{p.purpose}</span>
              </DropdownMenu.Item>
            ))}
            {pointsFor(mic.role).length === 0 && <p className="px-2.5 py-1 text-sm text-ink2">Nothing for this role: its spill is the kit.</p>}
            <DropdownMenu.Label className="mt-1 border-t border-line px-2.5 pb-1 pt-2 text-xs text-ink2">Your own</DropdownMenu.Label>
            {own.map((s) => (
              <div key={s.name} className="flex items-center">
                <DropdownMenu.Item className={`${item} min-w-0 flex-1`} onSelect={() => take((plan) => applyNamed(plan, focus, s))}>
                  <span className="truncate">{s.name}</span>
                </DropdownMenu.Item>
                <DropdownMenu.Item className={item} aria-label={`Save ${s.name} as a file`} title="Save as a file" onSelect={() => download(s)}>
                  <Download aria-hidden="true" size={13} />
                </DropdownMenu.Item>
                <DropdownMenu.Item
                  className={item} aria-label={`Delete ${s.name}`} title="Delete"
                  onSelect={(e) => {
                    e.preventDefault();
                    request<NamedSettings[]>('DELETE', '/api/settings', { name: s.name }).then(setOwn).catch(fail);
                  }}
                >
                  <Trash2 aria-hidden="true" size={13} />
                </DropdownMenu.Item>
              </div>
            ))}
            {own.length === 0 && <p className="px-2.5 text-sm text-ink2">None yet.</p>}
            <form
              className="flex gap-1.5 px-2.5 py-1.5"
              onSubmit={(e) => {
                e.preventDefault();
                saveNow();
              }}
            >
              <input
                aria-label="Name for these settings" placeholder="Save these as ..." value={name} maxLength={60} onChange={(e) => setName(e.target.value)} onKeyDown={(e) => e.stopPropagation()}
                className="h-7 min-w-0 flex-1 rounded-[6px] border border-line2 bg-transparent px-2"
              />
              <button type="submit" disabled={!name.trim()} className="h-7 rounded-[6px] border border-line2 px-2 text-sm hover:border-ink disabled:opacity-45">
                Save
              </button>
              <button type="button" className="grid h-7 w-8 place-items-center rounded-[6px] border border-line2 hover:border-ink" aria-label="Open settings from a file" title="Open settings from a file" onClick={() => file.current?.click()}>
                <FolderOpen aria-hidden="true" size={13} />
              </button>
            </form>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <input
        ref={file} type="file" accept="application/json,.json" className="hidden" data-testid="settings-file"
        onChange={async (e) => {
          const f = e.target.files?.[0];
          e.target.value = '';
          if (!f) return;
          try {
            await save(JSON.parse(await f.text()) as NamedSettings);
          } catch {
            toast.error('This file holds no settings', { description: `${f.name} is no JSON. Choose a file that was saved here.` });
          }
        }}
      />
    </>
  );
}

function fail(e: unknown) {
  const { title, text } = describe(e);
  toast.error(title, { description: text });
}
