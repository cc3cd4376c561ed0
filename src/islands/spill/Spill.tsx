/** The spill map: how loud and how late every drum is in every mic, what a cell rests on, and what each mic calls for. */
import { Download, Play } from 'lucide-react';
import { toast } from 'sonner';
import { useEffect, useMemo, useState } from 'react';
import { counted } from '../../core/params/format';
import { heardBands } from '../../core/hits/kinds';
import type { Plan } from '../../core/plan/plan';
import { REST } from '../../core/params/debleedParams';
import { type ListedHit, countsFor, listHits } from '../../core/plan/planHits';
import { byKit, roleOf } from '../../core/plan/roles';
import type { SpillRow } from '../../core/spill/spillMap';
import { spillMatrix, strokeBandInMic, verdicts } from '../../core/spill/verdict';
import { DebleedJob } from '../clean/DebleedJob';
import { drumLabel } from '../hits/hitsState';
import { loadAnalysis } from '../hits/Hits';
import { Glyph } from '../shared/Glyph';
import { Segments } from '../shared/Segments';
import { signed } from '../shared/time';
import { offersProposal } from '../workbench/proposing';
import { ProposeButton } from '../workbench/ProposeButton';
import { sourceLabel } from '../clean/TakeOut';
import { describe, request } from '../shared/api';
import { useKept } from '../shared/kept';
import { fetchImage, goTo, playOnce, togglePlay } from '../workbench/engine';
import { useBench } from '../workbench/store';
import { MicCall, sharesOf } from './MicCall';
import { SpectrumChart } from './SpectrumChart';
import { Strokes } from './Strokes';
import { loneliest, stretchOf } from './strokes';

const DARKEST_DB = 0;
const LIGHTEST_DB = -48;

/** Drums that have a close mic; cymbals are told apart together, as the rest. */
const MODELLED = (plan: Plan) => plan.order.map((id) => roleOf(plan.mics[id].role)).filter((r) => r.group === 'close').map((r) => r.drum);

interface Cell {
  mic: number;
  drum: number;
}

/** Hears a stroke in one mic, raw, in a loop. */
function hear(plan: Plan, micId: string, stroke: ListedHit) {
  const { from, to } = stretchOf(plan, stroke);
  useBench.setState({ focus: micId, alone: true, listen: 'before', keyListen: false, loop: { from, to }, loopOn: true });
  goTo(from);
  if (!useBench.getState().playing) togglePlay();
}

/** Hears what that drum alone adds to the mic there, as the model tells it apart. */
async function hearImage(plan: Plan, micId: string, drum: string, stroke: ListedHit | null): Promise<void> {
  const { from } = stroke ? stretchOf(plan, stroke) : { from: 0 };
  const { samples, quick } = await fetchImage(micId, drum, from, Math.min(plan.frames, from + 2 * plan.sampleRate));
  if (useBench.getState().playing) togglePlay();
  playOnce(samples as Float32Array<ArrayBuffer>);
  if (quick) toast('Told apart in a hurry', { description: 'From a few seconds only; compute de-bleed for the best that can be had.' });
}

const SPILL_OF = { planned: 'Kit as planned', with: 'With its spill', without: 'Without' } as const;

