/** Reads a JSON body. */
import { FreshGapError } from '../../core/errors';

const LIMIT = 4 * 2 ** 20;

/** Throws BAD_REQUEST where the body is no JSON, of another type, or larger than 4 MiB. */
export async function readBody(request: Request): Promise<unknown> {
  if (!(request.headers.get('content-type') ?? '').startsWith('application/json')) throw new FreshGapError('BAD_REQUEST', 'A JSON body was expected.');
  const text = await request.text();
  if (text.length > LIMIT) throw new FreshGapError('BAD_REQUEST', 'The request is too large.');
  try {
    return JSON.parse(text);
  } catch {
    throw new FreshGapError('BAD_REQUEST', 'The request is no JSON.');
  }
}
