/** A second treatment of a mic, put aside to compare with: what is in use is what is heard and delivered. */
import type { Edit, Json } from './edits';
import type { Plan, Treatment } from './plan';

const json = (v: unknown) => v as Json;

/** Puts a copy of the treatment aside. */
export function putAside(plan: Plan, micId: string): Edit {
  const mic = plan.mics[micId];
  return { label: `${mic.name}: a copy of the treatment put aside`, changes: [{ path: ['mics', micId, 'second'], before: json(mic.second), after: json(mic.treatment) }] };
}

/** A treatment whose key mic has gone since it was put aside is keyed by the mic itself. */
const keyed = (plan: Plan, t: Treatment): Treatment => (t.gate.keyFrom === '' || Object.hasOwn(plan.mics, t.gate.keyFrom) ? t : { ...t, gate: { ...t.gate, keyFrom: '' } });

/** Takes the treatment that was put aside into use, and puts the one in use aside; nothing where there is none. */
export function changeOver(plan: Plan, micId: string): Edit {
  const mic = plan.mics[micId];
  const changes = mic.second
    ? [
        { path: ['mics', micId, 'treatment'], before: json(mic.treatment), after: json(keyed(plan, mic.second)) },
        { path: ['mics', micId, 'second'], before: json(mic.second), after: json(mic.treatment) },
      ]
    : [];
  return { label: `${mic.name}: the other treatment`, changes };
}

/** Forgets the treatment that was put aside. */
export function dropSecond(plan: Plan, micId: string): Edit {
  const mic = plan.mics[micId];
  return { label: `${mic.name}: the treatment put aside is gone`, changes: mic.second ? [{ path: ['mics', micId, 'second'], before: json(mic.second), after: null }] : [] };
}
