/**
 * Values as people read and type them, and where they sit on a slider. True minus signs, the unit apart by a thin rule of the
 * trade (ms below one second, Hz or kHz, signed dB), the names of range ends (silence, gate, off).
 */
import type { NumberParam, Param } from './types';

const MINUS = '−';

/** "−24.5 dB", "2.0 ms", "1.20 s", "4.50 kHz", "3.0:1", or the name of the range's end. */
export function formatNumber(p: NumberParam, value: number): string {
  if (isAtEnd(p, value)) return p.end?.text ?? '';
  const n = (v: number, digits: number) => (v < 0 ? MINUS : '') + Math.abs(v).toFixed(digits);
  switch (p.unit) {
    case 'dB':
      return `${n(value, 1)} dB`;
    case 'ms':
      if (value >= 1000) return `${n(value / 1000, 2)} s`;
      return `${n(value, value < 1 ? 2 : value < 100 && p.step < 1 ? 1 : 0)} ms`;
    case 'Hz':
      return value >= 1000 ? `${n(value / 1000, 2)} kHz` : `${n(value, 0)} Hz`;
    case '%':
      return `${n(value, 0)} %`;
    case ':1':
      return `${n(value, 1)}:1`;
    case 'Q':
      return `Q ${n(value, 2)}`;
  }
}

/** True where the value lies in the named end of its range. */
export function isAtEnd(p: NumberParam, value: number): boolean {
  return p.end !== undefined && (p.end.at === 'max' ? value >= p.end.from : value <= p.end.from);
}

/** Any setting as text; `micName` resolves mic references. */
export function formatParam(p: Param, value: unknown, micName: (id: string) => string = (id) => id): string {
  switch (p.kind) {
    case 'number':
      return formatNumber(p, value as number);
    case 'choice':
      return p.options.find((o) => o.value === value)?.label ?? String(value);
    case 'switch':
      return value ? 'on' : 'off';
    case 'mic':
      return value === '' ? 'itself' : micName(value as string);
  }
}

/**
 * A typed text as a value of `p`, or null where it cannot be read or lies outside the range (nothing clamps silently).
 * Understands "-24", "−24 dB", "1.2 s", "4.5k", "3:1" and the name of the range's end.
 */
export function parseNumber(p: NumberParam, text: string): number | null {
  const t = text.trim().toLowerCase().replace(MINUS, '-').replace(',', '.').replace(/^q\s*/, p.unit === 'Q' ? '' : 'q');
  if (p.end && t === p.end.text) return p.end.at === 'max' ? p.max : p.min;
  const m = /^([+-]?\d*\.?\d+)\s*(db|ms|s|hz|khz|k|:1|%)?$/.exec(t);
  if (!m) return null;
  let v = Number(m[1]);
  if (m[2] === 's' && p.unit === 'ms') v *= 1000;
  if ((m[2] === 'khz' || m[2] === 'k') && p.unit === 'Hz') v *= 1000;
  return Number.isFinite(v) && v >= p.min && v <= p.max ? v : null;
}

/** Slider position 0..1 of a value. */
export function toPosition(p: NumberParam, value: number): number {
  switch (p.scale) {
    case 'linear':
      return (value - p.min) / (p.max - p.min);
    case 'log':
      return Math.log(value / p.min) / Math.log(p.max / p.min);
    case 'square':
      return Math.sqrt((value - p.min) / (p.max - p.min));
  }
}

/** Value at a slider position 0..1, rounded to the step (never outside the range). */
export function fromPosition(p: NumberParam, position: number): number {
  const t = Math.min(1, Math.max(0, position));
  const span = p.max - p.min;
  const v = p.scale === 'linear' ? p.min + span * t : p.scale === 'log' ? p.min * (p.max / p.min) ** t : p.min + span * t * t;
  return roundTo(p, v);
}

/** Rounds to the setting's step, or to three digits where the step is coarser than the value asks for; stays in range. */
export function roundTo(p: NumberParam, v: number): number {
  let step = p.step;
  if (p.scale !== 'linear') step = Math.max(p.step, 10 ** (Math.floor(Math.log10(Math.max(Math.abs(v), 1e-9))) - 2));
  const r = Number((Math.round(v / step) * step).toFixed(6));
  return Math.min(p.max, Math.max(p.min, r));
}

/** So many of something, in words: "1 hit", "2,000 hits". */
export const counted = (n: number, one: string, many = `${one}s`): string => `${n.toLocaleString('en')} ${n === 1 ? one : many}`;
