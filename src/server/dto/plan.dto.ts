/** Validation of whole plans: shape, ranges, and that its references hold. */
import 'reflect-metadata';
import { Type } from 'class-transformer';
import { ArrayMaxSize, Equals, IsArray, IsIn, IsInt, IsNumber, IsObject, IsString, Length, Max, Min, ValidateNested } from 'class-validator';
import { FreshGapError } from '../../core/errors';
import { migratePlan } from '../../core/plan/migrate';
import { PLAN_FORMAT, PLAN_VERSION, type Plan } from '../../core/plan/plan';
import { ROLES } from '../../core/plan/roles';
import { GateDto } from './gate.dto';
import { validated } from './validate';

export const MAX_MICS = 64;

class MixDto {
  @IsNumber() @Min(-60) @Max(12) levelDb!: number;
  @IsNumber() @Min(-1) @Max(1) pan!: number;
}

class TreatmentDto {
  @IsObject() @ValidateNested() @Type(() => GateDto) gate!: GateDto;
}

class PlanMicDto {
  @IsString() @Length(1, 200) file!: string;
  @IsInt() @Min(0) @Max(1) channel!: number;
  @IsString() @Length(1, 100) name!: string;
  @IsIn(ROLES.map((r) => r.id)) role!: string;
  @IsObject() @ValidateNested() @Type(() => MixDto) mix!: MixDto;
  @IsObject() @ValidateNested() @Type(() => TreatmentDto) treatment!: TreatmentDto;
}

class PlanDto {
  @Equals(PLAN_FORMAT) format!: string;
  @Equals(PLAN_VERSION) version!: number;
  @IsInt() @Min(8000) @Max(192000) sampleRate!: number;
  @IsInt() @Min(0) frames!: number;
  @IsArray() @ArrayMaxSize(MAX_MICS) @IsString({ each: true }) @Length(1, 220, { each: true }) order!: string[];
  @IsObject() mics!: Record<string, unknown>;
}

/** The plan that `raw` holds, older versions brought up to date. Throws PLAN_INVALID (naming what is wrong) or PLAN_VERSION. */
export function parsePlan(raw: unknown): Plan {
  const plan = migratePlan(raw);
  const { mics, order } = validated(PlanDto, plan, 'PLAN_INVALID');
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
    const { keyFrom } = (mics[id] as Plan['mics'][string]).treatment.gate;
    if (keyFrom !== '' && (keyFrom === id || !Object.hasOwn(mics, keyFrom))) throw new FreshGapError('PLAN_INVALID', `${id}: its key mic ${keyFrom} is not there.`);
  }
  return plan as unknown as Plan;
}
