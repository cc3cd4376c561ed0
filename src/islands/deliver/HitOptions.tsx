/** What of the hits goes into the zip: MIDI with its keys and velocity curve, tick tracks, markers. */
import { useState } from 'react';
import { counted } from '../../core/params/format';
import { percussionKey } from '../../formats/midi';
import type { HitFiles } from '../../server/hitFiles';
import { drumLabel } from '../hits/hitsState';
import { Segments } from '../shared/Segments';
import { Toggle } from '../shared/Toggle';

function Line(p: { label: string; note: string; checked: boolean; onChange(v: boolean): void }) {
  return (
    <div className="flex min-h-7 items-center gap-2.5">
      <Toggle label={p.label} checked={p.checked} onChange={p.onChange} />
      <span>{p.label}</span>
      <span className="ml-auto text-xs text-ink2">{p.note}</span>
    </div>
  );
}

export function HitOptions({ drums, count, cutMics, value, onChange }: { drums: readonly string[]; count: number; cutMics: number; value: HitFiles; onChange(v: HitFiles): void }) {
  const [keysOpen, setKeysOpen] = useState(false);
  if (count === 0) return <p className="text-ink2">No hits yet: find them in step Hits, then MIDI, tick tracks and markers can be delivered.</p>;
  const put = (patch: Partial<HitFiles>) => onChange({ ...value, ...patch });
  return (
    <div className="flex flex-col gap-1">
      <Line label="MIDI file" note="a track a drum" checked={value.midi} onChange={(midi) => put({ midi })} />
      {value.midi && (
        <div className="ml-[38px] flex flex-col gap-1.5 pb-1 text-sm">
          <label className="flex items-center gap-2 text-ink2" title="Velocity is strength to this power: under 1 lifts soft strokes, over 1 lowers them">
            Velocity curve
            <input type="range" min={0.2} max={3} step={0.05} value={value.curve} onChange={(e) => put({ curve: Number(e.target.value) })} className="w-20 accent-ink" />
            <span className="num w-8 text-right text-ink">{value.curve.toFixed(2)}</span>
          </label>
          <button type="button" aria-expanded={keysOpen} className="self-start underline decoration-line2 underline-offset-3" onClick={() => setKeysOpen(!keysOpen)}>
            Keys of the drums
          </button>
          {keysOpen && (
            <div className="grid grid-cols-2 gap-x-3 gap-y-1">
              {drums.map((d) => (
                <label key={d} className="flex items-center justify-between gap-2 text-ink2">
                  {drumLabel(d)}
                  <input
                    type="number" min={0} max={127} value={value.keys[d] ?? percussionKey(d)}
                    onChange={(e) => Number.isInteger(e.target.valueAsNumber) && e.target.valueAsNumber >= 0 && e.target.valueAsNumber <= 127 && put({ keys: { ...value.keys, [d]: e.target.valueAsNumber } })}
                    className="num h-6 w-14 rounded-[5px] border border-line2 bg-transparent px-1 text-right text-ink"
                  />
                </label>
              ))}
            </div>
          )}
        </div>
      )}
      <div className="flex min-h-7 items-center justify-between gap-2" title="20 ms of each own stroke, or a synthetic tick that follows strength; hits stand in the files as cues">
        <span>Tick tracks</span>
        <Segments
          small label="Tick tracks" value={value.ticks}
          options={[{ value: 'none', label: 'None' }, { value: 'own', label: 'Own' }, { value: 'synthetic', label: 'Tick' }]}
          onChange={(ticks) => put({ ticks })}
        />
      </div>
      <Line label="Table of hits" note="CSV" checked={value.csv} onChange={(csv) => put({ csv })} />
      <Line label="Labels" note="text, a file a drum" checked={value.labels} onChange={(labels) => put({ labels })} />
      {cutMics > 0 && <Line label="Cut lists" note={`CSV and labels, ${counted(cutMics, 'mic')}`} checked={value.cuts} onChange={(cuts) => put({ cuts })} />}
      {cutMics > 0 && <Line label="Slices as files" note="WAV with time reference" checked={value.slices} onChange={(slices) => put({ slices })} />}
    </div>
  );
}
