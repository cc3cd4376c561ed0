import { describe, expect, it } from 'vitest';
import { buildEnv } from '../../scripts/lib/build.mjs';

describe('the environment of the build', () => {
  it('is production, whatever a shell or a test runner says of its own', () => {
    // what this very runner sets would build pages that stay blank
    expect(process.env.NODE_ENV).toBe('test');
    const env = buildEnv({ ...process.env, DEV: '1', MODE: 'test', PATH: '/bin' });
    expect(env).toMatchObject({ NODE_ENV: 'production', PATH: '/bin' });
    for (const name of ['DEV', 'PROD', 'MODE', 'SSR', 'BASE_URL']) expect(env, name).not.toHaveProperty(name);
  });
});
