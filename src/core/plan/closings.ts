/** Edits of closing low-passes. */
import type { NumberParam } from '../params/types';
import { type Edit, type Json, sameJson } from './edits';
import type { Plan } from './plan';

export const CLOSING_HZ: NumberParam = { kind: 'number', label: 'Closes to', unit: 'Hz', min: 100, max: 20000, default: 1000, step: 1, scale: 'log', help: 'Corner at the end of the stretch.' };

const path = (micId: string, id: string) => ['mics', micId, 'treatment', 'closings', id];
const seconds = (plan: Plan, frame: number) => `${(frame / plan.sampleRate).toFixed(2)} s`;

export function addClosing(plan: Plan, micId: string, from: number, to: number): Edit {
  const taken = plan.mics[micId].treatment.closings;
  let id = `at-${from}`;
  for (let n = 2; Object.hasOwn(taken, id); n++) id = `at-${from}-${n}`;
  return { label: `${plan.mics[micId].name} closing low-pass at ${seconds(plan, from)}`, changes: to > from ? [{ path: path(micId, id), before: null, after: { from, to, hz: CLOSING_HZ.default } }] : [] };
}

export function dropClosing(plan: Plan, micId: string, id: string): Edit {
  const before = plan.mics[micId].treatment.closings[id];
  return { label: `${plan.mics[micId].name} without the closing low-pass at ${seconds(plan, before?.from ?? 0)}`, changes: before ? [{ path: path(micId, id), before: before as unknown as Json, after: null }] : [] };
}

export function moveClosing(plan: Plan, micId: string, id: string, hz: number): Edit {
  const before = plan.mics[micId].treatment.closings[id];
  const after = { ...before, hz };
  return { label: `${plan.mics[micId].name} closes to ${Math.round(hz)} Hz`, changes: before && !sameJson(before, after) ? [{ path: path(micId, id), before: before as unknown as Json, after }] : [] };
}
