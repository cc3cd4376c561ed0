/** What the Hits view works on: drums in order, the chosen hit, the selection, what is doubtful; and what hands do with them. */
import { counted } from '../../core/params/format';
import type { Change, Edit } from '../../core/plan/edits';
import { type ListedHit, decideHits, giveHits, hitChange, hitId, isDoubtful, listHits, moveHits, thresholdOf } from '../../core/plan/planHits';
import { mainMic } from '../../core/plan/mainMic';
import type { Plan } from '../../core/plan/plan';
import { byKit, roleOf } from '../../core/plan/roles';
import type { SpillRow } from '../../core/spill/spillMap';
import { drumOfKey, readMidi } from '../../formats/midi';
import { goTo, togglePlay } from '../workbench/engine';
import { type Bench, commit, useBench } from '../workbench/store';

const { getState: get, setState: set } = useBench;

/** Drums in the order of the kit, cymbals without a mic last. */
export function drumsOf(plan: Plan): string[] {
  const have = new Set([...Object.keys(plan.hits), ...plan.order.flatMap((id) => roleOf(plan.mics[id].role).drum ?? [])]);
  return [...have].sort(byKit);
}

/** Keys that give a hit to a drum, in the order of the drums: a kit of more has buttons only. */
export const GIVE_KEYS: readonly string[] = [...'1234567890'];

export const drumLabel = (drum: string): string => {
  const name = drum.replace(/-(\d)$/, ' $1');
  return name.charAt(0).toUpperCase() + name.slice(1);
};

export const keyOf = (h: { drum: string; id: string }): string => `${h.drum}/${h.id}`;

/** Doubtful hits, the least decided first. */
export function doubtful(plan: Plan): ListedHit[] {
  return drumsOf(plan)
    .flatMap((d) => listHits(plan, d, true).filter((h) => isDoubtful(h, thresholdOf(plan, d))))
    .sort((a, b) => Math.abs(a.certainty - 0.5) - Math.abs(b.certainty - 0.5) || a.frame - b.frame);
}

export function hitOf(plan: Plan, ref: Bench['hit']): ListedHit | null {
  const h = ref && plan.hits[ref.drum]?.[ref.id];
  return ref && h ? { ...h, ...ref } : null;
}

/** The selection, or the chosen hit where nothing is selected. */
export function targets(s: Bench): ListedHit[] {
  const { plan } = s;
  if (!plan) return [];
  if (s.picked.size > 0) return [...s.picked].flatMap((k) => hitOf(plan, { drum: k.slice(0, k.indexOf('/')), id: k.slice(k.indexOf('/') + 1) }) ?? []);
  const one = hitOf(plan, s.hit);
  return one ? [one] : [];
}

const clock = (frame: number, rate: number) => `${Math.floor(frame / rate / 60)}:${((frame / rate) % 60).toFixed(3).padStart(6, '0')}`;
/** "Tom 1 at 0:12.345", or "12 hits". */
const named = (list: readonly ListedHit[], plan: Plan) => (list.length === 1 ? `${drumLabel(list[0].drum)} at ${clock(list[0].frame, plan.sampleRate)}` : `${list.length} hits`);

export function choose(h: { drum: string; id: string } | null, show = true): void {
  const { plan, view, data } = get();
  set({ hit: h && { drum: h.drum, id: h.id }, picked: new Set() });
  const hit = plan && hitOf(plan, h);
  if (!hit || !show || !plan) return;
  // a cymbal without a mic of its own leaves the mic that is being cleaned
  const main = mainMic(plan, hit.drum);
  if (roleOf(plan.mics[main].role).drum === hit.drum) set({ focus: main });
  const length = view.to - view.from;
  const frames = data?.recording.frames ?? 1;
  if (hit.frame < view.from || hit.frame > view.to) {
    const from = Math.max(0, Math.min(frames - length, hit.frame - length / 2));
    set({ view: { from, to: from + length } });
  }
}

