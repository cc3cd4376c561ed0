/** A choice among words in a list that opens. */
import { ChevronDown } from 'lucide-react';
import { Select } from 'radix-ui';

export function PickList({ labelledBy, id, value, options, onChange }: { labelledBy: string; id?: string; value: string; options: readonly { value: string; label: string }[]; onChange(v: string): void }) {
  return (
    <Select.Root value={value} onValueChange={onChange}>
      <Select.Trigger aria-labelledby={labelledBy} data-choice={id} className="flex h-6 items-center justify-between rounded-[6px] border border-line2 px-2 text-left">
        <Select.Value />
        <ChevronDown aria-hidden="true" size={13} />
      </Select.Trigger>
      <Select.Portal>
        <Select.Content position="popper" className="card z-50 max-h-80 overflow-y-auto p-1 shadow-lg">
          <Select.Viewport>
            {options.map((o) => (
              <Select.Item key={o.value} value={o.value} className="cursor-pointer rounded px-3 py-1 outline-none data-[highlighted]:bg-ink data-[highlighted]:text-paper">
                <Select.ItemText>{o.label}</Select.ItemText>
              </Select.Item>
            ))}
          </Select.Viewport>
        </Select.Content>
      </Select.Portal>
    </Select.Root>
  );
}
