/** The looped stretch of the focused mic as it came, as it is left, and what is taken of it, one above the other at one scale. */
import { useEffect, useRef, useState } from 'react';
import type { MicAudio } from '../../engine/blocks';
import type { Listen } from '../../engine/protocol';
import { Playhead } from '../clean/Playhead';
import { usePalette } from '../clean/usePalette';
import { useSize } from '../clean/useSize';
import { columnsFromSamples, samplesOf } from '../clean/waveData';
import { formatTime } from '../shared/time';
import { askDetail } from '../workbench/engine';
import { useBench } from '../workbench/store';

/** Longer loops are not looked at so closely, s. */
const LONGEST_S = 12;
const LANES: readonly { id: Listen; label: string }[] = [{ id: 'before', label: 'Before' }, { id: 'after', label: 'After' }, { id: 'removed', label: 'Removed' }];
const HEADROOM = 0.94;

interface Stretch {
  readonly micId: string;
  readonly from: number;
  readonly before: Float32Array;
  readonly after: Float32Array;
}

/** What is drawn of a loop that is short enough. */
function Lanes({ audio, name, loop }: { audio: MicAudio; name: string; loop: { readonly from: number; readonly to: number } }) {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const { width, height, dpr } = useSize(box);
  const palette = usePalette();
  const focus = useBench((s) => s.focus);
  const listen = useBench((s) => s.listen);
  const rate = useBench((s) => s.data?.recording.sampleRate ?? 48000);
  const preview = useBench((s) => (s.preview?.micId === s.focus ? s.preview : null));
  const [tick, setTick] = useState(0);
  const [stretch, setStretch] = useState<Stretch | null>(null);

  // biome-ignore lint/correctness/useExhaustiveDependencies: tick says that samples have come
  useEffect(() => {
    if (!preview) return;
    const got = samplesOf(audio, loop.from, loop.to, () => setTick((t) => t + 1));
    if (!got) return;
    let gone = false;
    void askDetail(loop.from, loop.to).then(({ from, clean }) => {
      if (gone) return;
      const at = from - got.origin;
      setStretch({ micId: focus, from, before: got.samples.slice(at, at + clean.length), after: clean });
    });
    return () => {
      gone = true;
    };
  }, [audio, focus, loop, preview, tick]);

  useEffect(() => {
    const el = canvas.current;
    const g = el?.getContext('2d');
    if (!el || !g || width < 2 || height < 2) return;
    el.width = Math.round(width * dpr);
    el.height = Math.round(height * dpr);
    // what was drawn of another mic or place is none of this one
    if (stretch?.micId !== focus || stretch.from !== loop.from) return;
    const lane = el.height / LANES.length;
    const { before, after } = stretch;
    const samples: Record<Listen, Float32Array> = { before, after, removed: before.map((v, i) => v - (after[i] ?? 0)) };
    const top = before.reduce((m, v) => Math.max(m, Math.abs(v)), 1e-4);
    LANES.forEach(({ id }, k) => {
      const mid = (k + 0.5) * lane;
      const columns = columnsFromSamples(samples[id], 0, 0, before.length, el.width);
      g.fillStyle = palette.css.line;
      g.fillRect(0, Math.round(mid), el.width, 1);
      g.fillStyle = id === 'removed' ? palette.css.raw : palette.css.ink;
      for (let x = 0; x < el.width; x++) {
        const [lo, hi] = [columns[2 * x], columns[2 * x + 1]];
        const y = mid - (Math.min(top, hi) / top) * lane * 0.5 * HEADROOM;
        g.fillRect(x, y, 1, Math.max(1, mid - (Math.max(-top, lo) / top) * lane * 0.5 * HEADROOM - y));
      }
    });
  }, [stretch, focus, loop, width, height, dpr, palette]);

  return (
    <section aria-label="The loop, closer" className="card grid min-h-[150px] flex-1 grid-cols-[72px_1fr] grid-rows-[1fr_auto] overflow-hidden" data-testid="closer">
      <div className="flex flex-col border-r border-line">
        {LANES.map((l) => (
          <span key={l.id} className={`flex flex-1 items-center border-b border-line pl-2 text-xs ${l.id === listen ? 'font-bold text-ink' : 'text-ink2'}`}>
            {l.label}
          </span>
        ))}
      </div>
      <div ref={box} className="relative min-h-0">
        <canvas ref={canvas} className="absolute inset-0 h-full w-full" role="img" aria-label={`${name} in the loop: before, after and removed`} />
        <Playhead range={loop} />
      </div>
      <div className="border-r border-line pl-2 text-xs leading-5 text-ink2">time</div>
      <div className="num flex justify-between px-1.5 text-xs leading-5 text-ink2">
        <span>{formatTime(loop.from / rate)}</span>
        <span>{formatTime(loop.to / rate)}</span>
      </div>
    </section>
  );
}

export function Closer({ audio, name }: { audio: MicAudio; name: string }) {
  const loop = useBench((s) => s.loop);
  const rate = useBench((s) => s.data?.recording.sampleRate ?? 48000);
  if (!loop || loop.to - loop.from > LONGEST_S * rate) return <p className="text-sm text-ink2">Choose a place on the right, or drag a loop of up to {LONGEST_S} s in Clean: it is shown here before, after, and what was removed.</p>;
  return <Lanes audio={audio} name={name} loop={loop} />;
}