/** The doubtful hit after the chosen one in the queue (or the first). */
export function nextDoubtful(by: 1 | -1 = 1): void {
  const { plan, hit } = get();
  if (!plan) return;
  const queue = doubtful(plan);
  if (queue.length === 0) {
    choose(null);
    return;
  }
  const at = queue.findIndex((h) => hit && h.id === hit.id && h.drum === hit.drum);
  choose(queue[at < 0 ? 0 : (at + by + queue.length) % queue.length]);
}

/** The hit of the same drum before or after in time. */
export function nextInTime(by: 1 | -1): void {
  const { plan, hit } = get();
  const now = plan && hitOf(plan, hit);
  if (!plan || !now) return;
  const list = listHits(plan, now.drum);
  const next = by > 0 ? list.find((h) => h.frame > now.frame) : [...list].reverse().find((h) => h.frame < now.frame);
  if (next) choose(next);
}

/** Commits an edit of what is selected and goes on to the next doubtful hit where one hit of the queue was decided. */
function decide(make: (plan: Plan, list: ListedHit[]) => Edit): void {
  const s = get();
  const { base: plan } = s;
  const list = targets(s);
  if (!plan || list.length === 0) return;
  const queue = doubtful(plan);
  const at = queue.findIndex((h) => keyOf(h) === keyOf(list[0]));
  commit(make(plan, list));
  if (list.length > 1 || at < 0) return;
  const rest = queue.filter((h) => keyOf(h) !== keyOf(list[0]));
  if (rest.length) choose(rest[Math.min(at, rest.length - 1)]);
}

export const keep = () => decide((plan, list) => decideHits(plan, list, 'confirmed', `Kept ${named(list, plan)}`));
export const reject = () => decide((plan, list) => decideHits(plan, list, 'rejected', `Not a hit: ${named(list, plan)}`));
export const give = (drum: string) => decide((plan, list) => giveHits(plan, list, drum, `Gave ${named(list, plan)} to ${drumLabel(drum)}`));

export function move(byFrames: number): void {
  const s = get();
  const list = targets(s);
  if (!s.base || list.length === 0) return;
  const ms = (1000 * byFrames) / s.base.sampleRate;
  commit(moveHits(s.base, list, byFrames, `Moved ${named(list, s.base)} by ${Math.abs(byFrames) < 10 ? `${byFrames} samples` : `${ms.toFixed(1)} ms`}`));
}

/** How far an attack may be from a hit that snaps to it, seconds. */
const SNAP_S = 0.03;

/** Moves the chosen hit to the nearest attack in its own mic. */
export function snap(): void {
  const s = get();
  const h = s.base && hitOf(s.base, s.hit);
  if (!s.base || !h) return;
  // the attacks of the mic are looked for once they are asked for
  if (!s.stepping || s.focus !== mainMic(s.base, h.drum)) set({ stepping: true, focus: mainMic(s.base, h.drum) });
  const list = s.preview?.micId === get().focus ? s.preview.transients : undefined;
  const near = list?.reduce((best, f) => (Math.abs(f - h.frame) < Math.abs(best - h.frame) ? f : best), Number.POSITIVE_INFINITY);
  if (near === undefined || Math.abs(near - h.frame) > SNAP_S * s.base.sampleRate || near === h.frame) return;
  commit(moveHits(s.base, [h], near - h.frame, `Snapped ${named([h], s.base)} to its attack`));
}

/** Selects hits of the chosen hit's drum that count: all, those as soft as it or softer, those as uncertain or more so. */
export function selectLike(what: 'drum' | 'softer' | 'doubtful'): void {
  const { plan, hit } = get();
  const h = plan && hitOf(plan, hit);
  if (!plan || !h) return;
  const list = listHits(plan, h.drum).filter((x) => what === 'drum' || (what === 'softer' ? x.strength <= h.strength : x.certainty <= h.certainty));
  set({ picked: new Set(list.map(keyOf)) });
}

export function add(drum: string, frame: number): void {
  const { base } = get();
  if (!base) return;
  const at = Math.round(frame);
  const id = hitId(base, drum, at);
  const hit = { frame: at, strength: 0.5, certainty: 1, state: 'added' as const };
  commit({ label: `Added ${named([{ ...hit, id, drum }], base)}`, changes: [hitChange(base, drum, id, hit)] });
  choose({ drum, id });
}

