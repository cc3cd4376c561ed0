/** Validation of settings saved under a name, from the page or from a file. */
import 'reflect-metadata';
import { Type } from 'class-transformer';
import { Equals, IsObject, IsOptional, IsString, Length, Matches, ValidateNested } from 'class-validator';
import { SETTINGS_FORMAT, type NamedSettings } from '../../core/plan/startingPoints';
import { DebleedDto, GateDto, PartsDto, SliceDto, TailDto } from './treatments.dto';
import { validated } from './validate';

class NamedSettingsDto {
  @Equals(SETTINGS_FORMAT) format!: string;
  @Equals(1) version!: number;
  @IsString() @Length(1, 60) @Matches(/\S/, { message: 'name must not be blank' }) name!: string;
  @IsObject() @ValidateNested() @Type(() => GateDto) gate!: GateDto;
  @IsObject() @ValidateNested() @Type(() => SliceDto) slices!: SliceDto;
  @IsObject() @ValidateNested() @Type(() => TailDto) tail!: TailDto;
  @IsOptional() @IsObject() @ValidateNested() @Type(() => DebleedDto) debleed?: DebleedDto;
  @IsOptional() @IsObject() @ValidateNested() @Type(() => PartsDto) parts?: PartsDto;
}

/** Throws BAD_REQUEST naming what is wrong. */
export function parseSettings(raw: unknown): NamedSettings {
  const given = raw as NamedSettings | null;
  // older files lack what came later
  const whole = given?.gate && given.slices && typeof given.gate === 'object' && typeof given.slices === 'object';
  const s = whole ? { ...given, gate: Object.assign({ keepDoubtful: false, softShorter: 0, hitMax: 100 }, given.gate), slices: Object.assign({ ownDb: 34 }, given.slices) } : (given as NamedSettings);
  validated(NamedSettingsDto, s, 'BAD_REQUEST');
  return { format: SETTINGS_FORMAT, version: 1, name: s.name.trim(), gate: { ...s.gate, keyFrom: '' }, slices: s.slices, tail: s.tail, ...(s.debleed ? { debleed: { ...s.debleed, amounts: {} } } : {}), ...(s.parts ? { parts: s.parts } : {}) };
}
