/** Requests to the server; failures come as FreshGapError with the catalogue's wording. */
import { type ErrorCode, FreshGapError } from '../../core/errors';

export async function request<T>(method: string, url: string, body?: unknown): Promise<T> {
  let res: Response;
  try {
    res = await fetch(url, { method, headers: body === undefined ? {} : { 'Content-Type': 'application/json' }, body: body === undefined ? undefined : JSON.stringify(body) });
  } catch {
    throw new OfflineError();
  }
  const data = await res.json().catch(() => null);
  if (!res.ok) {
    const e = data?.error;
    throw new FreshGapError((e?.code as ErrorCode) ?? 'INTERNAL', e?.message ?? `The server answered ${res.status}.`, e?.details ?? {});
  }
  return data as T;
}

/**
 * Asks again for what a page shows, at every notice of a change: an answer that comes after that of a later question is left out,
 * and a question that fails leaves what was there, as the next notice asks again.
 */
export function refresher<T>(ask: () => Promise<T>, take: (answer: T) => void): () => Promise<void> {
  let asked = 0;
  let taken = 0;
  return async () => {
    const mine = ++asked;
    const answer = await ask().catch(() => null);
    if (answer === null || mine < taken) return;
    taken = mine;
    take(answer);
  };
}

/** The server did not answer at all. */
export class OfflineError extends Error {
  constructor() {
    super('The server does not answer.');
    this.name = 'OfflineError';
  }
}

/** Title and text of any failure, for a message to a person. */
export function describe(e: unknown): { title: string; text: string } {
  if (e instanceof FreshGapError) return { title: e.entry.title, text: `${e.message} ${e.entry.hint}` };
  if (e instanceof OfflineError) return { title: 'The server does not answer', text: 'Is Fresh Gap still running in its terminal? Your last changes are kept here and saved when it is back.' };
  return { title: 'Something went wrong', text: e instanceof Error ? e.message : String(e) };
}
