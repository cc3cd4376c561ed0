/** The list of all commands and the help on keys. */
import { Command as List } from 'cmdk';
import { Dialog } from 'radix-ui';
import { useRef } from 'react';
import { type Command, worksIn } from './commands';
import { STEPS, type Step } from './steps';

/** What belongs to another step works on what is not seen here: choosing it only leads there. */
const elsewhere = (c: Command, step: Step): Step | null => (worksIn(c, step) ? null : (c.step ?? 'clean'));

export function CommandList(p: { open: boolean; onOpen(v: boolean): void; commands: readonly Command[]; step: Step; onStep(s: Step): void }) {
  // what fits best stands first and is chosen: it must be seen
  const box = useRef<HTMLDivElement>(null);
  const list = [...p.commands].sort((a, b) => Number(elsewhere(a, p.step) !== null) - Number(elsewhere(b, p.step) !== null));
  return (
    <Dialog.Root open={p.open} onOpenChange={p.onOpen}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/20" />
        <Dialog.Content className="card fixed left-1/2 top-[14vh] z-50 w-[440px] -translate-x-1/2 overflow-hidden shadow-xl" aria-describedby={undefined}>
          <Dialog.Title className="sr-only">Commands</Dialog.Title>
          <List label="Commands">
            <List.Input onValueChange={() => requestAnimationFrame(() => box.current?.scrollTo({ top: 0 }))} placeholder="What do you want to do?" className="w-full border-b border-line bg-transparent px-4 py-3 outline-none!" />
            <List.List ref={box} className="max-h-[50vh] overflow-y-auto p-1.5">
              <List.Empty className="p-4 text-ink2">No command has these words.</List.Empty>
              {list.map((c) => {
                const there = elsewhere(c, p.step);
                return (
                  <List.Item
                    key={c.id}
                    value={`${c.label} ${c.group}`}
                    onSelect={() => {
                      p.onOpen(false);
                      if (there) p.onStep(there);
                      else c.run();
                    }}
                    className="flex cursor-pointer items-center rounded-[6px] px-2.5 py-1.5 data-[selected=true]:bg-ink data-[selected=true]:text-paper"
                  >
                    <span className="w-16 text-sm opacity-70">{c.group}</span>
                    <span className="flex-1">{c.label}</span>
                    {there ? <span className="text-sm opacity-70">go to {STEPS.find((s) => s.id === there)?.label}</span> : c.shown && <kbd className="kbd">{c.shown}</kbd>}
                  </List.Item>
                );
              })}
            </List.List>
          </List>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

const GESTURES: readonly [string, string][] = [
  ['Wheel on the waveform', 'zoom at the pointer'],
  ['Shift wheel, or sideways', 'scroll'],
  ['Drag the waveform', 'scroll'],
  ['Click the waveform', 'go there'],
  ['Drag the ruler, or Alt-drag', 'set the loop'],
  ['Drag a level line', 'set the threshold'],
  ['Double-click a slider', 'back to the default'],
];

export function KeysHelp(p: { open: boolean; onOpen(v: boolean): void; commands: readonly Command[] }) {
  const groups = [...new Set(p.commands.map((c) => c.group))];
  return (
    <Dialog.Root open={p.open} onOpenChange={p.onOpen}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/20" />
        <Dialog.Content className="card fixed left-1/2 top-1/2 z-50 max-h-[86vh] w-[760px] -translate-x-1/2 -translate-y-1/2 overflow-y-auto p-6 shadow-xl" aria-describedby={undefined}>
          <Dialog.Title className="mb-3 font-head text-lg font-bold">Keys and gestures</Dialog.Title>
          <div className="columns-2 gap-8">
            {groups.map((g) => (
              <section key={g} className="mb-4 break-inside-avoid">
                <h3 className="mb-1 font-bold">{g}</h3>
                {p.commands
                  .filter((c) => c.group === g && c.shown)
                  .map((c) => (
                    <p key={c.id} className="flex justify-between gap-4 py-0.5">
                      <span>{c.label}</span>
                      <kbd className="kbd">{c.shown}</kbd>
                    </p>
                  ))}
              </section>
            ))}
            <section className="mb-4 break-inside-avoid">
              <h3 className="mb-1 font-bold">Gestures</h3>
              {GESTURES.map(([what, does]) => (
                <p key={what} className="flex justify-between gap-4 py-0.5">
                  <span>{what}</span>
                  <span className="text-ink2">{does}</span>
                </p>
              ))}
            </section>
          </div>
          <Dialog.Close className="btn">Close</Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
