/** Attack part and note part of the focused mic: where one gives way to the other, how loud each is, four bands each, each alone to be heard. */
import { formatNumber } from '../../core/params/format';
import { PARTS_DEFAULTS, PARTS_PARAMS, type PartsSettings, bandOf } from '../../core/params/partsParams';
import { sameJson } from '../../core/plan/edits';
import { countedHits } from '../../core/plan/live';
import { roleOf } from '../../core/plan/roles';
import { editParts } from '../../core/plan/sliceEdits';
import { Segments } from '../shared/Segments';
import { Toggle } from '../shared/Toggle';
import { signed } from '../shared/time';
import { useKept } from '../shared/kept';
import { commit, endGesture, focusedMic, sketch, useBench } from '../workbench/store';
import { Fold } from './Fold';
import { ParamRow } from './ParamRow';

type NumberId = Exclude<keyof PartsSettings, 'on'>;
const BANDS = ['Low shelf', 'First bell', 'Second bell', 'High shelf'] as const;
const SPLIT: readonly NumberId[] = ['attackMs', 'overMs', 'steadyDb'];

const equaliserNote = (s: PartsSettings, part: 'a' | 'n') => {
  const moved = ([1, 2, 3, 4] as const).map((n) => bandOf(s, part, n)).filter((b) => b.db !== 0);
  return moved.length ? moved.map((b) => `${signed(b.db)} at ${b.hz >= 1000 ? `${(b.hz / 1000).toFixed(1)} k` : Math.round(b.hz)}`).join(', ') : 'flat';
};

/** What is unfolded at first. */
const OPEN = { a: false, n: false };

export function PartsPanel() {
  const focus = useBench((s) => s.focus);
  const mic = useBench(focusedMic);
  const plan = useBench((s) => s.plan);
  const hear = useBench((s) => s.hearPart);
  const [open, setOpen] = useKept('parts.open', OPEN);
  if (!mic || !plan) return null;
  const s = mic.treatment.parts;
  const put = (patch: Partial<PartsSettings>) => commit(editParts(useBench.getState().base ?? plan, focus, patch));
  const drum = roleOf(mic.role).drum;
  const strokes = drum ? (countedHits(plan).get(drum)?.length ?? 0) : 0;
  const row = (id: NumberId, label?: string) => (
    <ParamRow
      key={id}
      id={id}
      param={label ? { ...PARTS_PARAMS[id], label } : PARTS_PARAMS[id]}
      value={s[id]}
      onMove={(v) => sketch((base) => editParts(base, focus, { [id]: v }))}
      onEnd={endGesture}
    />
  );
  const bands = (part: 'a' | 'n') => (
    <>
      {BANDS.map((name, i) => {
        const n = (i + 1) as 1 | 2 | 3 | 4;
        return (
          <fieldset key={name} className="border-t border-line first:border-t-0">
            <legend className="sr-only">{name}</legend>
            <p className="pt-1 text-xs font-semibold text-ink2">{name}</p>
            {row(`${part}${n}Hz`, n === 1 || n === 4 ? 'Corner' : 'Frequency')}
            {row(`${part}${n}Db`, 'Gain')}
            {(n === 2 || n === 3) && row(`${part}${n}Q`, 'Width')}
          </fieldset>
        );
      })}
    </>
  );
  return (
    <section aria-label="Attack and note" className="card border-[1.5px] border-ink px-3 pb-2">
      <header className="flex h-8 items-center gap-2">
        <Toggle label={`Attack and note of ${mic.name}`} checked={s.on} onChange={(on) => put({ on })} title="Attack and note on or off (Shift+D)" />
        <h2 className="whitespace-nowrap font-head text-base font-bold">Attack and note</h2>
        <button type="button" disabled={sameJson(s, PARTS_DEFAULTS)} onClick={() => put(PARTS_DEFAULTS)} className="ml-auto h-6 rounded-[6px] px-1.5 text-sm hover:bg-soft disabled:opacity-45" title="Every setting back to its default, off">
          Restore
        </button>
      </header>
      <div className="border-t border-line pb-1 pt-1.5">
        <Segments
          small
          fill
          label="Heard"
          value={hear}
          disabled={!s.on}
          options={[
            { value: 'both', label: 'Both parts', hint: 'As it is delivered' },
            { value: 'attack', label: 'Attack alone', hint: 'Only while listening: what is delivered is always both' },
            { value: 'note', label: 'Note alone', hint: 'Only while listening: what is delivered is always both' },
          ]}
          onChange={(hearPart) => useBench.setState({ hearPart })}
        />
      </div>
      {row('attackDb')}
      {row('noteDb')}
      <p className="border-t border-line pt-1 text-xs font-semibold text-ink2">Where one gives way to the other</p>
      {SPLIT.map((id) => row(id))}
      <Fold title="Attack equaliser" note={equaliserNote(s, 'a')} open={open.a} onOpen={(a) => setOpen((o) => ({ ...o, a }))}>
        {bands('a')}
      </Fold>
      <Fold title="Note equaliser" note={equaliserNote(s, 'n')} open={open.n} onOpen={(n) => setOpen((o) => ({ ...o, n }))}>
        {bands('n')}
      </Fold>
      <p className="border-t border-line pt-1 text-xs text-ink2">
        {strokes === 0 ? 'No own hits: all of it counts as note.' : `Split at ${strokes} own hits, by medians over time and frequency. At ${formatNumber(PARTS_PARAMS.attackDb, 0)} and flat, both sum to the mic as it came.`}
      </p>
    </section>
  );
}
