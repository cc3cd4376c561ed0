/** Width and height of an element in CSS pixels, and the device's pixels per CSS pixel. */
import { type RefObject, useLayoutEffect, useState } from 'react';

export function useSize(ref: RefObject<HTMLElement | null>): { width: number; height: number; dpr: number } {
  const [size, set] = useState({ width: 0, height: 0, dpr: 1 });
  useLayoutEffect(() => {
    const el = ref.current;
    if (!el) return;
    const read = () => set({ width: el.clientWidth, height: el.clientHeight, dpr: Math.min(2, window.devicePixelRatio || 1) });
    const observer = new ResizeObserver(read);
    observer.observe(el);
    read();
    return () => observer.disconnect();
  }, [ref]);
  return size;
}
