/** The gate of the focused mic: its curve and every setting, from the parameter table. */
import { RotateCcw } from 'lucide-react';
import { editGate, sameJson } from '../../core/plan/edits';
import { counted, formatNumber } from '../../core/params/format';
import { GATE_DEFAULTS, GATE_PARAMS, type GateSettings, isHardGate } from '../../core/params/gateParams';
import { listHits } from '../../core/plan/planHits';
import { roleOf } from '../../core/plan/roles';
import { PickList } from '../shared/PickList';
import { Segments } from '../shared/Segments';
import { Toggle } from '../shared/Toggle';
import { useKept } from '../shared/kept';
import { commit, endGesture, focusedMic, sketch, useBench } from '../workbench/store';
import { CurveChart } from './CurveChart';
import { Fold } from './Fold';
import { SwitchRow } from './ChoiceRow';
import { ParamRow } from './ParamRow';

type NumberId = { [K in keyof GateSettings]: (typeof GATE_PARAMS)[K] extends { kind: 'number' } ? K : never }[keyof GateSettings];

const LEVEL: readonly NumberId[] = ['thresholdDb', 'hysteresisDb', 'rangeDb', 'ratio', 'kneeDb'];
const BY_HITS: readonly NumberId[] = ['hitMin', 'hitMax', 'softDb', 'rangeDb'];
/** A stroke's length to begin with where hits open the gate. */
const HIT_HOLD_MS = 250;
const TIME: readonly NumberId[] = ['attackMs', 'holdMs', 'releaseMs', 'lookaheadMs'];
const TIME_BY_HITS: readonly NumberId[] = ['attackMs', 'holdMs', 'softShorter', 'releaseMs', 'lookaheadMs'];

/** What is unfolded at first. */
const OPEN = { curve: true, level: true, time: true, key: true };

