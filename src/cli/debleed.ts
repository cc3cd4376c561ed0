/** De-bleed of a folder's mics, on all cores. */
import type { Kept } from '../core/clean/debleedMix';
import { lending } from '../core/lend';
import { applyEdit } from '../core/plan/edits';
import { lateMics, mapOf, toldIn } from '../core/hits/analyse';
import { liveTreatment, possibleHits } from '../core/plan/live';
import { type Plan, createPlan, isUntouched } from '../core/plan/plan';
import { mergeAnalysis } from '../core/plan/planHits';
import { proposePlan } from '../core/plan/propose';
import { debleed } from '../core/spill/debleed';
import { kitMic } from '../core/spill/ownImages';
import { withHands } from '../node/hands';
import { listen, onMics } from './listen';
import { openMics } from './mics';

export interface Proposal {
  readonly plan: Plan;
  /** What de-bleed computed, by mic id. */
  readonly kept: KeptMics;
}

export type KeptMics = ReadonlyMap<string, Kept<Float32Array>>;

/** A folder's plan as the program proposes it: hits, how its drums ring, a treatment for every mic that needs one; with de-bleed unless `plain`. */
export async function proposeFolder(o: { folder: string; roles?: string; plain?: boolean; progress(text: string): void }): Promise<Proposal> {
  const mics = await openMics(o.folder, o.roles);
  try {
    const a = await listen(mics, o.progress);
    const fresh = createPlan(mics.rate, mics.sources, undefined, mics.roles);
    const rings = Object.fromEntries(fresh.order.map((id, i) => [id, a.rings[i]]));
    if (o.plain) {
      const known = applyEdit(fresh, mergeAnalysis(fresh, a.drums, rings));
      return { plan: applyEdit(known, proposePlan(known, isUntouched)), kept: new Map() };
    }
    const result = await onMics(debleed, mics, mics.roles, { hits: a.drums, late: lateMics(a.spill) }, o.progress);
    for (const k of result.mics) {
      rings[fresh.order[k.mic]] = k.ring;
      if (k.share < 1) o.progress(`${mics.names[k.mic]}: de-bleed would take ${(-k.lossDb).toFixed(1)} dB of the drum itself; ${k.share > 0 ? `${Math.round(100 * k.share)} % of it is used` : 'left out'}.\n`);
    }
    const known = applyEdit(fresh, mergeAnalysis(fresh, result.hits, rings));
    const used = result.mics.filter((k) => k.share > 0);
    return {
      plan: applyEdit(known, proposePlan(known, isUntouched, new Set(used.map((k) => fresh.order[k.mic])))),
      kept: new Map(used.map((k) => [fresh.order[k.mic], { own: k.samples, images: {} }])),
    };
  } finally {
    await mics.close();
  }
}

/** What de-bleed leaves of the mics of a plan that asks for it, with the hits of the plan. */
export async function debleedFolder(o: { folder: string; plan: Plan; progress(text: string): void }): Promise<KeptMics> {
  const { plan } = o;
  if (!plan.order.some((id) => plan.mics[id].treatment.debleed.on)) return new Map();
  const mics = await openMics(o.folder);
  try {
    const ids = mics.sources.map((s) => plan.order.find((id) => plan.mics[id].file === s.file && plan.mics[id].channel === s.channel) as string);
    const hits = possibleHits(plan);
    const wanted = ids.flatMap((id, mic) => (plan.mics[id].treatment.debleed.on ? liveTreatment(plan, id).debleed?.left ?? [] : []).map(({ source }) => ({ mic, source })));
    const roles = ids.map((id) => plan.mics[id].role);
    const late = lateMics(await withHands((hands) => mapOf(mics.rate, roles.length, lending(roles.map((_, m) => mics.reader(m)), mics.frames), hits, (drum) => toldIn(drum, roles.map(kitMic)), hands)));
    const result = await onMics(debleed, mics, roles, { hits, images: wanted, late }, o.progress);
    const imagesOf = (mic: number) => Object.fromEntries(wanted.flatMap((w, i) => (w.mic === mic ? [[w.source, result.images[i]] as const] : [])));
    return new Map(result.mics.map((k) => [ids[k.mic], { own: k.samples, images: imagesOf(k.mic) }]));
  } finally {
    await mics.close();
  }
}
