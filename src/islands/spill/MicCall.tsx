/** What one mic calls for: how loud others are in it, what a gate could do about that and what de-bleed does, in words and numbers. */
import type { ReactNode } from 'react';
import { kindOf } from '../../core/hits/kinds';
import { counted } from '../../core/params/format';
import type { Plan, PlanMic } from '../../core/plan/plan';
import { roleOf } from '../../core/plan/roles';
import type { CutReach, Verdict } from '../../core/spill/verdict';
import type { Workbench } from '../../server/workbench';
import { drumLabel } from '../hits/hitsState';
import { signed } from '../shared/time';
import { treatmentWords } from '../workbench/treatmentWords';

type Debled = Workbench['debled'][string];

/** Of de-bleed of the whole song: how much of it is used in each mic. */
export const sharesOf = (debled: Workbench['debled'] = {}): Record<string, number> => Object.fromEntries(Object.entries(debled).flatMap(([id, d]) => (d.stretch ? [] : [[id, d.share]])));

export function callWords(v: Verdict, role: string): string {
  if (v.call === 'stay') return 'May stay';
  if (v.call !== 'wanted' && !v.mapped) return `${counted(v.strokes, 'stroke')}, none of them sure enough for the map.`;
  if (v.call === 'wanted') return 'Spill is wanted';
  if (v.call === 'unknown') return 'No strokes found';
  const kind = kindOf(roleOf(role).drum ?? '');
  if (v.call === 'cut') return kind === 'tom' ? 'Slices at its hits' : 'Gate by its hits';
  return kind === 'hat' ? 'De-bleed' : kind === 'tom' ? 'De-bleed, then slices' : 'De-bleed, then gate';
}

function words(v: Verdict): string {
  const [first, second] = v.loudest;
  if (v.call === 'unknown') return 'Nothing can be said of it before its drum has hits.';
  if (!first) return 'No other drum is known here.';
  const near = `${drumLabel(first.drum)} ${signed(first.db)} dB${first.delayMs !== null && Math.abs(first.delayMs) >= 0.05 ? `, ${Math.abs(first.delayMs).toFixed(1)} ms ${first.delayMs < 0 ? 'earlier' : 'later'}` : ''}`;
  const also = second && second.db > -30 ? `; ${drumLabel(second.drum)} ${signed(second.db)} dB` : '';
  if (v.call === 'wanted') return `Hears the whole kit: ${near}${also}.`;
  return `${near}${also} against its own. ${counted(v.strokes, 'stroke')}${v.doubtful ? `, ${v.doubtful} in doubt` : ''}.`;
}

const Told = (p: { children: ReactNode; title: string }) => (
  <td className="num whitespace-nowrap py-px text-right" title={p.title}>
    {p.children}
  </td>
);

function Reach(p: { name: string; reach: CutReach; debled: Debled | undefined }) {
  const { gapsDb, closed, tails, struck } = p.reach;
  const taken = (db: number | null | undefined) => (p.debled?.share === 0 || p.debled?.stretch ? '–' : `${signed(db ?? null)}${db === null || db === undefined ? '' : ' dB'}`);
  const why = !p.debled || p.debled.stretch ? 'Compute de-bleed for the song to see what it takes' : p.debled.share === 0 ? 'It would cost the drum itself: nothing is taken' : '';
  return (
    <table className="mt-0.5 w-full table-fixed text-xs leading-[15px]" aria-label={`Spill of ${p.name}`}>
      <thead className="text-ink2">
        <tr>
          <td className="w-9" />
          <th scope="col" className="text-right font-normal">spill</th>
          <th scope="col" className="text-right font-normal">a gate</th>
          <th scope="col" className="text-right font-normal">de-bleed</th>
        </tr>
      </thead>
      <tbody>
        <tr>
          <th scope="row" className="text-left font-normal text-ink2">Gaps</th>
          <Told title="Level of the mic where its drum is silent, against the drum's loudest strokes">{gapsDb === null ? '–' : `${signed(gapsDb, 0)} dB`}</Told>
          <Told title="Share of the song in which a gate by its hits would be closed, if it lets every stroke ring">{`shut ${Math.round(100 * closed)} %`}</Told>
          <Told title={why || 'Level against the raw mic where the drum is silent'}>{taken(p.debled?.gapsDb)}</Told>
        </tr>
        <tr>
          <th scope="row" className="text-left font-normal text-ink2">Tails</th>
          <Told title="Own strokes in whose ring another drum is struck that this mic hears">{`${struck} of ${tails}`}</Told>
          <Told title="While a gate is open, spill is heard with the drum">{struck ? 'leaves it' : '–'}</Told>
          <Told title={why || 'Level against the raw mic 60 to 400 ms after own strokes: the ring stays, spill goes'}>{taken(p.debled?.tailsDb)}</Told>
        </tr>
      </tbody>
    </table>
  );
}

export function MicCall(p: { verdict: Verdict; mic: PlanMic; plan: Plan; debled: Debled | undefined }) {
  const { verdict: v, mic } = p;
  return (
    <li className="py-1.5">
      <div className="flex items-center gap-2">
        <span className="truncate font-semibold">{mic.name}</span>
        <span className="ml-auto whitespace-nowrap rounded-full border border-line2 bg-sheet px-2 text-sm">{callWords(v, mic.role)}</span>
      </div>
      <p className="text-xs leading-[15px] text-ink2">
        {words(v)} {p.debled?.share === 0 && !p.debled.stretch ? 'De-bleed would cost the drum itself. ' : ''}Now: {treatmentWords(p.plan, mic)}.
      </p>
      {v.reach && <Reach name={mic.name} reach={v.reach} debled={p.debled} />}
    </li>
  );
}
