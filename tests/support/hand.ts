import { fileURLToPath } from 'node:url';

/** The bundled worker thread of analysis and de-bleed: tests run after the build. */
export const THREAD = fileURLToPath(new URL('../../dist/node/hand.thread.mjs', import.meta.url));
