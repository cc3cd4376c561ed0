/** A choice of two or three words, one of them on. */
import { ToggleGroup } from 'radix-ui';

export interface Segment<T extends string> {
  value: T;
  label: string;
  hint?: string;
}

export function Segments<T extends string>(p: { label: string; value: T; options: readonly Segment<T>[]; onChange(v: NoInfer<T>): void; small?: boolean; /** As wide as its place. */ fill?: boolean; disabled?: boolean }) {
  return (
    <ToggleGroup.Root
      type="single"
      aria-label={p.label}
      value={p.value}
      disabled={p.disabled}
      onValueChange={(v) => v && p.onChange(v as T)}
      className={`${p.fill ? 'flex w-full' : 'inline-flex'} shrink-0 overflow-hidden rounded-card border-[1.5px] border-ink bg-sheet data-[disabled]:opacity-50`}
    >
      {p.options.map((o) => (
        <ToggleGroup.Item
          key={o.value}
          value={o.value}
          title={o.hint}
          className={`${p.small ? `min-h-6 text-sm ${p.fill ? 'flex-auto whitespace-nowrap px-1' : 'px-2.5'}` : 'min-h-[30px] px-3'} border-r border-line font-semibold last:border-r-0 data-[state=on]:bg-ink data-[state=on]:text-paper focus-visible:-outline-offset-3`}
        >
          {o.label}
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}
