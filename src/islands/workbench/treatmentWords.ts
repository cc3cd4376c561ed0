import { formatNumber } from '../../core/params/format';
import { GATE_PARAMS, isHardGate } from '../../core/params/gateParams';
import type { Plan, PlanMic } from '../../core/plan/plan';

/** In words, what is done to a mic; `short`: as little as tells the kind of it, where more than one thing is named. */
export function treatmentWords(plan: Plan, mic: PlanMic, short = false): string {
  const { debleed, gate, slices, tail, parts } = mic.treatment;
  const rest = restWords(plan, mic, short && [debleed, gate, slices, tail, parts].filter((t) => t.on).length > 1);
  if (!mic.treatment.debleed.on) return rest;
  return rest === 'as is' ? 'de-bled' : `de-bled, ${rest}`;
}

const ifAny = (n: number, one: string, many: string) => (n === 0 ? '' : n === 1 ? one : `${n} ${many}`);

function gateWords(plan: Plan, g: PlanMic['treatment']['gate']): string {
  if (g.keyBy === 'hits') return 'gate by hits';
  const key = g.keyFrom ? plan.mics[g.keyFrom]?.name : null;
  return key ? `gate opened by ${key}` : `${isHardGate(g) ? 'gate' : 'expander'} ${formatNumber(GATE_PARAMS.thresholdDb, g.thresholdDb)}`;
}

function restWords(plan: Plan, mic: PlanMic, short: boolean): string {
  const { gate, slices, tail, parts, gaps, closings } = mic.treatment;
  const words = [
    slices.on && (short ? 'slices' : slices.cutBy === 'hits' ? 'slices at hits' : 'slices by level'),
    gate.on && (slices.on || short ? 'gate' : gateWords(plan, gate)),
    tail.on && (slices.on || gate.on ? 'damped' : 'damped tails'),
    parts.on && 'two parts',
    ifAny(Object.keys(gaps).length, '1 gap by hand', 'gaps by hand'),
    ifAny(Object.keys(closings).length, 'closing low-pass', 'closing low-passes'),
  ];
  return words.filter(Boolean).join(', ') || 'as is';
}
