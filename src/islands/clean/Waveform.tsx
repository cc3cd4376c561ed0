/**
 * The main view: the real waveform of the focused mic at every zoom down to single samples, what the gate keeps and takes, its
 * thresholds to drag, the level it hears. Zooming, scrolling and looping go on while anything is tried or played.
 */
import { ChevronDown, ChevronRight } from 'lucide-react';
import { useGesture } from '@use-gesture/react';
import { useEffect, useRef, useState } from 'react';
import { PEAK_BASE } from '../../core/dsp/peaks';
import { editGate } from '../../core/plan/edits';
import type { MicAudio } from '../../engine/blocks';
import type { DetailResult } from '../../engine/previewProtocol';
import { askDetail, goTo } from '../workbench/engine';
import { endGesture, focusedMic, sketch, useBench } from '../workbench/store';
import { DrumLanes } from './DrumLanes';
import { LevelLine } from './LevelLine';
import { SliceLayer } from './SliceLayer';
import { SpectrumLayer, SpectrumScale } from './SpectrumLayer';
import { Playhead } from './Playhead';
import { Ruler, setLoopBetween } from './Ruler';
import { drawTaken } from './drawTaken';
import { drawWave } from './drawWave';
import { SCALE_MARKS, heightOf, heightOfDb } from './scale';
import { isUntouched } from '../../core/plan/plan';
import { type Palette, usePalette } from './usePalette';
import { useSize } from './useSize';
import { scrollView, zoomView } from './viewMoves';
import { columnsFromPyramid, columnsFromSamples, peakLevels, samplesOf } from './waveData';

/** Under this many frames a pixel the samples themselves are drawn. */
const SAMPLES_UNDER = PEAK_BASE;
/** Under this many frames a pixel each sample is a dot. */
const DOTS_UNDER = 0.35;

function path(g: CanvasRenderingContext2D, points: [number, number][], color: string, width: number) {
  g.beginPath();
  for (const [x, y] of points) g.lineTo(x, y);
  g.strokeStyle = color;
  g.lineWidth = width;
  g.lineJoin = 'round';
  g.stroke();
}

/** Frames a pixel up to which the gain is drawn as a line; further out its ups and downs would cover the waveform. */
export const GAIN_LINE_UP_TO = 700;

