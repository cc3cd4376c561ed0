/** The line at the heard place; moved in animation frames, outside React. */
import { useEffect, useRef } from 'react';
import { heardAt } from '../workbench/engine';
import { useBench } from '../workbench/store';

/** Over the view, the `whole` song, or a `range` of frames. `onLeave` is told when playing runs out of it. */
export function Playhead(p: { whole?: boolean; range?: { readonly from: number; readonly to: number }; onLeave?(frame: number): void }) {
  const ref = useRef<HTMLDivElement>(null);
  const leave = useRef(p.onLeave);
  leave.current = p.onLeave;
  useEffect(() => {
    let id = 0;
    let was = -1;
    const draw = () => {
      id = requestAnimationFrame(draw);
      const el = ref.current;
      if (!el) return;
      const s = useBench.getState();
      const frame = heardAt();
      const v = p.range ? p.range : p.whole ? { from: 0, to: s.data?.recording.frames ?? 1 } : s.view;
      const x = (frame - v.from) / (v.to - v.from);
      el.style.display = x >= 0 && x <= 1 ? '' : 'none';
      el.style.left = `${100 * x}%`;
      if (s.playing && x > 1 && was <= 1 && was >= 0) leave.current?.(frame);
      was = x;
    };
    draw();
    return () => cancelAnimationFrame(id);
  }, [p.whole, p.range]);
  return <div ref={ref} aria-hidden="true" className="pointer-events-none absolute bottom-0 top-0 w-0 border-l-[1.5px] border-ink" />;
}
