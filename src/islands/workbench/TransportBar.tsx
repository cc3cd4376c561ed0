/** The ear and the transport, always in the same place. */
import { Pause, Play, Repeat, Volume2 } from 'lucide-react';
import { Slider } from 'radix-ui';
import { useEffect, useRef } from 'react';
import type { Listen } from '../../engine/protocol';
import { Segments } from '../shared/Segments';
import { formatTime, signed } from '../shared/time';
import { Toggle } from '../shared/Toggle';
import { evenedDb, heardAt, louderBy, togglePlay } from './engine';
import { OutMeter, showText } from './Meter';
import { focusedMic, useBench } from './store';

const LISTEN: readonly { value: Listen; label: string; hint: string }[] = [
  { value: 'before', label: 'Before', hint: 'Raw, as recorded (Q)' },
  { value: 'after', label: 'After', hint: 'Cleaned (W)' },
  { value: 'removed', label: 'Removed', hint: 'Only what was taken (E)' },
];

function Clock() {
  const ref = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    let id = 0;
    const draw = () => {
      id = requestAnimationFrame(draw);
      const rate = useBench.getState().data?.recording.sampleRate ?? 48000;
      if (ref.current) showText(ref.current, formatTime(heardAt() / rate));
    };
    draw();
    return () => cancelAnimationFrame(id);
  }, []);
  return <span ref={ref} className="num w-[124px] text-xl" role="timer" aria-label="Heard place" />;
}

export function TransportBar() {
  const s = useBench();
  const mic = focusedMic(s);
  const ready = s.plan !== null;
  const evened = evenedDb(s);
  return (
    <footer className="flex h-16 shrink-0 items-center gap-4 max-[1180px]:gap-2 border-t border-ink bg-sheet px-[18px]">
      <button type="button" disabled={!ready} onClick={togglePlay} aria-label={s.playing ? 'Stop' : 'Play'} title={`${s.playing ? 'Stop' : 'Play'} (Space)`} className="grid size-[38px] shrink-0 place-items-center rounded-full bg-ink text-paper disabled:opacity-40">
        {s.playing ? <Pause aria-hidden="true" size={17} fill="currentColor" /> : <Play aria-hidden="true" size={17} fill="currentColor" className="ml-0.5" />}
      </button>
      <div className="relative">
        <Clock />
        {s.playing && s.buffering && (
          <span role="status" className="absolute -bottom-3 left-0 text-xs font-semibold text-doubt">
            buffering ...
          </span>
        )}
      </div>
      <button
        type="button"
        disabled={!ready}
        aria-pressed={s.loopOn}
        title="Loop (L). Drag on the ruler to set it"
        onClick={() => (s.loop ? useBench.setState({ loopOn: !s.loopOn }) : useBench.setState({ loop: { from: Math.round(s.view.from), to: Math.round(s.view.to) }, loopOn: true }))}
        className={`btn ${s.loopOn ? 'border-hand bg-hand-soft font-semibold' : ''}`}
      >
        <Repeat aria-hidden="true" size={14} /> Loop
      </button>
      <span className="flex-1" />
      <Segments label="What is heard" value={s.listen} options={LISTEN} onChange={(listen) => useBench.setState({ listen })} disabled={!ready} />
      <Segments
        label="Who is heard"
        value={s.alone ? 'alone' : 'kit'}
        options={[
          { value: 'alone', label: 'Alone', hint: `Only ${mic?.name ?? 'the mic in focus'} (A)` },
          { value: 'kit', label: 'In the kit', hint: 'All mics, with solo and mute (A)' },
        ]}
        onChange={(v) => useBench.setState({ alone: v === 'alone' })}
        disabled={!ready}
      />
      {s.keyListen && (
        <button type="button" className="btn border-hand bg-hand font-semibold text-on-hand" onClick={() => useBench.setState({ keyListen: false })} title="What the gate hears is played instead of the mics (K)">
          Hearing the key
        </button>
      )}
      <span className="flex-1" />
      <div
        className="flex items-center gap-1.5"
        title="All sounds as loud after as before, so that louder does not pass for better, by loudness (ITU-R BS.1770): one mic alone over the song, the kit over what was heard of it. Never in what is delivered (Shift W)"
      >
        <Toggle label="Equal loudness" checked={s.equal} onChange={(equal) => useBench.setState({ equal })} />
        <span className="text-xs leading-[13px] text-ink2 max-[1180px]:hidden">
          Equal loudness
          <br />
          <span className="num" data-testid="evened">{!s.equal ? 'off' : louderBy(s) ? `${evened > 0 ? '+' : ''}${signed(evened)} dB` : s.alone || s.playing ? 'measuring' : 'once it plays'}</span>
        </span>
      </div>
      <div className="flex items-center gap-2" title="Loudness of what is heard; never part of what is delivered">
        <Volume2 aria-hidden="true" size={16} className="text-ink2" />
        <Slider.Root min={-40} max={6} step={0.5} value={[s.monitorDb]} onValueChange={([monitorDb]) => useBench.setState({ monitorDb })} onDoubleClick={() => useBench.setState({ monitorDb: -6 })} className="relative flex h-6 w-[70px] touch-none items-center">
          <Slider.Track className="relative h-[3px] grow rounded bg-line">
            <Slider.Range className="absolute h-full rounded bg-ink" />
          </Slider.Track>
          <Slider.Thumb aria-label="Listening level" aria-valuetext={`${signed(s.monitorDb)} dB`} className="block h-[15px] w-[9px] rounded-[4px] border-[1.5px] border-ink bg-sheet" />
        </Slider.Root>
        <span className="num w-[62px] whitespace-nowrap text-right text-sm text-ink2">{signed(s.monitorDb)} dB</span>
      </div>
      <OutMeter />
    </footer>
  );
}
