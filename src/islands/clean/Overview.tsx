/** The whole song of the focused mic: kept in ink, taken in grey; the part in view is framed and can be dragged. */
import { useDrag } from '@use-gesture/react';
import { useEffect, useRef, useState } from 'react';
import type { MicAudio } from '../../engine/blocks';
import { useBench } from '../workbench/store';
import { Playhead } from './Playhead';
import { drawWave } from './drawWave';
import { usePalette } from './usePalette';
import { useSize } from './useSize';
import { scrollView } from './viewMoves';
import { columnsFromPyramid, peakLevels } from './waveData';

export function Overview({ audio }: { audio: MicAudio }) {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const { width, height, dpr } = useSize(box);
  const frames = useBench((s) => s.data?.recording.frames ?? 1);
  const view = useBench((s) => s.view);
  const loop = useBench((s) => s.loop);
  const loopOn = useBench((s) => s.loopOn);
  const preview = useBench((s) => s.preview);
  const palette = usePalette();
  const [tick, setTick] = useState(0);

  // biome-ignore lint/correctness/useExhaustiveDependencies: tick says that peaks have come
  useEffect(() => {
    const el = canvas.current;
    const [w, h] = [Math.round(width * dpr), Math.round(height * dpr)];
    if (!el || w < 2 || h < 2) return;
    el.width = w;
    el.height = h;
    const g = el.getContext('2d');
    if (!g) return;
    const image = g.createImageData(w, h);
    const raw = columnsFromPyramid(peakLevels(audio, () => setTick((t) => t + 1)), 0, frames, w);
    const clean = preview ? columnsFromPyramid(preview.clean, 0, frames, w) : null;
    drawWave(new Uint32Array(image.data.buffer), w, h, { raw, clean, gain: null }, palette, 'lifted', []);
    g.putImageData(image, 0, 0);
  }, [audio, frames, width, height, dpr, preview, palette, tick]);

  const bind = useDrag(
    ({ tap, xy: [x], delta: [dx], currentTarget }) => {
      const r = (currentTarget as HTMLElement).getBoundingClientRect();
      const v = useBench.getState().view;
      if (tap) useBench.setState({ view: scrollView(v, ((x - r.left) / r.width) * frames - (v.from + v.to) / 2, frames) });
      else useBench.setState({ view: scrollView(v, (dx / r.width) * frames, frames) });
    },
    { filterTaps: true, pointer: { keys: false } },
  );
  const pct = (f: number) => `${(100 * f) / frames}%`;
  return (
    <div ref={box} {...bind()} data-testid="overview" title="The whole song: click or drag to move the view" className="card relative h-[42px] shrink-0 cursor-grab touch-none overflow-hidden">
      <canvas ref={canvas} className="h-full w-full" aria-label="Waveform of the whole song" role="img" />
      {loop && <div className={`pointer-events-none absolute bottom-0 h-[3px] ${loopOn ? 'bg-hand' : 'bg-line2'}`} style={{ left: pct(loop.from), width: pct(loop.to - loop.from) }} />}
      <div className="pointer-events-none absolute top-0 bottom-0 border-[1.5px] border-hand" style={{ left: pct(view.from), width: pct(view.to - view.from), minWidth: 3 }} />
      <Playhead whole />
    </div>
  );
}
