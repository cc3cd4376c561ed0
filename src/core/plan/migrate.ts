/**
 * Brings plans of older versions up to the present one, step by step, before they are validated. Each version after
 * the first adds a function here that takes the plan of the version before it; plans in the database are brought up by SQL migrations.
 */
import { FreshGapError } from '../errors';
import { DEBLEED_DEFAULTS } from '../params/debleedParams';
import { PARTS_DEFAULTS } from '../params/partsParams';
import { SLICE_DEFAULTS, TAIL_DEFAULTS } from '../params/sliceParams';
import { PLAN_FORMAT, PLAN_VERSION } from './plan';

type Raw = Record<string, unknown>;
/** Mics with their treatments changed; what is not shaped like that is left for the validation to name. */
function eachTreatment(mics: unknown, change: (treatment: Raw) => Raw): unknown {
  if (typeof mics !== 'object' || mics === null) return mics;
  return Object.fromEntries(
    Object.entries(mics).map(([id, mic]) => {
      const treatment = (mic as Raw | null)?.treatment as Raw | undefined;
      return [id, treatment && typeof treatment.gate === 'object' && treatment.gate !== null ? { ...(mic as Raw), treatment: change(treatment) } : mic];
    }),
  );
}

const eachMic = (mics: unknown, change: (mic: Raw) => Raw): unknown =>
  typeof mics === 'object' && mics !== null ? Object.fromEntries(Object.entries(mics).map(([id, m]) => [id, typeof m === 'object' && m !== null ? change(m as Raw) : m])) : mics;

const withSoftShorter = (t: Raw): Raw => (typeof t.gate === 'object' && t.gate !== null ? { ...t, gate: { softShorter: 0, ...(t.gate as Raw) } } : t);

const withLoudest = (t: Raw): Raw => (typeof t.gate === 'object' && t.gate !== null ? { ...t, gate: { hitMax: 100, ...(t.gate as Raw) } } : t);

/** Both treatments of every mic. */
const bothTreatments = (mics: unknown, change: (t: Raw) => Raw): unknown => eachMic(eachTreatment(mics, change), (m) => (typeof m.second === 'object' && m.second !== null ? { ...m, second: change(m.second as Raw) } : m));

const STEPS: ReadonlyArray<(old: Raw) => Raw> = [
  // 2: hits, gates that they open, gaps by hand
  (old) => ({ ...old, mics: eachTreatment(old.mics, (t) => ({ ...t, gate: { keyBy: 'level', hitMin: 0, softDb: 0, ...(t.gate as Raw) }, gaps: {} })), hits: {}, thresholds: {} }),
  // 3: de-bleed, slices, tail damping, how drums ring
  (old) => ({ ...old, mics: eachMic(eachTreatment(old.mics, (t) => ({ ...t, debleed: { on: false, depthDb: 40, attackMs: 0 }, slices: SLICE_DEFAULTS, sliceEdits: {}, marks: [], tail: TAIL_DEFAULTS })), (m) => ({ ...m, ring: null })) }),
  // 4: amounts by drum and a range for de-bleed, doubtful hits for gates, attack and note parts, closing low-passes, a second treatment
  (old) => ({ ...old, mics: eachMic(eachTreatment(old.mics, (t) => ({ ...t, gate: { keepDoubtful: false, ...(t.gate as Raw) }, slices: { ownDb: 34, ...(t.slices as Raw) }, debleed: { ...DEBLEED_DEFAULTS, ...(t.debleed as Raw) }, parts: PARTS_DEFAULTS, closings: {} })), (m) => ({ ...m, second: null })) }),
  // 5: soft hits hold gates for a shorter time
  (old) => ({ ...old, mics: bothTreatments(old.mics, withSoftShorter) }),
  // 6: hits may be too loud for a gate
  (old) => ({ ...old, mics: bothTreatments(old.mics, withLoudest) }),
];

/** Throws PLAN_INVALID where this is no plan at all, PLAN_VERSION where it comes from a newer program. */
export function migratePlan(raw: unknown): Raw {
  if (typeof raw !== 'object' || raw === null || (raw as Raw).format !== PLAN_FORMAT) {
    throw new FreshGapError('PLAN_INVALID', `The file is not a ${PLAN_FORMAT} document.`);
  }
  const version = (raw as Raw).version;
  if (typeof version !== 'number' || !Number.isInteger(version) || version < 1) throw new FreshGapError('PLAN_INVALID', 'The plan has no version number.');
  if (version > PLAN_VERSION) throw new FreshGapError('PLAN_VERSION', `The plan has version ${version}; this program knows up to ${PLAN_VERSION}.`);
  let plan = raw as Raw;
  for (let v = version; v < PLAN_VERSION; v++) plan = { ...STEPS[v - 1](plan), version: v + 1 };
  return plan;
}