/** Hits of a MIDI file, by percussion key or track name: new ones are added, those that are there already are kept. Throws MIDI_INVALID. */
export function importMidi(bytes: Uint8Array): { added: number; kept: number; unknown: number } {
  const { base } = get();
  if (!base) return { added: 0, kept: 0, unknown: 0 };
  const drums = drumsOf(base);
  const near = 0.012 * base.sampleRate;
  const lists = new Map(drums.map((d) => [d, listHits(base, d, true)]));
  const ids = new Set(drums.flatMap((d) => Object.keys(base.hits[d] ?? {}).map((id) => `${d}/${id}`)));
  const changes: Change[] = [];
  let [added, kept, unknown] = [0, 0, 0];
  for (const n of readMidi(bytes)) {
    const drum = drums.find((d) => d === n.track) ?? drumOfKey(n.key, drums);
    const frame = Math.round(n.time * base.sampleRate);
    if (!drum || frame >= base.frames) {
      unknown++;
      continue;
    }
    const there = lists.get(drum)?.find((h) => Math.abs(h.frame - frame) < near);
    if (there) {
      kept++;
      if (there.state !== 'confirmed' && there.state !== 'added') changes.push(hitChange(base, drum, there.id, { ...there, state: 'confirmed' }));
      continue;
    }
    let id = String(frame);
    for (let k = 2; ids.has(`${drum}/${id}`); k++) id = `${frame}-${k}`;
    ids.add(`${drum}/${id}`);
    added++;
    changes.push(hitChange(base, drum, id, { frame, strength: Math.max(0, (n.velocity - 1) / 126), certainty: 1, state: 'added' }));
  }
  commit({ label: `${counted(added + kept, 'hit')} from MIDI`, changes });
  return { added, kept, unknown };
}

/** ms after its own mic that a drum usually reaches another; null where that is not known. */
export const delayIn = (plan: Plan, spill: readonly SpillRow[] | undefined, drum: string, micId: string): number | null =>
  micId === mainMic(plan, drum) ? 0 : (spill?.find((r) => r.drum === drum)?.mics[plan.order.indexOf(micId)]?.delayMs ?? null);

/** All mics by who hears a drum first: its owner, other mics of its own, then by how soon it usually reaches them. */
export function micsByArrival(plan: Plan, spill: readonly SpillRow[] | undefined, drum: string): string[] {
  const owner = mainMic(plan, drum);
  const own = (id: string) => Number(roleOf(plan.mics[id].role).drum === drum);
  const delay = (id: string) => delayIn(plan, spill, drum, id) ?? 99;
  return [...plan.order].sort((a, b) => Number(b === owner) - Number(a === owner) || own(b) - own(a) || delay(a) - delay(b));
}

/** Hears the chosen hit in the mic below the one that is heard now, in the order of who hears it first. */
export function hearNext(): void {
  const { plan, hit, focus, analysis } = get();
  const h = plan && hitOf(plan, hit);
  if (!plan || !h) return;
  const order = micsByArrival(plan, analysis?.spill, h.drum);
  hear({ mic: order[(order.indexOf(focus) + 1) % order.length] });
}

/** Hears the chosen hit in a short loop: its owner alone, some mic alone, or the kit. */
export function hear(who: 'owner' | 'kit' | { mic: string }): void {
  const { plan, hit, playing, data } = get();
  const h = plan && hitOf(plan, hit);
  if (!plan || !h) return;
  const rate = plan.sampleRate;
  const from = Math.max(0, Math.round(h.frame - 0.25 * rate));
  set({ focus: typeof who === 'object' ? who.mic : mainMic(plan, h.drum), alone: who !== 'kit', listen: 'before', loop: { from, to: Math.min(data?.recording.frames ?? from + rate, from + rate) }, loopOn: true });
  goTo(from);
  if (!playing) togglePlay();
}

export function setThreshold(drum: string, value: number, base: Plan): Edit {
  const before = base.thresholds[drum] ?? null;
  const after = Math.round(value * 100) / 100;
  return { label: `${drumLabel(drum)} counts from ${Math.round(100 * after)} % certain`, changes: before === after ? [] : [{ path: ['thresholds', drum], before, after }] };
}
