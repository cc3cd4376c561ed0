/** The colours of the theme as canvas numbers, anew when the system turns light or dark. */
import { useEffect, useState } from 'react';
import { type WaveColors, abgr } from './drawWave';

export interface Palette extends WaveColors {
  css: Record<'ink' | 'ink2' | 'hand' | 'handSoft' | 'line' | 'doubt' | 'sheet' | 'soft' | 'raw', string>;
}

function read(): Palette {
  const style = getComputedStyle(document.documentElement);
  const v = (name: string) => style.getPropertyValue(name).trim();
  const css = { ink: v('--ink'), ink2: v('--ink2'), hand: v('--hand'), handSoft: v('--hand-soft'), line: v('--line'), doubt: v('--doubt'), sheet: v('--sheet'), soft: v('--soft'), raw: v('--raw') };
  return { css, sheet: abgr(css.sheet), gap: abgr(v('--paper')), hatch: abgr(css.line), raw: abgr(css.raw), ink: abgr(css.ink), grid: abgr(css.soft) };
}

export function usePalette(): Palette {
  const [palette, set] = useState(read);
  useEffect(() => {
    const dark = matchMedia('(prefers-color-scheme: dark)');
    const change = () => set(read());
    dark.addEventListener('change', change);
    return () => dark.removeEventListener('change', change);
  }, []);
  return palette;
}
