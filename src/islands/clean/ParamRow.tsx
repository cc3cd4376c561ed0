/** One setting: name, slider, value to type. Double-click goes back to the default; arrow keys step; a drag is one edit. */
import { Slider } from 'radix-ui';
import { useState } from 'react';
import { formatNumber, fromPosition, parseNumber, roundTo, toPosition } from '../../core/params/format';
import type { NumberParam } from '../../core/params/types';

const TRAVEL = 1000;

export interface ParamRowProps {
  id: string;
  param: NumberParam;
  value: number;
  disabled?: boolean;
  /** Shown instead of the value's own words, e.g. what the setting comes to. */
  text?: string;
  /** Something small to click behind the name. */
  extra?: React.ReactNode;
  onMove(v: number): void;
  onEnd(): void;
}

export function ParamRow({ id, param, value, disabled, text, extra, onMove, onEnd }: ParamRowProps) {
  const [typing, setTyping] = useState<string | null>(null);
  const [wrong, setWrong] = useState(false);
  const put = (v: number) => {
    onMove(v);
    onEnd();
  };
  const decide = () => {
    if (typing === null) return;
    const v = parseNumber(param, typing);
    if (v === null) {
      setWrong(true);
      return;
    }
    setTyping(null);
    setWrong(false);
    if (v !== value) put(v);
  };
  const giveUp = () => {
    setTyping(null);
    setWrong(false);
  };
  const range = `${formatNumber(param, param.min)} to ${formatNumber(param, param.max)}`;
  return (
    <div className={`grid h-[22px] grid-cols-[96px_1fr_70px] items-center gap-2 ${disabled ? 'opacity-50' : ''}`} title={`${param.help}\nDouble-click for the default, ${formatNumber(param, param.default)}.`}>
      {/* no label element: a click on it would put the cursor into the field, where a double click means the default */}
      {/* biome-ignore lint/a11y/noStaticElementInteractions: a larger place for what the slider beside it takes too */}
      <span data-name={id} className="flex items-center gap-1 truncate text-ink2" onDoubleClick={() => put(param.default)}>
        <span className="truncate">{param.label}</span>
        {extra}
      </span>
      <Slider.Root
        min={0}
        max={TRAVEL}
        step={1}
        disabled={disabled}
        value={[Math.round(toPosition(param, value) * TRAVEL)]}
        onValueChange={([x]) => onMove(fromPosition(param, x / TRAVEL))}
        onValueCommit={onEnd}
        onDoubleClick={() => put(param.default)}
        className="relative flex h-6 touch-none select-none items-center"
      >
        <Slider.Track className="relative h-[3px] grow rounded bg-line">
          <Slider.Range className="absolute h-full rounded bg-ink" />
        </Slider.Track>
        <Slider.Thumb
          aria-label={param.label}
          aria-valuetext={formatNumber(param, value)}
          data-param={id}
          onKeyDown={(e) => {
            const direction = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1, PageUp: 10, PageDown: -10 }[e.key];
            if (e.key === 'Home' || e.key === 'End') {
              e.preventDefault();
              put(e.key === 'Home' ? param.min : param.max);
              return;
            }
            if (direction === undefined) return;
            // one step of the setting, not of the slider's travel
            e.preventDefault();
            const by = param.scale === 'linear' ? param.step * direction : Math.max(param.step, Math.abs(value) * 0.05) * direction;
            put(roundTo(param, value + by * (e.shiftKey ? 10 : 1)));
          }}
          className="block h-[15px] w-[9px] rounded-[4px] border-[1.5px] border-ink bg-sheet hover:bg-soft active:border-hand active:bg-hand"
        />
      </Slider.Root>
      <input
        id={`p-${id}`}
        aria-label={`${param.label}, value`}
        className={`num h-[20px] w-full rounded-[5px] border bg-transparent px-1 text-right text-sm hover:border-line2 ${wrong ? 'border-hand text-hand' : 'border-transparent'}`}
        value={typing ?? text ?? formatNumber(param, value)}
        disabled={disabled}
        spellCheck={false}
        autoComplete="off"
        aria-invalid={wrong}
        title={wrong ? `Type a value from ${range}` : undefined}
        onFocus={(e) => {
          setTyping(formatNumber(param, value));
          requestAnimationFrame(() => e.target.select());
        }}
        onChange={(e) => {
          setTyping(e.target.value);
          setWrong(false);
        }}
        onBlur={() => (wrong ? giveUp() : parseNumber(param, typing ?? '') === null ? giveUp() : decide())}
        onKeyDown={(e) => {
          e.stopPropagation();
          if (e.key === 'Enter') {
            // leaving the field decides; what cannot be read stays, marked
            if (parseNumber(param, typing ?? '') === null) setWrong(true);
            else e.currentTarget.blur();
          }
          if (e.key === 'Escape') {
            giveUp();
            e.currentTarget.blur();
          }
        }}
      />
      {wrong && (
        <span role="alert" className="col-span-3 -mt-1 text-xs text-hand">
          {range}
        </span>
      )}
    </div>
  );
}
