/** Validation of whole plans: shape, ranges, and that its references hold. */
import 'reflect-metadata';
import { Type } from 'class-transformer';
import { ArrayMaxSize, Equals, IsArray, IsIn, IsInt, IsNumber, IsObject, IsOptional, IsString, Length, Max, Min, ValidateIf, ValidateNested } from 'class-validator';
import { FreshGapError } from '../../core/errors';
import { migratePlan } from '../../core/plan/migrate';
import { PLAN_FORMAT, PLAN_VERSION, type Plan } from '../../core/plan/plan';
import { ROLES } from '../../core/plan/roles';
import { SLICE_PARAMS } from '../../core/params/sliceParams';
import { DebleedDto, GateDto, PartsDto, SliceDto, TailDto } from './treatments.dto';
import { validated } from './validate';

export const MAX_MICS = 64;

class MixDto {
  @IsNumber() @Min(-60) @Max(12) levelDb!: number;
  @IsNumber() @Min(-1) @Max(1) pan!: number;
}

class TreatmentDto {
  @IsObject() @ValidateNested() @Type(() => DebleedDto) debleed!: DebleedDto;
  @IsObject() @ValidateNested() @Type(() => GateDto) gate!: GateDto;
  @IsObject() gaps!: Record<string, unknown>;
  @IsObject() @ValidateNested() @Type(() => SliceDto) slices!: SliceDto;
  @IsObject() sliceEdits!: Record<string, unknown>;
  @IsArray() marks!: unknown[];
  @IsObject() @ValidateNested() @Type(() => TailDto) tail!: TailDto;
  @IsObject() @ValidateNested() @Type(() => PartsDto) parts!: PartsDto;
  @IsObject() closings!: Record<string, unknown>;
}

class SoftRingDto {
  @IsNumber() @Min(-90) @Max(0) fromDb!: number;
  @IsNumber() @Min(0) @Max(1) slope!: number;
}

class RingDto {
  @IsArray() @ArrayMaxSize(1000) @IsNumber({}, { each: true }) @Max(0, { each: true }) decayDb!: number[];
  @IsNumber() @Max(0) spillDb!: number;
  @IsOptional() @IsNumber() @Max(0) rawSpillDb?: number;
  @IsNumber() @Max(60) topDb!: number;
  @IsOptional() @IsObject() @ValidateNested() @Type(() => SoftRingDto) soft?: SoftRingDto;
}

class PlanMicDto {
  @IsString() @Length(1, 200) file!: string;
  @IsInt() @Min(0) @Max(1) channel!: number;
  @IsString() @Length(1, 100) name!: string;
  @IsIn(ROLES.map((r) => r.id)) role!: string;
  @IsObject() @ValidateNested() @Type(() => MixDto) mix!: MixDto;
  @IsObject() @ValidateNested() @Type(() => TreatmentDto) treatment!: TreatmentDto;
  @ValidateIf((m) => m.ring !== null) @IsObject() @ValidateNested() @Type(() => RingDto) ring!: RingDto | null;
  @ValidateIf((m) => m.second !== null) @IsObject() @ValidateNested() @Type(() => TreatmentDto) second!: TreatmentDto | null;
}

class PlanDto {
  @Equals(PLAN_FORMAT) format!: string;
  @Equals(PLAN_VERSION) version!: number;
  @IsInt() @Min(8000) @Max(192000) sampleRate!: number;
  @IsInt() @Min(0) frames!: number;
  @IsArray() @ArrayMaxSize(MAX_MICS) @IsString({ each: true }) @Length(1, 220, { each: true }) order!: string[];
  @IsObject() mics!: Record<string, unknown>;
  @IsObject() hits!: Record<string, unknown>;
  @IsObject() thresholds!: Record<string, unknown>;
}

export const MAX_HITS = 50_000;
const STATES = new Set(['found', 'confirmed', 'rejected', 'added']);
const DRUM_ID = /^[a-z][a-z0-9-]{0,39}$/;
const share = (v: unknown): v is number => typeof v === 'number' && v >= 0 && v <= 1;

/** Hits by hand: a class a hit would cost more than the rest of the plan together. */
function checkHits(hits: Record<string, unknown>, thresholds: Record<string, unknown>, frames: number): void {
  const bad = (what: string) => new FreshGapError('PLAN_INVALID', what);
  let n = 0;
  for (const [drum, list] of Object.entries(hits)) {
    if (!DRUM_ID.test(drum) || typeof list !== 'object' || list === null || Array.isArray(list)) throw bad(`hits of ${drum.slice(0, 40)} are no list of hits.`);
    for (const [id, h] of Object.entries(list as Record<string, Record<string, unknown> | null>)) {
      if (++n > MAX_HITS) throw bad(`a plan holds up to ${MAX_HITS} hits.`);
      const ok = id.length <= 40 && h && Number.isInteger(h.frame) && (h.frame as number) >= 0 && (h.frame as number) <= frames && share(h.strength) && share(h.certainty) && STATES.has(String(h.state)) && Object.keys(h).length === 4;
      if (!ok) throw bad(`the hit ${id.slice(0, 40)} of ${drum} needs a frame within the recording, strength and certainty of 0 to 1, and a state.`);
    }
  }
  for (const [drum, t] of Object.entries(thresholds)) if (!DRUM_ID.test(drum) || !share(t)) throw bad(`the threshold of ${drum.slice(0, 40)} is not between 0 and 1.`);
}

