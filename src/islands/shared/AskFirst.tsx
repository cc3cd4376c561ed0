/** A bin that asks before something goes for good. */
import { Trash2 } from 'lucide-react';
import { AlertDialog } from 'radix-ui';

/** `label` names the button, `title` asks, `text` says what goes, `action` is the word on the button that does it. */
export function AskFirst(p: { label: string; hint: string; title: string; text: string; action: string; onSure(): void }) {
  return (
    <AlertDialog.Root>
      <AlertDialog.Trigger asChild>
        <button type="button" className="inline-grid size-7 place-items-center text-ink2 hover:text-hand" aria-label={p.label} title={p.hint}>
          <Trash2 aria-hidden="true" size={15} />
        </button>
      </AlertDialog.Trigger>
      <AlertDialog.Portal>
        <AlertDialog.Overlay className="fixed inset-0 z-40 bg-black/30" />
        <AlertDialog.Content className="card fixed left-1/2 top-1/3 z-50 w-[380px] -translate-x-1/2 p-5">
          <AlertDialog.Title className="font-head text-lg font-bold">{p.title}</AlertDialog.Title>
          <AlertDialog.Description className="mt-2 text-ink2">{p.text}</AlertDialog.Description>
          <div className="mt-5 flex justify-end gap-2">
            <AlertDialog.Cancel className="btn">Keep it</AlertDialog.Cancel>
            <AlertDialog.Action className="btn border-hand bg-hand font-semibold text-on-hand" onClick={p.onSure}>
              {p.action}
            </AlertDialog.Action>
          </div>
        </AlertDialog.Content>
      </AlertDialog.Portal>
    </AlertDialog.Root>
  );
}
