/**
 * The content security policy of pages: only scripts of our own. The few lines Astro writes into the page to wake its islands are let
 * through by their hashes; nothing else inline runs.
 */
import { createHash } from 'node:crypto';
import { defineMiddleware } from 'astro:middleware';
import { SECURITY_HEADERS } from './server/http/guard';

const hashes = (html: string) =>
  [...html.matchAll(/<script(?![^>]*\ssrc=)[^>]*>([\s\S]*?)<\/script>/g)].map((m) => `'sha256-${createHash('sha256').update(m[1]).digest('base64')}'`);

export const onRequest = defineMiddleware(async (_context, next) => {
  const res = await next();
  if (!res.headers.get('content-type')?.startsWith('text/html') || import.meta.env.DEV) return res;
  const html = await res.text();
  const headers = new Headers(res.headers);
  headers.set('Content-Security-Policy', SECURITY_HEADERS['Content-Security-Policy'].replace("script-src 'self'", `script-src 'self' ${[...new Set(hashes(html))].join(' ')}`));
  headers.set('Cache-Control', 'no-store');
  return new Response(html, { status: res.status, headers });
});