export function GatePanel() {
  const focus = useBench((s) => s.focus);
  const mic = useBench(focusedMic);
  const plan = useBench((s) => s.plan);
  const keyListen = useBench((s) => s.keyListen);
  const [open, setOpen] = useKept('gate.open', OPEN);
  if (!mic || !plan) return null;
  const gate = mic.treatment.gate;
  const put = (patch: Partial<GateSettings>) => commit(editGate(useBench.getState().base ?? plan, focus, patch));
  const untouched = sameJson(gate, GATE_DEFAULTS);
  const restore = () => commit({ ...editGate(useBench.getState().base ?? plan, focus, GATE_DEFAULTS), label: `${mic.name} restored` });
  const row = (id: NumberId, extra: { disabled?: boolean; extra?: React.ReactNode } = {}) => (
    <ParamRow key={id} id={id} param={GATE_PARAMS[id]} value={gate[id]} onMove={(v) => sketch((base) => editGate(base, focus, { [id]: v }))} onEnd={endGesture} {...extra} />
  );
  const byHits = gate.keyBy === 'hits';
  const drum = roleOf(mic.role).drum;
  const hitCount = drum ? listHits(plan, drum).length : 0;
  const openBy = (keyBy: GateSettings['keyBy']) => put({ keyBy, on: true, ...(keyBy === 'hits' && gate.holdMs === GATE_DEFAULTS.holdMs ? { holdMs: HIT_HOLD_MS } : {}) });
  const others = plan.order.filter((id) => id !== focus);
  const keyName = gate.keyFrom ? plan.mics[gate.keyFrom]?.name : null;
  const fold = (k: keyof typeof open) => ({ open: open[k], onOpen: (v: boolean) => setOpen((o) => ({ ...o, [k]: v })) });
  const slope = (id: 'keyHpSlope' | 'keyLpSlope') => (
    <button
      type="button"
      aria-label={`${GATE_PARAMS[id].label}: ${gate[id]} dB per octave`}
      title="12 or 24 dB per octave"
      onClick={() => put({ [id]: gate[id] === 24 ? 12 : 24 })}
      className="num h-[20px] shrink-0 rounded-[5px] border border-line2 px-1 text-xs text-ink hover:border-ink"
    >
      {gate[id]}
    </button>
  );
  return (
    <section aria-label="Gate" className="card border-[1.5px] border-ink px-3 pb-1">
      <header className="flex h-8 items-center gap-2">
        <Toggle label={`Gate of ${mic.name}`} checked={gate.on} onChange={(on) => put({ on })} title="Gate on or off (G)" />
        <h2 className="font-head text-base font-bold">Gate</h2>
        <span className="truncate text-sm text-ink2">{!gate.on ? 'off' : byHits ? 'opened by hits' : keyName ? `opened by ${keyName}` : isHardGate(gate) ? 'open or closed' : 'expander'}</span>
        <button type="button" disabled={untouched} onClick={restore} className="ml-auto flex h-6 items-center gap-1 rounded-[6px] px-1.5 text-sm hover:bg-soft disabled:opacity-45" title="Every setting of this gate back to its default, off">
          <RotateCcw aria-hidden="true" size={13} /> Restore
        </button>
      </header>
      <div className="flex h-[28px] items-center gap-2 border-t border-line" title={GATE_PARAMS.keyBy.help}>
        <span className="text-ink2">{GATE_PARAMS.keyBy.label}</span>
        <Segments small label={GATE_PARAMS.keyBy.label} value={gate.keyBy} options={GATE_PARAMS.keyBy.options} onChange={openBy} disabled={!drum} />
        <span className="num ml-auto text-xs text-ink2">{drum ? counted(hitCount, 'hit') : 'no own drum'}</span>
      </div>
      {!byHits && <Fold title="Curve" note="out over key in, dB" {...fold('curve')}>
        <CurveChart gate={gate} />
      </Fold>}
      <Fold title="Level" note={byHits ? 'by strength' : `opens ${formatNumber(GATE_PARAMS.thresholdDb, gate.thresholdDb)}`} {...fold('level')}>
        {(byHits ? BY_HITS : LEVEL).map((id) => row(id, id === 'kneeDb' ? { disabled: isHardGate(gate) } : {}))}
        {byHits && <SwitchRow param={GATE_PARAMS.keepDoubtful} value={gate.keepDoubtful} onChange={(keepDoubtful) => put({ keepDoubtful })} />}
        {row('outputDb')}
      </Fold>
      <Fold title="Time" note={`release ${formatNumber(GATE_PARAMS.releaseMs, gate.releaseMs)}`} {...fold('time')}>
        {(byHits ? TIME_BY_HITS : TIME).map((id) => row(id))}
      </Fold>
      {!byHits && <Fold title="Key" note={keyName ?? 'itself'} {...fold('key')}>
        <div className="grid h-[26px] grid-cols-[96px_1fr] items-center gap-2" title={GATE_PARAMS.keyFrom.help}>
          <span className="text-ink2" id="key-from">
            {GATE_PARAMS.keyFrom.label}
          </span>
          <PickList labelledBy="key-from" value={gate.keyFrom || 'itself'} options={['itself', ...others].map((id) => ({ value: id, label: plan.mics[id]?.name ?? id }))} onChange={(v) => put({ keyFrom: v === 'itself' ? '' : v })} />
        </div>
        {row('keyHpHz', { extra: slope('keyHpSlope') })}
        {row('keyLpHz', { extra: slope('keyLpSlope') })}
        <div className="flex h-[28px] items-center gap-2">
          <span className="w-[62px] text-ink2" title={GATE_PARAMS.detector.help}>
            Detector
          </span>
          <Segments small label="Detector" value={gate.detector} options={GATE_PARAMS.detector.options} onChange={(detector) => put({ detector })} />
          <button type="button" aria-pressed={keyListen} onClick={() => useBench.setState({ keyListen: !keyListen })} title="Hear what the gate hears (K)" className={`ml-auto h-6 whitespace-nowrap rounded-[6px] border px-2 text-sm font-semibold ${keyListen ? 'border-hand bg-hand text-on-hand' : 'border-line2'}`}>
            Hear key
          </button>
        </div>
      </Fold>}
    </section>
  );
}
