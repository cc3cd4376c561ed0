/** Bodies of requests. */
import 'reflect-metadata';
import { Type } from 'class-transformer';
import { ArrayMaxSize, ArrayMinSize, IsArray, IsBoolean, IsDefined, IsIn, IsInt, IsNumber, IsObject, IsOptional, IsString, Length, Matches, Max, MaxLength, Min, ValidateIf, ValidateNested } from 'class-validator';

export class NameDto {
  @IsString() @Length(1, 200) @Matches(/\S/, { message: 'name must not be blank' }) name!: string;
}

class ChangeDto {
  @IsArray() @ArrayMinSize(2) @ArrayMaxSize(6) @IsString({ each: true }) path!: string[];
  @ValidateIf((c: ChangeDto) => c.before !== null) @IsDefined() before!: unknown;
  @ValidateIf((c: ChangeDto) => c.after !== null) @IsDefined() after!: unknown;
}

class EditDto {
  @IsString() @Length(1, 300) label!: string;
  @IsArray() @ArrayMinSize(1) @ArrayMaxSize(20000) @ValidateNested({ each: true }) @Type(() => ChangeDto) changes!: ChangeDto[];
}

class StepDto {
  @IsIn(['do', 'undo', 'redo']) kind!: 'do' | 'undo' | 'redo';
  @ValidateIf((s: StepDto) => s.kind === 'do') @IsObject() @ValidateNested() @Type(() => EditDto) edit?: EditDto;
}

export class TakeStepDto {
  @IsInt() @Min(1) revision!: number;
  @IsString() @MaxLength(64) client!: string;
  @IsObject() @ValidateNested() @Type(() => StepDto) step!: StepDto;
}

export class OpenPlanDto {
  @IsInt() @Min(1) revision!: number;
  @IsString() @MaxLength(64) client!: string;
  @IsObject() plan!: object;
}

class HitFilesDto {
  @IsBoolean() midi!: boolean;
  @IsObject() keys!: Record<string, number>;
  @IsNumber() @Min(0.2) @Max(3) curve!: number;
  @IsIn(['none', 'own', 'synthetic']) ticks!: 'none' | 'own' | 'synthetic';
  @IsBoolean() csv!: boolean;
  @IsBoolean() labels!: boolean;
  @IsOptional() @IsBoolean() cuts: boolean = false;
  @IsOptional() @IsBoolean() slices: boolean = false;
}

export class ExportDto {
  @IsIn(['pcm24', 'float32']) encoding!: 'pcm24' | 'float32';
  @IsString() @MaxLength(40) @Matches(/^[^\\/:*?"<>|\p{Cc}]*$/u, { message: 'suffix must not hold characters that file names cannot' }) suffix!: string;
  @IsOptional() @IsArray() @ArrayMinSize(1) @ArrayMaxSize(64) @IsString({ each: true }) files?: string[];
  @IsOptional() @IsObject() @ValidateNested() @Type(() => HitFilesDto) hits?: HitFilesDto;
}

/** An image of a drum (or the rest) in a mic. */
export class ImageDto {
  @IsString() @Length(1, 220) micId!: string;
  @IsString() @Matches(/^[a-z][a-z0-9-]{0,39}$/, { message: 'source must be a drum or rest' }) source!: string;
}