/** Image of a drum in a mic: heard for a moment, computed for the song, saved. */
function ImageRow({ plan, micId, source, stroke }: { plan: Plan; micId: string; source: string; stroke: ListedHit | null }) {
  const id = useBench((s) => s.id);
  const content = useBench((s) => s.data?.images[micId]?.[source] ?? null);
  const job = useBench((s) => s.debleed?.images.find((j) => (j.input as { micId: string }).micId === micId && (j.input as { source: string }).source === source) ?? null);
  const spillOf = useBench((s) => s.spillOf);
  const kept = useBench((s) => s.data?.debled[micId] ?? null);
  const [busy, setBusy] = useState(false);
  const tell = (e: unknown) => {
    const { title, text } = describe(e);
    toast.error(title, { description: text });
  };
  const listen = (v: keyof typeof SPILL_OF) => {
    useBench.setState({ focus: micId, spillOf: v, alone: false, listen: 'after', keyListen: false });
    if (!useBench.getState().playing) togglePlay();
  };
  return (
    <div className="flex flex-wrap items-center gap-2 pb-1">
      <button
        type="button"
        className="btn"
        disabled={busy}
        title="What the model takes for this drum in this mic, at the chosen stroke"
        onClick={() => {
          setBusy(true);
          hearImage(plan, micId, source, stroke).catch(tell).finally(() => setBusy(false));
        }}
      >
        <Play aria-hidden="true" size={13} /> {busy ? 'Computing…' : `${sourceLabel(source)} alone`}
      </button>
      {content ? (
        <a className="btn" href={`/bulk/recordings/${id}/image?${new URLSearchParams({ mic: micId, source })}`} download>
          <Download aria-hidden="true" size={13} /> Save as WAV
        </a>
      ) : job && job.state !== 'failed' ? (
        <span role="status" className="flex items-center gap-1.5 text-sm text-ink2">
          <progress aria-label="Image" max={1} value={job.progress} className="h-1.5 w-14" /> for the song
        </span>
      ) : (
        <button type="button" className="btn" title="The whole song, to be saved or to let this drum stay in part; needs de-bleed" onClick={() => void request('POST', `/api/recordings/${id}/images`, { micId, source }).catch(tell)}>
          Compute for the song
        </button>
      )}
      {!content && job?.state === 'failed' && (
        <span role="alert" className="text-sm text-doubt">
          The last try failed: {job.error?.message}
        </span>
      )}
      <span className="ml-auto flex items-center gap-1.5 text-sm text-ink2">
        {plan.mics[micId].name}:
        <Segments
          small
          label="The kit, this mic as planned, with its spill or without"
          value={spillOf}
          disabled={!kept}
          options={(Object.keys(SPILL_OF) as (keyof typeof SPILL_OF)[]).map((value) => ({ value, label: SPILL_OF[value], hint: kept ? 'Plays the whole kit' : 'Compute de-bleed first' }))}
          onChange={listen}
        />
      </span>
    </div>
  );
}

