/** Validation of settings saved under a name, from the page or from a file. */
import 'reflect-metadata';
import { Type } from 'class-transformer';
import { Equals, IsObject, IsString, Length, Matches, ValidateNested } from 'class-validator';
import { SETTINGS_FORMAT, type NamedSettings } from '../../core/plan/startingPoints';
import { GateDto, SliceDto, TailDto } from './treatments.dto';
import { validated } from './validate';

class NamedSettingsDto {
  @Equals(SETTINGS_FORMAT) format!: string;
  @Equals(1) version!: number;
  @IsString() @Length(1, 60) @Matches(/\S/, { message: 'name must not be blank' }) name!: string;
  @IsObject() @ValidateNested() @Type(() => GateDto) gate!: GateDto;
  @IsObject() @ValidateNested() @Type(() => SliceDto) slices!: SliceDto;
  @IsObject() @ValidateNested() @Type(() => TailDto) tail!: TailDto;
}

/** Throws BAD_REQUEST naming what is wrong. */
export function parseSettings(raw: unknown): NamedSettings {
  validated(NamedSettingsDto, raw, 'BAD_REQUEST');
  const s = raw as NamedSettings;
  return { format: SETTINGS_FORMAT, version: 1, name: s.name.trim(), gate: { ...s.gate, keyFrom: '' }, slices: s.slices, tail: s.tail };
}
