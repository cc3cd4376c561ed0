/** Times and sizes as people read them. */

/** "1:14.862" of seconds; `digits` behind the point. */
export function formatTime(seconds: number, digits = 3): string {
  const unit = 10 ** digits;
  const total = Math.max(0, Math.round(seconds * unit));
  const whole = Math.floor(total / unit);
  const rest = digits ? `.${String(total % unit).padStart(digits, '0')}` : '';
  return `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, '0')}${rest}`;
}

/** "−12.3" with a true minus sign; a dash where there is no number. */
export function signed(v: number | null, digits = 1): string {
  if (v === null || !Number.isFinite(v)) return '–';
  const r = Number(v.toFixed(digits));
  return `${r < 0 ? '−' : ''}${Math.abs(r).toFixed(digits)}`;
}

/** "3.4 MB". */
export function formatBytes(n: number): string {
  if (n < 1e3) return `${n} B`;
  if (n < 1e6) return `${(n / 1e3).toFixed(0)} kB`;
  if (n < 1e9) return `${(n / 1e6).toFixed(1)} MB`;
  return `${(n / 1e9).toFixed(2)} GB`;
}

const ENCODINGS: Record<string, string> = { pcm16: '16 bit', pcm24: '24 bit', pcm32: '32 bit', float32: '32-bit float' };
export const encodingLabel = (e: string): string => ENCODINGS[e] ?? e;
