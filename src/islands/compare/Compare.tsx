/** Step Compare: what became of every treated mic, side by side, and the places at which each is worth a listen. */
import { Play } from 'lucide-react';
import { useEffect, useMemo, useRef, useState } from 'react';
import { counted } from '../../core/params/format';
import { type Place, type PlaceKind, placesOf } from '../../core/measure/places';
import { LOST_DB } from '../../core/measure/strokeFigures';
import { type Plan, isUntouched } from '../../core/plan/plan';
import type { MicAudio } from '../../engine/blocks';
import { drawWave } from '../clean/drawWave';
import { usePalette } from '../clean/usePalette';
import { useSize } from '../clean/useSize';
import { columnsFromPyramid, peakLevels } from '../clean/waveData';
import { Glyph } from '../shared/Glyph';
import { formatTime, signed } from '../shared/time';
import { goTo, togglePlay, transportMics } from '../workbench/engine';
import type { Step } from '../workbench/steps';
import { useBench } from '../workbench/store';
import { treatmentWords } from '../workbench/treatmentWords';
import { Closer } from './Closer';
import { type Outcome, followOutcomes, useOutcomes } from './outcomes';

const BEFORE_S = 0.3;
const AFTER_S = 0.9;

const PLACE_WORDS: Record<PlaceKind, { label: string; unit: string }> = {
  lost: { label: 'Stroke lost', unit: 'dB' },
  changed: { label: 'Attack changed most', unit: 'dB' },
  softest: { label: 'Softest stroke left', unit: 'dBFS' },
  left: { label: 'Loudest left between strokes', unit: 'dBFS' },
  taken: { label: 'Loudest taken between strokes', unit: 'dBFS' },
};

/** The whole song of one mic: what is left in ink, what is taken in grey. */
function Strip({ audio, outcome, name }: { audio: MicAudio; outcome: Outcome | undefined; name: string }) {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const { width, height, dpr } = useSize(box);
  const palette = usePalette();
  const frames = useBench((s) => s.data?.recording.frames ?? 1);
  const [tick, setTick] = useState(0);
  // biome-ignore lint/correctness/useExhaustiveDependencies: tick says that peaks have come
  useEffect(() => {
    const el = canvas.current;
    const [w, h] = [Math.round(width * dpr), Math.round(height * dpr)];
    const g = el?.getContext('2d');
    if (!el || !g || w < 2 || h < 2) return;
    el.width = w;
    el.height = h;
    const image = g.createImageData(w, h);
    const raw = columnsFromPyramid(peakLevels(audio, () => setTick((t) => t + 1)), 0, frames, w);
    const clean = outcome ? columnsFromPyramid(outcome.result.clean, 0, frames, w) : null;
    drawWave(new Uint32Array(image.data.buffer), w, h, { raw, clean, gain: null }, palette, 'lifted', []);
    g.putImageData(image, 0, 0);
  }, [audio, outcome, frames, width, height, dpr, palette, tick]);
  return (
    <div ref={box} className={`h-9 overflow-hidden rounded-[6px] border border-line ${outcome ? '' : 'opacity-40'}`}>
      <canvas ref={canvas} className="h-full w-full" role="img" aria-label={`${name}: what is left of it, and what is taken`} />
    </div>
  );
}

const dB = (v: number | null | undefined) => (v === null || v === undefined ? '–' : signed(v));

