/** What the settings come to, in numbers, before they are heard. */
import { type ReactNode, useMemo } from 'react';
import { isUntouched } from '../../core/plan/plan';
import { ProposeButton } from '../workbench/ProposeButton';
import { offersProposal } from '../workbench/proposing';
import { signed } from '../shared/time';
import { focusedMic, useBench } from '../workbench/store';

/** Counts of a long song stand on one line, too. */
const sizeOf = (value: string) => (value.length > 7 ? 'text-[11px] tracking-tight' : value.length > 5 ? 'text-[12.5px]' : 'text-[15px]');

function Cell(p: { label: string; value: string; unit: string; title: string }) {
  return (
    <div className="px-2 py-[3px]" title={p.title}>
      <dt className="text-xs text-ink2">{p.label}</dt>
      <dd className={`num whitespace-nowrap leading-5 ${sizeOf(p.value)}`}>
        {p.value} <span className="text-xs text-ink2">{p.unit}</span>
      </dd>
    </div>
  );
}

/** Four figures, two by two. */
const Card = (p: { busy: boolean; children: ReactNode }) => (
  <dl className="card grid grid-cols-2 [&>div]:border-line [&>div:nth-child(2n+1)]:border-r [&>div:nth-child(-n+2)]:border-b" aria-busy={p.busy} data-testid="figures">
    {p.children}
  </dl>
);

export function Figures() {
  const figures = useBench((s) => (s.preview?.micId === s.focus ? s.preview.figures : null));
  const on = useBench((s) => {
    const t = focusedMic(s)?.treatment;
    return !!t && (t.gate.on || t.slices.on);
  });
  const spill = useBench((s) => (s.preview?.micId === s.focus ? s.preview.debleed : null));
  const freed = useBench((s) => !!focusedMic(s)?.treatment.debleed.on && s.data?.debled[s.focus] !== undefined);
  const loading = useBench((s) => s.previewLoading);
  const strokes = useBench((s) => (s.preview?.micId === s.focus ? s.preview.strokes : null));
  const untouched = useBench((s) => {
    const mic = focusedMic(s);
    return !!mic && isUntouched(mic.treatment);
  });
  const base = useBench((s) => s.base);
  const debled = useBench((s) => s.data?.debled);
  const offers = useMemo(() => untouched && base !== null && offersProposal(base, debled), [untouched, base, debled]);
  const waits = useBench((s) => s.proposing) && offers;
  if (untouched)
    return (
      <div className="card flex min-h-[84px] flex-col justify-center gap-1.5 px-2.5 py-2" data-testid="figures">
        {!waits && <p className="text-xs text-ink2">{offers ? 'As it came. Turn something on below, or:' : 'As it came: nothing is proposed for it. Turn on below what it needs.'}</p>}
        {offers && <ProposeButton meter />}
      </div>
    );
  if (!on && !freed)
    return (
      <div className="card grid min-h-[84px] items-center px-2.5 py-2" data-testid="figures">
        <p className="text-xs text-ink2">No figures: they are of de-bleed, gate and slices, and none of these is heard on this mic.</p>
      </div>
    );
  const own = strokes && strokes.strokes > 0 ? strokes : null;
  if (!on)
    return (
      <Card busy={loading !== null}>
        <Cell label="Taken in gaps" value={signed(spill?.gapsDb ?? null)} unit="dB" title="By de-bleed: level against the raw mic where the drum has rung out" />
        <Cell label="Taken in tails" value={signed(spill?.tailsDb ?? null)} unit="dB" title="By de-bleed: level against the raw mic 60 to 400 ms after own strokes, where the drum's own ring stays" />
        <Cell label="Attacks" value={signed(spill?.attackDb ?? null)} unit="dB" title="By de-bleed: level against the raw mic in the first 10 ms of own strokes; near 0 is right" />
        <Cell label="Own strokes" value={own ? String(own.strokes) : '–'} unit="" title="Hits of the mic's own drum that count; with de-bleed alone nothing closes between them" />
      </Card>
    );
  const f = figures;
  return (
    <Card busy={loading !== null}>
      <Cell label="Taken while closed" value={signed(f?.takenDb ?? null)} unit="dB" title="Energy that is taken out of the stretches where it is closed; fades are not counted" />
      <Cell label="Openings" value={f ? String(f.openings) : '–'} unit={f ? `${Math.round(f.openShare * 100)} % open` : ''} title="How often the gate opens in the song, and for how much of it it stays open" />
      {own ? (
        <>
          <Cell label="Strokes kept, attack" value={`${own.strokes - own.lost}/${own.strokes}`} unit={own.attackDb === null ? '' : `${signed(own.attackDb)} dB`} title="Own hits whose first 20 ms lose less than 10 dB, and how the level of their first 10 ms changes" />
          <Cell label="Opened by spill" value={String(own.foreignOpenings)} unit="times" title="Openings in which none of the drum's own hits lies" />
        </>
      ) : (
        <>
          <Cell label="Loudest left out" value={signed(f?.loudestClosedDb ?? null)} unit="dBFS" title="Highest peak while the gate is closed: spill, or a stroke that was lost?" />
          <Cell label="Softest let in" value={signed(f?.softestOpenDb ?? null)} unit="dBFS" title="Peak of the softest opening: a soft stroke, or spill that opened the gate?" />
        </>
      )}
    </Card>
  );
}
