/**
 * Who may talk to this server: pages of its own, at an address of its own. Host is checked on every request (a page of another name
 * that resolves to this machine is refused), Origin and Sec-Fetch-Site on every request that writes.
 */
import type { IncomingMessage } from 'node:http';
import { FreshGapError } from '../../core/errors';

const LOOPBACK = new Set(['localhost', '127.0.0.1', '[::1]']);

const hostName = (host: string) => host.replace(/:\d+$/, '').toLowerCase();

/** Names this server answers to: loopback, and what FRESH_GAP_ALLOWED_HOSTS lists (commas between). */
export function allowedHosts(): Set<string> {
  const more = (process.env.FRESH_GAP_ALLOWED_HOSTS ?? '').split(',').map((h) => h.trim().toLowerCase()).filter(Boolean);
  return new Set([...LOOPBACK, ...more]);
}

/** Throws BAD_ORIGIN. */
export function guard(req: Pick<IncomingMessage, 'method' | 'headers'>): void {
  const host = req.headers.host ?? '';
  if (!allowedHosts().has(hostName(host))) throw new FreshGapError('BAD_ORIGIN', `The host ${host || '(none)'} is not served here.`);
  if (req.method === 'GET' || req.method === 'HEAD' || req.method === 'OPTIONS') return;
  const site = req.headers['sec-fetch-site'];
  if (site !== undefined && site !== 'same-origin' && site !== 'none') throw new FreshGapError('BAD_ORIGIN', `A ${site} page may not change anything here.`);
  const origin = req.headers.origin;
  if (origin !== undefined && origin !== `http://${host}` && origin !== `https://${host}`) throw new FreshGapError('BAD_ORIGIN', `${origin} may not change anything here.`);
}

/** Headers on everything: shared memory for audio, nothing from elsewhere, no sniffing, no framing. */
export const SECURITY_HEADERS: Readonly<Record<string, string>> = {
  'Cross-Origin-Opener-Policy': 'same-origin',
  'Cross-Origin-Embedder-Policy': 'require-corp',
  'Cross-Origin-Resource-Policy': 'same-origin',
  'X-Content-Type-Options': 'nosniff',
  'Referrer-Policy': 'no-referrer',
  'X-Frame-Options': 'DENY',
  'Content-Security-Policy':
    "default-src 'self'; script-src 'self' 'wasm-unsafe-eval'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; font-src 'self' data:; connect-src 'self'; worker-src 'self' blob:; object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'",
};