function Row(p: { plan: Plan; micId: string; audio: MicAudio; outcome: Outcome | undefined; stale: boolean; failed: boolean; here: boolean }) {
  const mic = p.plan.mics[p.micId];
  const o = p.outcome;
  const levels = o?.result.attacks.levels;
  const lost = o ? o.result.attacks.hits.filter((_, i) => (levels as Float32Array)[2 * i + 1] - (levels as Float32Array)[2 * i] < LOST_DB).length : 0;
  const cut = mic.treatment.gate.on || mic.treatment.slices.on;
  const cell = `num whitespace-nowrap text-right ${p.stale ? 'opacity-50' : ''}`;
  const louder = o && o.lufs.before !== null && o.lufs.after !== null ? o.lufs.after - o.lufs.before : null;
  return (
    <tr className={`[&>td]:border-t [&>td]:border-line ${p.here ? 'bg-sheet' : ''}`} data-compared={p.micId} aria-busy={!o || p.stale}>
      <td className="py-1 pl-2">
        <button type="button" aria-pressed={p.here} onClick={() => useBench.setState({ focus: p.micId })} title={`${mic.name}: hear it, and see below where it is worth a listen`} className="flex min-h-9 w-full items-center gap-2 text-left">
          <Glyph role={mic.role} size={16} />
          <span className="min-w-0">
            <span className={`block truncate ${p.here ? 'font-bold' : 'font-semibold'}`}>{mic.name}</span>
            <span className="block truncate text-xs text-ink2">{treatmentWords(p.plan, mic)}</span>
          </span>
        </button>
      </td>
      <td className="px-2">
        <Strip audio={p.audio} outcome={o} name={mic.name} />
      </td>
      {p.failed ? (
        <td colSpan={6} className="text-right text-sm text-doubt">
          could not be read
        </td>
      ) : (
        <>
          <td className={cell}>{dB(o?.whole.gapsDb)}</td>
          <td className={cell}>{dB(o?.whole.tailsDb)}</td>
          <td className={cell}>{dB(o?.whole.attackDb)}</td>
          <td className={`${cell} ${lost > 0 ? 'font-bold text-doubt' : ''}`}>{o ? `${o.result.attacks.hits.length - lost}/${o.result.attacks.hits.length}` : '–'}</td>
          <td className={`${cell} ${o && cut && o.result.strokes.foreignOpenings > 0 ? 'font-bold text-doubt' : ''}`}>{o && cut ? o.result.strokes.foreignOpenings : '–'}</td>
          <td className={`${cell} pr-2`}>{dB(louder)}</td>
        </>
      )}
    </tr>
  );
}

/** Hears a place of the focused mic in a loop, before, after or removed as it is set. */
function hear(place: Place, rate: number, frames: number): void {
  const from = Math.max(0, Math.round(place.frame - BEFORE_S * rate));
  useBench.setState({ alone: true, keyListen: false, loop: { from, to: Math.min(frames, Math.round(place.frame + AFTER_S * rate)) }, loopOn: true });
  goTo(from);
  if (!useBench.getState().playing) togglePlay();
}

function Places({ plan, micId, audio, outcome }: { plan: Plan; micId: string; audio: MicAudio; outcome: Outcome | undefined }) {
  const [tick, setTick] = useState(0);
  // biome-ignore lint/correctness/useExhaustiveDependencies: tick says that peaks have come
  const places = useMemo(() => {
    const raw = peakLevels(audio, () => setTick((t) => t + 1))[0];
    if (!raw || !outcome) return null;
    const { clean, attacks } = outcome.result;
    return placesOf({ rate: plan.sampleRate, raw, clean: clean[0], hits: attacks.hits, levels: attacks.levels, rungOut: outcome.rungOut });
  }, [audio, outcome, plan.sampleRate, tick]);
  const loop = useBench((s) => (s.loopOn ? s.loop : null));
  if (isUntouched(plan.mics[micId].treatment)) return <p className="text-ink2">Nothing was done to it: it is delivered as it came.</p>;
  if (!places) return <p className="text-ink2">They are listed once the mic is worked out.</p>;
  if (places.length === 0) return <p className="text-ink2">None: nothing of it is left or taken that one could hear.</p>;
  return (
    <ul className="flex flex-col gap-1.5">
      {places.map((x) => (
        <li key={`${x.kind}-${x.frame}`}>
          <button
            type="button"
            aria-pressed={loop !== null && loop.from <= x.frame && loop.to > x.frame}
            onClick={() => hear(x, plan.sampleRate, plan.frames)}
            className="flex w-full items-center gap-2 rounded-[8px] border border-line2 bg-sheet px-2 py-1 text-left hover:border-ink aria-pressed:border-hand"
          >
            <Play aria-hidden="true" size={13} className="shrink-0" />
            <span className="min-w-0 flex-1">
              <span className={`block truncate ${x.kind === 'lost' ? 'font-semibold text-doubt' : ''}`}>{PLACE_WORDS[x.kind].label}</span>
              <span className="num block text-xs text-ink2">
                {formatTime(x.frame / plan.sampleRate)} · {signed(x.db)} {PLACE_WORDS[x.kind].unit}
              </span>
            </span>
          </button>
        </li>
      ))}
    </ul>
  );
}

