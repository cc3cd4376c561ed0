/** Step Clean: one focused mic, its waveform in the middle, what can be set on the right. */
import { CopyPlus, LayoutGrid, Maximize2, ZoomIn, ZoomOut } from 'lucide-react';
import { useMemo } from 'react';
import { Glyph } from '../shared/Glyph';
import { Segments } from '../shared/Segments';
import { formatTime } from '../shared/time';
import { transportMics } from '../workbench/engine';
import { focusedMic, useBench } from '../workbench/store';
import { BeginWith } from './BeginWith';
import { CarryOver } from './CarryOver';
import { DebleedPanel } from './DebleedPanel';
import { Figures } from './Figures';
import { GatePanel } from './GatePanel';
import { SpectrumLegend } from './SpectrumLayer';
import { SlicePanel } from './SlicePanel';
import { TailPanel } from './TailPanel';
import { Tiles } from './Tiles';
import { PartsPanel } from './PartsPanel';
import { SecondTreatment } from './SecondTreatment';
import { Closings } from './Closings';
import { Overview } from './Overview';
import { GAIN_LINE_UP_TO, Waveform } from './Waveform';
import { zoomAtHeard } from '../workbench/commands';
import { fitView } from './viewMoves';

const square = 'grid size-7 place-items-center rounded-[7px] border border-line2 bg-sheet hover:border-ink';