function checkGaps(gaps: Record<string, unknown>, mic: string, frames: number): void {
  const list = Object.entries(gaps as Record<string, { from?: unknown; to?: unknown } | null>);
  if (list.length > MAX_HITS) throw new FreshGapError('PLAN_INVALID', `${mic}: too many gaps.`);
  for (const [id, g] of list) {
    const ok = id.length <= 60 && g && Number.isInteger(g.from) && Number.isInteger(g.to) && (g.from as number) >= 0 && (g.from as number) < (g.to as number) && (g.to as number) <= frames;
    if (!ok) throw new FreshGapError('PLAN_INVALID', `${mic}: ${id.slice(0, 60)} is no stretch within the recording.`);
  }
}

function checkAmounts(amounts: Record<string, unknown>, mic: string): void {
  const list = Object.entries(amounts);
  if (list.length > MAX_MICS || !list.every(([d, v]) => DRUM_ID.test(d) && typeof v === 'number' && v >= 0 && v <= 100)) throw new FreshGapError('PLAN_INVALID', `${mic}: what de-bleed takes out of each drum must be 0 to 100 %.`);
}

function checkClosings(closings: Record<string, unknown>, mic: string, frames: number): void {
  for (const [id, c] of Object.entries(closings as Record<string, { hz?: unknown } | null>)) {
    const ok = c && typeof c.hz === 'number' && c.hz >= 100 && c.hz <= 20000 && Object.keys(c).length === 3;
    if (!ok) throw new FreshGapError('PLAN_INVALID', `${mic}: the closing low-pass ${id.slice(0, 60)} needs a frequency of 100 to 20000 Hz.`);
  }
  checkGaps(closings, mic, frames);
}

const EDIT_FRAMES = ['from', 'to', 'fadeIn', 'fadeOut', 'at', 'lasts'];
const EDIT_SWITCHES = ['dropped', 'split', 'join'];
const EDIT_CURVES = ['fadeInCurve', 'fadeOutCurve'];
const CURVES = new Set<unknown>(SLICE_PARAMS.fadeInCurve.options.map((o) => o.value));

function checkSlices(t: { sliceEdits: Record<string, unknown>; marks: unknown[] }, mic: string, frames: number): void {
  const edits = Object.entries(t.sliceEdits as Record<string, Record<string, unknown> | null>);
  if (edits.length > MAX_HITS || t.marks.length > MAX_HITS) throw new FreshGapError('PLAN_INVALID', `${mic}: too many slices.`);
  for (const [id, e] of edits) {
    const ok = id.length <= 60 && e && typeof e === 'object' && Object.entries(e).every(([k, v]) =>
      EDIT_FRAMES.includes(k) ? Number.isInteger(v) && Math.abs(v as number) <= frames : EDIT_SWITCHES.includes(k) ? typeof v === 'boolean' : EDIT_CURVES.includes(k) && CURVES.has(v));
    if (!ok) throw new FreshGapError('PLAN_INVALID', `${mic}: what was changed at the slice ${id.slice(0, 60)} is not understood.`);
  }
  let last = 0;
  for (const m of t.marks) {
    const ok = Array.isArray(m) && m.length === 2 && m.every((v) => Number.isInteger(v)) && m[0] >= last && m[1] >= m[0] && m[1] <= frames;
    if (!ok) throw new FreshGapError('PLAN_INVALID', `${mic}: its marks are not stretches in order within the recording.`);
    last = m[1];
  }
}

/** The plan that `raw` holds, older versions brought up to date. Throws PLAN_INVALID (naming what is wrong) or PLAN_VERSION. */
export function parsePlan(raw: unknown): Plan {
  const plan = migratePlan(raw);
  const { mics, order, hits, thresholds, frames } = validated(PlanDto, plan, 'PLAN_INVALID');
  checkHits(hits, thresholds, frames);
  const ids = Object.keys(mics);
  if (ids.length !== order.length || new Set(order).size !== order.length || !order.every((id) => Object.hasOwn(mics, id))) {
    throw new FreshGapError('PLAN_INVALID', 'The order of mics and the mics do not agree.');
  }
  for (const id of order) {
    try {
      validated(PlanMicDto, mics[id], 'PLAN_INVALID');
    } catch (e) {
      if (e instanceof FreshGapError) throw new FreshGapError('PLAN_INVALID', `${id}: ${e.message}`, e.details);
      throw e;
    }
    const { treatment, second } = mics[id] as Plan['mics'][string];
    for (const t of second ? [treatment, second] : [treatment]) {
      checkAmounts(t.debleed.amounts as Record<string, unknown>, id);
      checkGaps(t.gaps as unknown as Record<string, unknown>, id, frames);
      checkClosings(t.closings as unknown as Record<string, unknown>, id, frames);
      checkSlices(t as unknown as { sliceEdits: Record<string, unknown>; marks: unknown[] }, id, frames);
    }
    const { keyFrom } = (mics[id] as Plan['mics'][string]).treatment.gate;
    if (keyFrom !== '' && (keyFrom === id || !Object.hasOwn(mics, keyFrom))) throw new FreshGapError('PLAN_INVALID', `${id}: its key mic ${keyFrom} is not there.`);
  }
  return plan as unknown as Plan;
}
