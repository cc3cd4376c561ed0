import node from '@astrojs/node';
import react from '@astrojs/react';
import tailwind from '@tailwindcss/vite';
import { defineConfig } from 'astro/config';
import { nodeBundles } from './scripts/lib/nodeBundles.mjs';

/** Serves /bulk/... and the guard in the development server, as src/server/main.ts does in the built program. */
const bulkInDev = {
  name: 'fresh-gap:bulk-in-dev',
  configureServer(server) {
    server.middlewares.use(async (req, res, next) => {
      const { serveBulk } = await server.ssrLoadModule('/src/server/http/bulk.ts');
      const { SECURITY_HEADERS } = await server.ssrLoadModule('/src/server/http/guard.ts');
      for (const [k, v] of Object.entries(SECURITY_HEADERS)) if (k !== 'Content-Security-Policy') res.setHeader(k, v);
      if (!(await serveBulk(req, res))) next();
    });
  },
};

export default defineConfig({
  output: 'server',
  adapter: node({ mode: 'standalone' }),
  integrations: [react(), nodeBundles()],
  devToolbar: { enabled: false },
  telemetry: false,
  // every request passes our own guard (src/server/http/guard.ts), which also covers what this does not
  security: { checkOrigin: false },
  server: { host: '127.0.0.1' },
  vite: {
    plugins: [tailwind(), bulkInDev],
    worker: { format: 'es' },
    build: { assetsInlineLimit: 0 },
    server: { watch: { ignored: ['**/.data/**', '**/dist/**'] } },
    ssr: { external: ['postgres', 'piscina', 'yazl'] },
  },
});