export function Waveform({ audio }: { audio: MicAudio }) {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const taken = useRef<HTMLCanvasElement>(null);
  const { width, height, dpr } = useSize(box);
  const frames = useBench((s) => s.data?.recording.frames ?? 1);
  const view = useBench((s) => s.view);
  const loop = useBench((s) => s.loop);
  const loopOn = useBench((s) => s.loopOn);
  const scale = useBench((s) => s.waveScale);
  const spectrum = useBench((s) => s.spectrum);
  const preview = useBench((s) => s.preview);
  const focus = useBench((s) => s.focus);
  const mic = useBench(focusedMic);
  const selection = useBench((s) => s.selection);
  const palette: Palette = usePalette();
  const [tick, setTick] = useState(0);
  const [detail, setDetail] = useState<(DetailResult & { mic: string }) | null>(null);
  const gate = mic?.treatment.gate;
  const panel = useBench((s) => s.panel);
  const lanes = useBench((s) => s.lanes && Object.values(s.plan?.hits ?? {}).some((l) => Object.keys(l).length > 0));
  const changed = mic ? !isUntouched(mic.treatment) : false;
  const shown = preview?.micId === focus ? preview : null;
  const perPixel = (view.to - view.from) / Math.max(1, width * dpr);
  const close = perPixel < SAMPLES_UNDER;

  useEffect(() => {
    useBench.setState({ waveWidth: width });
  }, [width]);

  // samples of the cleaned mic, where the view is close enough to need them
  useEffect(() => {
    if (!close || !shown) return;
    let gone = false;
    const margin = Math.ceil((view.to - view.from) * 0.25) + 64;
    askDetail(Math.floor(view.from) - margin, Math.ceil(view.to) + margin).then((d) => {
      if (!gone) setDetail({ ...d, mic: focus });
    });
    return () => {
      gone = true;
    };
  }, [close, shown, view, focus]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: tick says that audio has come
  useEffect(() => {
    const el = canvas.current;
    const lane = taken.current;
    const [w, h] = [Math.round(width * dpr), Math.round(height * dpr)];
    if (!el || !lane || w < 2 || h < 2) return;
    const again = () => setTick((t) => t + 1);
    const { from, to } = view;
    const samples = close ? samplesOf(audio, from, to, again) : null;
    const raw = samples ? columnsFromSamples(samples.samples, samples.origin, from, to, w) : columnsFromPyramid(peakLevels(audio, again), from, to, w);
    // one of an older setting serves until the newest is here
    const near = close && detail && detail.mic === focus && detail.from <= from + 1 && detail.from + detail.gain.length >= Math.min(to, audio.frames) - 1 ? detail : null;
    const clean = near ? columnsFromSamples(near.clean, near.from, from, to, w) : shown ? columnsFromPyramid(shown.clean, from, to, w) : null;
    const gain = near ? columnsFromSamples(near.gain, near.from, from, to, w) : shown ? columnsFromPyramid(shown.gain, from, to, w) : null;
    const on = changed;

    el.width = w;
    el.height = h;
    const g = el.getContext('2d');
    if (!g) return;
    const image = g.createImageData(w, h);
    // while samples are close but cleaned ones are still coming, only the raw ones are exact
    const marks = SCALE_MARKS[scale].map((db) => heightOfDb(scale, db));
    drawWave(new Uint32Array(image.data.buffer), w, h, { raw, clean: on && (!close || near) ? clean : null, gain: on ? gain : null }, palette, scale, marks);
    g.putImageData(image, 0, 0);

    const mid = (h - 1) / 2;
    if (samples && perPixel < DOTS_UNDER) {
      const dot = (data: Float32Array, origin: number, color: string) => {
        g.fillStyle = color;
        for (let i = Math.max(0, Math.floor(from) - origin); i < Math.min(data.length, Math.ceil(to) - origin + 1); i++) {
          const v = data[i];
          g.beginPath();
          g.arc((origin + i + 0.5 - from) / perPixel, mid - Math.sign(v) * heightOf(scale, Math.abs(v)) * mid, 2.2 * dpr, 0, 7);
          g.fill();
        }
      };
      dot(samples.samples, samples.origin, on ? palette.css.ink2 : palette.css.ink);
      if (on && near) dot(near.clean, near.from, palette.css.ink);
    }
    if (shown && gate?.on && gate?.keyBy !== 'hits') {
      // the level the gate hears, on the same scale as the thresholds
      const bins = shown.level;
      const line: [number, number][] = [];
      const binPerPixel = perPixel / PEAK_BASE;
      for (let x = 0; x < w; x++) {
        const a = Math.floor(from / PEAK_BASE + x * binPerPixel);
        const b = Math.max(a + 1, Math.floor(from / PEAK_BASE + (x + 1) * binPerPixel));
        let top = 0;
        for (let i = Math.max(0, a); i < Math.min(bins.length, b); i++) if (bins[i] > top) top = bins[i];
        line.push([x, mid - heightOf(scale, top) * mid]);
      }
      path(g, line, palette.css.doubt, dpr);
    }
    if (gain && on && perPixel / dpr <= GAIN_LINE_UP_TO) {
      const curve: [number, number][] = [];
      for (let x = 0; x < w; x++) {
        const rising = x > 0 && gain[2 * x + 1] > gain[2 * x - 1];
        const v = rising ? gain[2 * x + 1] : gain[2 * x];
        curve.push([x, 2 + (1 - heightOf('lifted', v)) * (h - 5)]);
      }
      path(g, curve, palette.css.hand, 1.5 * dpr);
    }
    drawTaken(lane, dpr, on ? gain : null, w, palette);
  }, [audio, view, width, height, dpr, scale, shown, detail, palette, tick, changed, gate?.on, gate?.keyBy, close, perPixel, focus]);

  useGesture(
    {
      onWheel: ({ event, delta: [dx, dy], ctrlKey, shiftKey }) => {
        event.preventDefault();
        if (!box.current) return;
        const r = box.current.getBoundingClientRect();
        const v = useBench.getState().view;
        const sideways = shiftKey ? dy || dx : Math.abs(dx) > Math.abs(dy) ? dx : 0;
        if (sideways && !ctrlKey) useBench.setState({ view: scrollView(v, (sideways / r.width) * (v.to - v.from), frames) });
        else useBench.setState({ view: zoomView(v, Math.exp(dy * (ctrlKey ? 0.01 : 0.0022)), Math.min(1, Math.max(0, (event.clientX - r.left) / r.width)), frames) });
      },
      onPinch: ({ origin: [x], movement: [ms], memo, touches, first }) => {
        if (touches < 2 || !box.current) return;
        const r = box.current.getBoundingClientRect();
        const start = first || !memo ? useBench.getState().view : memo;
        useBench.setState({ view: zoomView(start, 1 / ms, Math.min(1, Math.max(0, (x - r.left) / r.width)), frames) });
        return start;
      },
      onDrag: ({ event, tap, delta: [dx], xy: [x], initial: [x0], altKey, memo, pinching, cancel }) => {
        // bars, edges and fades of slices have hands of their own
        if (event.target instanceof Element && event.target.closest('[data-slice], [data-slice-bar]')) return memo;
        if (pinching) return cancel();
        if (!box.current) return;
        const r = box.current.getBoundingClientRect();
        const v = useBench.getState().view;
        const at = (px: number) => v.from + ((px - r.left) / r.width) * (v.to - v.from);
        const looping: boolean = memo ?? altKey;
        if (tap) goTo(at(x));
        else if (looping) setLoopBetween(at(x0), at(x));
        else useBench.setState({ view: scrollView(v, (-dx / r.width) * (v.to - v.from), frames) });
        return looping;
      },
    },
    { target: box, eventOptions: { passive: false }, drag: { filterTaps: true, pointer: { keys: false } } },
  );

  const follow = (frame: number) => {
    const v = useBench.getState().view;
    useBench.setState({ view: scrollView(v, frame - v.from - (v.to - v.from) * 0.02, frames) });
  };
  const share = (f: number) => `${(100 * (f - view.from)) / (view.to - view.from)}%`;
  return (
    <div className={`card grid min-h-0 flex-1 grid-cols-[54px_1fr] ${lanes ? 'grid-rows-[auto_auto_1fr_44px]' : 'grid-rows-[auto_1fr_44px]'} overflow-hidden`} data-testid="waveform">
      <button
        type="button"
        aria-expanded={lanes}
        aria-label="Who strikes when"
        title="Every drum's hits over the waveform, shown or hidden (H)"
        onClick={() => useBench.setState({ lanes: !lanes })}
        className="flex items-center gap-0.5 border-b border-r border-line pl-2 text-xs text-ink2 hover:text-ink"
      >
        time {lanes ? <ChevronDown aria-hidden="true" size={12} /> : <ChevronRight aria-hidden="true" size={12} />}
      </button>
      <Ruler />
      {lanes && <DrumLanes />}
      <div className="relative border-r border-line text-ink2" title={spectrum ? 'Frequency' : 'Level, dBFS'}>
        {spectrum ? <SpectrumScale height={height} /> : SCALE_MARKS[scale].map((db) => (
          <span key={db} className="num absolute left-2 -translate-y-1/2 text-xs" style={{ top: Math.max(8, (height / 2) * (1 - heightOfDb(scale, db))) }}>
            {db === 0 ? '0 dBFS' : `−${-db}`}
          </span>
        ))}
      </div>
      <div ref={box} className="relative min-h-0 cursor-crosshair touch-none select-none overflow-hidden" data-testid="wave-area">
        <canvas ref={canvas} className="absolute inset-0 h-full w-full" role="img" aria-label={`Waveform of ${mic?.name ?? 'the mic'}`} />
        {spectrum && <SpectrumLayer />}
        {loop && (
          <div className={`pointer-events-none absolute top-0 bottom-0 border-x ${loopOn ? 'border-hand' : 'border-line2'}`} style={{ left: share(loop.from), width: `${(100 * (loop.to - loop.from)) / (view.to - view.from)}%` }} />
        )}
        {selection && (
          <div data-testid="selection" className="pointer-events-none absolute bottom-0 top-0 border-x border-hand bg-hand-soft opacity-40" style={{ left: share(selection.from), width: `${(100 * (selection.to - selection.from)) / (view.to - view.from)}%` }} />
        )}
        <SliceLayer height={height} />
        {gate && gate.keyBy !== 'hits' && panel === 'gate' && !spectrum && (
          <>
            <LevelLine
              label="Opens" db={gate.thresholdDb} minDb={-80} maxDb={0} scale={scale} height={height}
              faint={!gate.on}
              onMove={(thresholdDb) => sketch((base) => editGate(base, focus, { on: true, thresholdDb }))}
              onEnd={endGesture}
            />
            {gate.hysteresisDb > 0 && (
              <LevelLine
                label="Closes" db={gate.thresholdDb - gate.hysteresisDb} minDb={gate.thresholdDb - 60} maxDb={gate.thresholdDb} scale={scale} height={height} dashed below faint={!gate.on}
                onMove={(db) => sketch((base) => editGate(base, focus, { hysteresisDb: Math.min(60, Math.max(0, base.mics[focus].treatment.gate.thresholdDb - db)) }))}
                onEnd={endGesture}
              />
            )}
          </>
        )}
        <Playhead onLeave={follow} />
      </div>
      <div className="border-r border-t border-line pl-2 pt-1 text-xs leading-4 text-ink2">
        Taken
        <br />
        dB
      </div>
      <div className="relative border-t border-line">
        <canvas ref={taken} className="absolute inset-0 h-full w-full" role="img" aria-label="Level taken over time, from 0 dB at the top to 60 dB and more at the bottom" />
        <span className="num pointer-events-none absolute right-1 top-0 text-xs text-ink2">0</span>
        <span className="num pointer-events-none absolute bottom-0 right-1 text-xs text-ink2">−60</span>
      </div>
    </div>
  );
}