export function Clean() {
  const focus = useBench((s) => s.focus);
  const mic = useBench(focusedMic);
  const data = useBench((s) => s.data);
  const order = useBench((s) => s.plan?.order);
  const byHits = useBench((b) => focusedMic(b)?.treatment.gate.keyBy === 'hits' || !focusedMic(b)?.treatment.gate.on);
  const panel = useBench((s) => s.panel);
  const tiles = useBench((s) => s.tiles);
  const carrying = useBench((s) => s.carrying);
  const view = useBench((s) => s.view);
  const loop = useBench((s) => s.loop);
  const scale = useBench((s) => s.waveScale);
  const spectrum = useBench((s) => s.spectrum);
  const loading = useBench((s) => s.previewLoading);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the audio of a mic changes only with files and order, not with every edit
  const audio = useMemo(() => transportMics(useBench.getState()).find((m) => m.id === focus), [data, order, focus]);
  if (!mic || !audio || !data) return null;
  const rate = data.recording.sampleRate ?? 48000;
  const frames = data.recording.frames;
  // of a long view milliseconds say nothing, and a mic's name needs the room
  const digits = view.to - view.from > 10 * rate ? 1 : 3;
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[1fr_284px]">
      <main className="flex min-h-0 min-w-0 flex-col gap-2 px-4 py-2.5">
        <header className="flex h-8 items-center gap-2 max-[1180px]:gap-1.5">
          <Glyph role={mic.role} size={20} />
          <h1 className="truncate font-head text-lg font-bold" title={mic.file}>{mic.name}</h1>
          <BeginWith />
          <button type="button" onClick={() => useBench.setState({ carrying: true })} title="Carry this treatment to sibling mics (O)" aria-label="Carry over to other mics" className={`${square} shrink-0`}>
            <CopyPlus aria-hidden="true" size={14} />
          </button>
          <SecondTreatment />
          <span className="flex-1" />
          {loading !== null ? (
            <span role="status" className="num whitespace-nowrap text-sm text-doubt">
              reading {Math.round(loading * 100)} %
            </span>
          ) : (
            <span className="num whitespace-nowrap text-ink2 max-[1180px]:hidden" title="Time in view">
              {formatTime(view.from / rate, digits)} – {formatTime(view.to / rate, digits)}
            </span>
          )}
          <Segments
            small
            label="Picture"
            value={spectrum ? 'spectrum' : scale}
            options={[
              { value: 'lifted', label: 'Lifted', hint: 'Soft sound drawn larger: thresholds down to −60 dB can be taken hold of' },
              { value: 'even', label: 'Even', hint: 'Amplitude as it is' },
              { value: 'spectrum', label: 'Spectrum', hint: 'Level by frequency over time, of what is listened to: before, after or removed (F)' },
            ]}
            onChange={(v) => useBench.setState(v === 'spectrum' ? { spectrum: true } : { waveScale: v, spectrum: false })}
          />
          <button type="button" aria-pressed={tiles} onClick={() => useBench.setState({ tiles: !tiles })} title="Every hit as a small picture (Y)" className={`flex h-7 items-center gap-1.5 rounded-[7px] border px-2 text-sm font-semibold ${tiles ? 'border-ink bg-ink text-paper' : 'border-line2 bg-sheet hover:border-ink'}`}>
            <LayoutGrid aria-hidden="true" size={14} /> <span className="max-[1180px]:sr-only">Tiles</span>
          </button>
          <div className="flex gap-1">
            <button type="button" className={square} aria-label="Zoom in" title="Zoom in at the heard place (+); wheel on the waveform zooms at the pointer" onClick={() => zoomAtHeard(0.5)}>
              <ZoomIn aria-hidden="true" size={15} />
            </button>
            <button type="button" className={square} aria-label="Zoom out" title="Zoom out (−)" onClick={() => zoomAtHeard(2)}>
              <ZoomOut aria-hidden="true" size={15} />
            </button>
            <button type="button" className={square} aria-label={loop ? 'Show the loop' : 'Show the whole song'} title={loop ? 'Show the loop (Z)' : 'Show the whole song'} onClick={() => useBench.setState({ view: loop ? fitView(loop.from, loop.to, frames) : { from: 0, to: frames } })}>
              <Maximize2 aria-hidden="true" size={14} />
            </button>
          </div>
        </header>
        <Overview audio={audio} />
        <Waveform audio={audio} />
        {tiles && <Tiles />}
        <p className="text-sm text-ink2">
          {spectrum ? (
            <SpectrumLegend />
          ) : (
            <>
              <span className="mr-4">
                <i aria-hidden="true" className="mr-1.5 inline-block h-2.5 w-3.5 bg-ink align-[-1px]" />
                kept
              </span>
              <span className="mr-4">
                <i aria-hidden="true" className="mr-1.5 inline-block h-2.5 w-3.5 bg-raw align-[-1px]" />
                taken
              </span>
              {!byHits && (
                <span className="mr-4">
                  <i aria-hidden="true" className="mr-1.5 inline-block h-0 w-4 border-t-2 border-doubt align-[3px]" />
                  level the gate hears
                </span>
              )}
              <span className="mr-4">
                <i aria-hidden="true" className="mr-1.5 inline-block h-0 w-4 border-t-2 border-hand align-[3px]" />
                gain, top is open{view.to - view.from > GAIN_LINE_UP_TO * 712 && ' (zoom in)'}
              </span>
            </>
          )}
          <span className="float-right">Wheel zooms, drag scrolls, drag the ruler to loop</span>
        </p>
      </main>
      <aside className="flex min-h-0 flex-col gap-2 overflow-y-auto border-l border-line px-3 py-2" aria-label="Settings">
        <Figures />
        <Segments
          small
          fill
          label="Treatment"
          value={panel}
          options={[
            { value: 'debleed', label: `De-bleed${mic.treatment.debleed.on ? ' ✓' : ''}`, hint: 'Takes out what the other mics explain' },
            { value: 'gate', label: `Gate${mic.treatment.gate.on ? ' ✓' : ''}`, hint: 'Turns the mic down while its key is low' },
            { value: 'slices', label: `Slices${mic.treatment.slices.on ? ' ✓' : ''}`, hint: 'Keeps stretches round the strokes' },
            { value: 'tail', label: `Tail${mic.treatment.tail.on ? ' ✓' : ''}`, hint: 'Low-pass after each stroke' },
            { value: 'parts', label: `Parts${mic.treatment.parts.on ? ' ✓' : ''}`, hint: 'What strikes and what rings on, each with its own level and equaliser' },
          ]}
          onChange={(v) => useBench.setState({ panel: v })}
        />
        {panel === 'debleed' ? <DebleedPanel /> : panel === 'gate' ? <GatePanel /> : panel === 'slices' ? <SlicePanel /> : panel === 'parts' ? <PartsPanel /> : <TailPanel />}
        {panel === 'tail' && <Closings />}
        <CarryOver open={carrying} onOpen={(v) => useBench.setState({ carrying: v })} />
      </aside>
    </div>
  );
}
