/** Level meters, moved in animation frames: -60 to 0 dBFS, evenly in dB. */
import { useEffect, useRef } from 'react';
import { gainToDb } from '../../core/dsp/db';
import { signed } from '../shared/time';
import { meters } from './engine';

const LOW = -60;
const share = (linear: number) => Math.min(1, Math.max(0, 1 - gainToDb(linear, LOW) / LOW));

/** Puts a text into an element where it is another one: the same text written anew would be laid out and painted anew. */
export function showText(el: HTMLElement, text: string): void {
  if (el.textContent !== text) el.textContent = text;
}

function useFrame(draw: () => void) {
  const latest = useRef(draw);
  latest.current = draw;
  useEffect(() => {
    let id = 0;
    const loop = () => {
      id = requestAnimationFrame(loop);
      latest.current();
    };
    loop();
    return () => cancelAnimationFrame(id);
  }, []);
}

/** A thin bar for one mic. */
export function MicMeter({ id }: { id: string }) {
  const bar = useRef<HTMLDivElement>(null);
  useFrame(() => {
    if (bar.current) bar.current.style.transform = `scaleX(${share(meters.mics.get(id) ?? 0)})`;
  });
  return (
    <div aria-hidden="true" className="h-[3px] overflow-hidden rounded bg-line">
      <div ref={bar} className="h-full w-full origin-left bg-ink" style={{ transform: 'scaleX(0)' }} />
    </div>
  );
}

/** Left and right output with the highest recent peak in figures. */
export function OutMeter() {
  const bars = [useRef<HTMLDivElement>(null), useRef<HTMLDivElement>(null)];
  const text = useRef<HTMLSpanElement>(null);
  const hold = useRef({ peak: 0, until: 0 });
  useFrame(() => {
    bars.forEach((b, i) => {
      if (b.current) b.current.style.transform = `scaleX(${share(meters.out[i])})`;
    });
    const peak = Math.max(...meters.out);
    const now = performance.now();
    if (peak >= hold.current.peak || now > hold.current.until) hold.current = { peak, until: now + 1200 };
    if (text.current) {
      const p = hold.current.peak;
      showText(text.current, p < 1e-4 ? '−∞ dBFS' : `${signed(gainToDb(p))} dBFS`);
      text.current.style.color = p >= 1 ? 'var(--hand)' : '';
    }
  });
  return (
    <div className="flex items-center gap-3" title="Peak of what is heard">
      <div className="grid w-[84px] gap-[3px] max-[1180px]:w-12">
        {bars.map((b, i) => (
          <div key={i === 0 ? 'left' : 'right'} className="h-[5px] overflow-hidden bg-line">
            <div ref={b} className="h-full w-full origin-left bg-ink" style={{ transform: 'scaleX(0)' }} />
          </div>
        ))}
      </div>
      <span ref={text} className="num w-[88px] text-right text-sm" />
    </div>
  );
}
