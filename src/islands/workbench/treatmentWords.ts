import { formatNumber } from '../../core/params/format';
import { GATE_PARAMS, isHardGate } from '../../core/params/gateParams';
import type { Plan, PlanMic } from '../../core/plan/plan';

/** In words, what is done to a mic. */
export function treatmentWords(plan: Plan, mic: PlanMic): string {
  const rest = restWords(plan, mic);
  if (!mic.treatment.debleed.on) return rest;
  return rest === 'as is' ? 'de-bled' : `de-bled, ${rest}`;
}

function restWords(plan: Plan, mic: PlanMic): string {
  const g = mic.treatment.gate;
  const gaps = Object.keys(mic.treatment.gaps).length;
  const { slices, tail } = mic.treatment;
  const parts = mic.treatment.parts.on ? ', two parts' : '';
  if (slices.on) return `${slices.cutBy === 'hits' ? 'slices at hits' : 'slices by level'}${g.on ? ', gate' : ''}${tail.on ? ', damped' : ''}${parts}`;
  if (!g.on && tail.on) return `damped tails${parts}`;
  if (!g.on && parts) return 'two parts';
  if (!g.on) return gaps ? `${gaps} ${gaps === 1 ? 'gap' : 'gaps'} by hand` : 'as is';
  if (g.keyBy === 'hits') return `by its hits${parts}`;
  const key = g.keyFrom ? plan.mics[g.keyFrom]?.name : null;
  if (key) return `opened by ${key}`;
  return `${isHardGate(g) ? 'gate' : 'expander'} ${formatNumber(GATE_PARAMS.thresholdDb, g.thresholdDb)}`;
}
