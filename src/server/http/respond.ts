/** Answers: JSON, and errors with the catalogue's wording. */
import type { ServerResponse } from 'node:http';
import { ERRORS, toErrorData } from '../../core/errors';

/** What a page is told of an error: `{error: {code, title, message, hint, details}}`. Internal messages stay on the server. */
export function errorBody(e: unknown): { status: number; body: object } {
  const d = toErrorData(e);
  const entry = ERRORS[d.code];
  if (d.code === 'INTERNAL') console.error(e);
  return {
    status: entry.status,
    body: { error: { code: d.code, title: entry.title, message: d.code === 'INTERNAL' ? 'An unexpected error; it is in the server output.' : d.message, hint: entry.hint, details: d.details ?? {} } },
  };
}

/** A handler of an Astro endpoint: whatever it returns is sent as JSON, whatever it throws as a coded error. */
export async function answer(work: () => Promise<unknown>): Promise<Response> {
  try {
    return Response.json((await work()) ?? {}, { headers: { 'Cache-Control': 'no-store' } });
  } catch (e) {
    const { status, body } = errorBody(e);
    return Response.json(body, { status, headers: { 'Cache-Control': 'no-store' } });
  }
}

/** The same for plain Node responses. */
export function sendError(res: ServerResponse, e: unknown): void {
  // whoever asked has gone away: nobody to tell, nothing wrong
  if (res.destroyed || (e as { code?: string } | null)?.code === 'ECONNRESET') {
    res.destroy();
    return;
  }
  const { status, body } = errorBody(e);
  if (res.headersSent) {
    res.destroy();
    return;
  }
  sendJson(res, body, status);
}

export function sendJson(res: ServerResponse, body: unknown, status = 200): void {
  res.writeHead(status, { 'Content-Type': 'application/json', 'Cache-Control': 'no-store' });
  res.end(JSON.stringify(body));
}
