/** Runs class-validator on plain data and turns what it finds into one coded error that names every field. */
import 'reflect-metadata';
import { type ClassConstructor, plainToInstance } from 'class-transformer';
import { type ValidationError, validateSync } from 'class-validator';
import { type ErrorCode, FreshGapError } from '../../core/errors';

function flatten(errors: readonly ValidationError[], path = ''): string[] {
  return errors.flatMap((e) => {
    const at = path ? `${path}.${e.property}` : e.property;
    return [...Object.values(e.constraints ?? {}).map((m) => `${path ? `${path}.` : ''}${m}`), ...flatten(e.children ?? [], at)];
  });
}

/** The instance of `type` that `data` describes. Unknown fields are refused. Throws `code` with the problems in its details. */
export function validated<T extends object>(type: ClassConstructor<T>, data: unknown, code: ErrorCode = 'BAD_REQUEST'): T {
  if (typeof data !== 'object' || data === null || Array.isArray(data)) throw new FreshGapError(code, 'An object was expected.');
  const instance = plainToInstance(type, data);
  const problems = flatten(validateSync(instance, { whitelist: true, forbidNonWhitelisted: true, forbidUnknownValues: true }));
  if (problems.length) throw new FreshGapError(code, problems.slice(0, 3).join('; '), { problems: problems.slice(0, 20) });
  return instance;
}
