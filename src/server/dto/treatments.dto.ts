/**
 * Validation of treatments with class-validator, its rules taken from the parameter table: the ranges are written once, there.
 */
import 'reflect-metadata';
import { IsBoolean, IsIn, IsNumber, IsObject, IsString, Max, MaxLength, Min } from 'class-validator';
import type { ParamTable } from '../../core/params/types';
import { DEBLEED_PARAMS } from '../../core/params/debleedParams';
import { GATE_PARAMS } from '../../core/params/gateParams';
import { PARTS_PARAMS } from '../../core/params/partsParams';
import { SLICE_PARAMS, TAIL_PARAMS } from '../../core/params/sliceParams';

/** Puts the rules of every parameter of `table` onto the class. */
export function rulesFrom(table: ParamTable, target: { prototype: object }): void {
  for (const [id, p] of Object.entries(table)) {
    const put = (rule: PropertyDecorator) => rule(target.prototype, id);
    switch (p.kind) {
      case 'number':
        put(IsNumber({ allowNaN: false, allowInfinity: false }));
        put(Min(p.min));
        put(Max(p.max));
        break;
      case 'choice':
        put(IsIn(p.options.map((o) => o.value)));
        break;
      case 'switch':
        put(IsBoolean());
        break;
      case 'mic':
        put(IsString());
        put(MaxLength(250));
    }
  }
}

export class DebleedDto {
  @IsObject() amounts!: Record<string, unknown>;
}
rulesFrom(DEBLEED_PARAMS, DebleedDto);

export class GateDto {}
rulesFrom(GATE_PARAMS, GateDto);

export class SliceDto {}
rulesFrom(SLICE_PARAMS, SliceDto);

export class TailDto {}
rulesFrom(TAIL_PARAMS, TailDto);

export class PartsDto {}
rulesFrom(PARTS_PARAMS, PartsDto);
