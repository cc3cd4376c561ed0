/** One setting that is a choice of words, or a switch. */
import type { ChoiceParam, SwitchParam } from '../../core/params/types';
import { PickList } from '../shared/PickList';
import { Segments } from '../shared/Segments';
import { Toggle } from '../shared/Toggle';

export function ChoiceRow<T extends string>({ id, param, value, onChange }: { id: string; param: ChoiceParam; value: T; onChange(v: T): void }) {
  const few = param.options.length <= 2;
  return (
    <div className="grid h-[26px] grid-cols-[96px_1fr] items-center gap-2" title={param.help}>
      <span className="truncate text-ink2" id={`c-${id}`}>
        {param.label}
      </span>
      {few ? (
        <span>
          <Segments small label={param.label} value={value} options={param.options as readonly { value: T; label: string }[]} onChange={onChange} />
        </span>
      ) : (
        <PickList labelledBy={`c-${id}`} id={id} value={value} options={param.options.map((o) => ({ value: String(o.value), label: o.label }))} onChange={(v) => onChange(v as T)} />
      )}
    </div>
  );
}

export function SwitchRow({ param, value, onChange }: { param: SwitchParam; value: boolean; onChange(v: boolean): void }) {
  return (
    <div className="flex h-[24px] items-center gap-2" title={param.help}>
      <span className="truncate text-ink2">{param.label}</span>
      <span className="ml-auto">
        <Toggle label={param.label} checked={value} onChange={onChange} />
      </span>
    </div>
  );
}
