/** An on-off switch with its word. */
import { Switch } from 'radix-ui';

export function Toggle(p: { label: string; checked: boolean; onChange(v: boolean): void; hidden?: boolean; title?: string }) {
  return (
    <Switch.Root
      checked={p.checked}
      onCheckedChange={p.onChange}
      aria-label={p.label}
      title={p.title}
      className="group inline-flex h-6 shrink-0 items-center"
    >
      <span className="relative h-4 w-[27px] rounded-full border-[1.5px] border-ink bg-sheet group-data-[state=checked]:bg-ink">
        <Switch.Thumb className="absolute left-[1.5px] top-[1.5px] block size-2.5 rounded-full bg-ink transition-transform data-[state=checked]:translate-x-[11px] data-[state=checked]:bg-paper" />
      </span>
    </Switch.Root>
  );
}