export function Spill() {
  const plan = useBench((s) => s.plan);
  const analysis = useBench((s) => s.analysis);
  const debled = useBench((s) => s.data?.debled);
  const focus = useBench((s) => s.focus);
  const base = useBench((s) => s.base);
  const offers = useMemo(() => base !== null && offersProposal(base, debled), [base, debled]);
  const [show, setShow] = useKept<'level' | 'delay'>('spill.show', 'level');
  const [chosen, setChosen] = useState<Cell | null>(null);
  /** A stroke that was chosen; else the one that stands most alone. */
  const [picked, setPicked] = useState<{ drum: string; id: string } | null>(null);
  useEffect(() => {
    void loadAnalysis();
    window.addEventListener('fresh-gap:jobs', loadAnalysis);
    return () => {
      window.removeEventListener('fresh-gap:jobs', loadAnalysis);
      // elsewhere the mic is heard as planned
      useBench.setState({ spillOf: 'planned' });
    };
  }, []);
  const spill: readonly SpillRow[] = useMemo(() => [...(analysis?.spill ?? [])].sort((a, b) => byKit(a.drum, b.drum)), [analysis?.spill]);
  const rings = analysis?.rings;
  // maps of an older analysis lack levels that compare
  const fits = plan !== null && spill.length > 0 && spill.every((r) => r.mics.length === plan.order.length && r.strokeDb !== undefined);
  const matrix = useMemo(() => (plan && fits ? spillMatrix(spill, plan.order.map((id) => roleOf(plan.mics[id].role).drum)) : []), [plan, fits, spill]);
  const calls = useMemo(() => (plan && fits ? verdicts(plan, spill, rings, sharesOf(debled)) : []), [plan, fits, spill, rings, debled]);
  const at = useMemo<Cell | null>(() => {
    if (chosen || !plan || !fits) return chosen;
    // the loudest spill of the focused mic
    const mic = Math.max(0, plan.order.indexOf(focus));
    const own = roleOf(plan.mics[plan.order[mic]].role).drum;
    const drum = spill.map((r, d) => ({ d, db: r.drum === own ? -999 : matrix[mic][d] })).sort((a, b) => b.db - a.db)[0]?.d ?? 0;
    return { mic, drum };
  }, [chosen, plan, fits, focus, spill, matrix]);
  const drumAt = at && fits ? spill[at.drum].drum : null;
  // biome-ignore lint/correctness/useExhaustiveDependencies: of the plan only its hits matter
  const stroke = useMemo(() => {
    if (!plan || !drumAt) return null;
    return listHits(plan, drumAt).find((h) => picked?.drum === h.drum && picked.id === h.id) ?? loneliest(plan, drumAt);
  }, [plan?.hits, plan?.thresholds, drumAt, picked]);
  const lines = useMemo(() => {
    if (!plan || !at || !fits) return [];
    const own = roleOf(plan.mics[plan.order[at.mic]].role).drum;
    const bands = Array.from({ length: analysis?.bandsHz.length ? analysis.bandsHz.length - 1 : 0 }, (_, b) => b);
    const row = (d: number) => ({ label: drumLabel(spill[d].drum), db: bands.map((b) => (heardBands(spill[d].drum).includes(b) ? strokeBandInMic(spill[d], at.mic, b) : null)) });
    const o = spill.findIndex((r) => r.drum === own);
    return o >= 0 && o !== at.drum ? [row(o), row(at.drum)] : [row(at.drum)];
  }, [plan, at, fits, spill, analysis?.bandsHz]);
  if (!plan) return null;
  if (!fits || !at) {
    return (
      <div className="grid flex-1 place-items-center">
        <div className="max-w-sm text-center">
          <p className="font-head text-lg font-bold">No map yet</p>
          <p className="mt-1 text-ink2">It is drawn from the hits. Find them in the Hits view; after files or roles changed, find them again.</p>
        </div>
      </div>
    );
  }
  const micId = plan.order[at.mic];
  const row = spill[at.drum];
  const entry = row.mics[at.mic];
  const own = roleOf(plan.mics[micId].role).drum;
  const delayWords = entry.delayMs === null ? 'no clear delay' : Math.abs(entry.delayMs) < 0.05 ? 'at the same time' : `${Math.abs(entry.delayMs).toFixed(2)} ms ${entry.delayMs < 0 ? 'earlier' : 'later'} than its own mic`;
  const { strokes } = countsFor(plan, row.drum);
  const choose = (h: ListedHit) => {
    setPicked({ drum: h.drum, id: h.id });
    hear(plan, micId, h);
  };
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[1fr_284px]">
      <main className="flex min-h-0 min-w-0 flex-col gap-2 px-4 py-2.5">
        <header className="flex h-8 items-center gap-3">
          <h1 className="whitespace-nowrap font-head text-lg font-bold">What each mic hears</h1>
          <span className="truncate text-ink2">{show === 'level' ? "dB against a medium stroke of the mic's own drum; darker is louder" : "ms after the drum's own mic"}</span>
          <span className="flex-1" />
          <Segments small label="Shown" value={show} options={[{ value: 'level', label: 'Level' }, { value: 'delay', label: 'Delay' }]} onChange={setShow} />
        </header>
        <div className="min-h-0 overflow-y-auto">
          <table className="w-full table-fixed border-separate border-spacing-[3px]">
            <thead>
              <tr>
                <th className="w-[132px]">
                  <span className="sr-only">Mic</span>
                </th>
                {spill.map((r) => (
                  <th key={r.drum} scope="col" className="pb-0.5 text-sm font-semibold">
                    <span className="flex flex-col items-center gap-0.5">
                      <Glyph role={r.drum} size={18} />
                      {drumLabel(r.drum)}
                    </span>
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {plan.order.map((id, m) => {
                const mic = plan.mics[id];
                const mine = roleOf(mic.role).drum;
                return (
                  <tr key={id}>
                    <th scope="row" className="truncate text-left font-normal">
                      <span className="flex items-center gap-2">
                        <Glyph role={mic.role} size={16} /> <span className="truncate">{mic.name}</span>
                      </span>
                    </th>
                    {spill.map((r, d) => {
                      const isOwn = r.drum === mine;
                      const db = matrix[m][d];
                      const share = Math.max(0, Math.min(1, (db - LIGHTEST_DB) / (DARKEST_DB - LIGHTEST_DB)));
                      const delay = r.mics[m].delayMs;
                      const text = show === 'delay' ? (delay === null ? '–' : signed(delay)) : isOwn ? 'own' : signed(Math.round(db), 0);
                      const here = at.mic === m && at.drum === d;
                      return (
                        <td key={r.drum} className="p-0">
                          <button
                            type="button"
                            aria-pressed={here}
                            aria-label={`${drumLabel(r.drum)} heard in ${mic.name}: ${isOwn ? 'own drum' : `${signed(Math.round(db), 0)} dB`}`}
                            onClick={() => {
                              setChosen({ mic: m, drum: d });
                              useBench.setState({ focus: id });
                            }}
                            style={isOwn ? undefined : { background: `color-mix(in srgb, var(--hand) ${Math.round(52 * share)}%, var(--paper))` }}
                            className={`num h-[26px] w-full rounded-[6px] text-sm ${isOwn ? 'bg-ink text-paper' : 'text-ink'} ${here ? 'outline-2 outline-hand' : ''}`}
                          >
                            {text}
                          </button>
                        </td>
                      );
                    })}
                  </tr>
                );
              })}
            </tbody>
          </table>
        </div>
        <section className="card flex min-h-[225px] flex-1 flex-col px-3 py-2" aria-label="What the cell rests on">
          <header className="flex items-center gap-2">
            <h2 className="font-head text-base font-bold">
              {drumLabel(row.drum)} heard in {plan.mics[micId].name}
            </h2>
            <span className="truncate text-sm text-ink2">
              {own === row.drum ? 'its own drum' : `${signed(matrix[at.mic][at.drum])} dB`} · {delayWords}
              {entry.polarity < 0 ? ' · upside down' : ''} · from {row.strokes} sure of {counted(strokes, 'stroke')}
            </span>
            <button type="button" className="btn ml-auto" disabled={!stroke} onClick={() => stroke && hear(plan, micId, stroke)} title="The chosen stroke in this mic as it came, in a loop">
              <Play aria-hidden="true" size={13} /> Hear it here
            </button>
          </header>
          <ImageRow plan={plan} micId={micId} source={MODELLED(plan).includes(row.drum) ? row.drum : REST} stroke={stroke} />
          {stroke && <Strokes plan={plan} drum={row.drum} micName={plan.mics[micId].name} sure={row.strokes} chosen={stroke} onHear={(h) => choose(h)} />}
          <div className="relative min-h-0 flex-1">
            <SpectrumChart lines={lines} edges={analysis?.bandsHz ?? []} />
          </div>
          <p className="text-xs text-ink2">
            {lines.length === 2 ? (
              <>
                Solid: {lines[0].label}, a medium stroke. Dashed: {lines[1].label}. Where the dashed line is higher, no filter of the key helps.
              </>
            ) : (
              'A medium stroke by band, against its loudest.'
            )}
          </p>
        </section>
      </main>
      <aside className="flex min-h-0 flex-col gap-1 overflow-y-auto border-l border-line px-3 py-2" aria-label="What it calls for">
        <h2 className="font-head text-lg font-bold">What it calls for</h2>
        <DebleedJob />
        {offers && <ProposeButton />}
        <p className="text-xs text-ink2">Gaps: its drum is silent. Tails: its drum rings on.</p>
        <ul className="divide-y divide-line">
          {calls.map((v) => (
            <MicCall key={v.micId} verdict={v} mic={plan.mics[v.micId]} plan={plan} debled={debled?.[v.micId]} />
          ))}
        </ul>
      </aside>
    </div>
  );
}