export function Compare({ onGo }: { onGo(s: Step): void }) {
  const plan = useBench((s) => s.plan);
  const data = useBench((s) => s.data);
  const focus = useBench((s) => s.focus);
  const { byMic, doing, failed } = useOutcomes();
  const order = plan?.order;
  useEffect(followOutcomes, []);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the audio of mics changes only with files and order
  const audio = useMemo(() => new Map(transportMics(useBench.getState()).map((m) => [m.id, m])), [data, order]);
  if (!plan || !data) return null;
  const [done, left] = [plan.order.filter((m) => !isUntouched(plan.mics[m].treatment)), plan.order.filter((m) => isUntouched(plan.mics[m].treatment))];
  const known = done.filter((m) => byMic[m] && m !== doing).length;
  const here = audio.get(focus);
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[1fr_284px]">
      <main className="flex min-h-0 min-w-0 flex-col gap-2 overflow-y-auto px-4 py-2.5">
        <header className="flex h-8 items-center gap-3">
          <h1 className="whitespace-nowrap font-head text-lg font-bold">What became of each mic</h1>
          <span className="flex-1" />
          {doing && plan.mics[doing] && (
            <span role="status" className="flex items-center gap-2 whitespace-nowrap text-sm text-ink2">
              <progress aria-label="Mics worked out" max={done.length} value={known} className="h-1.5 w-20" /> working out {plan.mics[doing].name}
            </span>
          )}
        </header>
        {done.length === 0 ? (
          <div className="grid flex-1 place-items-center">
            <div className="max-w-sm text-center">
              <p className="font-head text-lg font-bold">Nothing to compare yet</p>
              <p className="mb-3 mt-1 text-ink2">No mic has a treatment: all would be delivered as they came.</p>
              <button type="button" className="btn btn-ink" onClick={() => onGo('clean')}>
                Go to Clean
              </button>
            </div>
          </div>
        ) : (
          <>
            <table className="w-full table-fixed border-separate border-spacing-0">
              <thead>
                <tr className="text-xs text-ink2">
                  <th scope="col" className="w-[148px] pb-1 pl-2 text-left font-normal">Mic</th>
                  <th scope="col" className="px-2 pb-1 text-left font-normal">Left in ink, taken in grey</th>
                  <th scope="col" className="w-[58px] pb-1 text-right font-normal" title="Level against the raw mic where its drum is silent">Gaps, dB</th>
                  <th scope="col" className="w-[58px] pb-1 text-right font-normal" title="Level against the raw mic 60 to 400 ms after own strokes: the drum's ring stays, spill goes">Tails, dB</th>
                  <th scope="col" className="w-[68px] pb-1 text-right font-normal" title="Level of the first 10 ms of own strokes against the raw mic; near 0 is right">Attacks, dB</th>
                  <th scope="col" className="w-[60px] pb-1 text-right font-normal" title="Own strokes whose first 10 ms lose less than 10 dB">Strokes</th>
                  <th scope="col" className="w-[56px] pb-1 text-right font-normal" title="Openings in which none of the drum's own hits lies">By spill</th>
                  <th scope="col" className="w-[86px] pb-1 pr-2 text-right font-normal" title="Loudness of what is left against the raw mic, over what is heard of that (ITU-R BS.1770)">Loudness, dB</th>
                </tr>
              </thead>
              <tbody>
                {done.map((m) => {
                  const a = audio.get(m);
                  return a ? <Row key={m} plan={plan} micId={m} audio={a} outcome={byMic[m]} stale={doing === m} failed={failed[m] !== undefined && doing !== m} here={m === focus} /> : null;
                })}
              </tbody>
            </table>
            {left.length > 0 && (
              <p className="text-sm text-ink2">
                As {left.length === 1 ? 'it' : 'they'} came: {left.map((m) => plan.mics[m].name).join(', ')}.
              </p>
            )}
            {here && <Closer audio={here} name={plan.mics[focus].name} />}
          </>
        )}
      </main>
      <aside className="flex min-h-0 flex-col gap-2 overflow-y-auto border-l border-line px-3 py-2.5" aria-label="Places worth a listen">
        <h2 className="truncate font-head text-lg font-bold">{plan.mics[focus]?.name ?? ''}</h2>
        <p className="text-sm text-ink2">Places worth a listen, the worst first. {counted(done.length, 'mic has', 'mics have')} a treatment.</p>
        {here && plan.mics[focus] && <Places plan={plan} micId={focus} audio={here} outcome={byMic[focus]} />}
        <p className="mt-auto text-sm text-ink2">
          <kbd className="kbd">Q</kbd> before, <kbd className="kbd">W</kbd> after, <kbd className="kbd">E</kbd> removed, <kbd className="kbd">A</kbd> alone or in the kit, <kbd className="kbd">↑</kbd> <kbd className="kbd">↓</kbd> other mics, all while it plays. Equal loudness keeps louder from passing for better.
        </p>
      </aside>
    </div>
  );
}
