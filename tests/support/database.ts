/** A database of its own for a test file, on the server that scripts/test.mjs started. */
import { randomUUID } from 'node:crypto';
import { fileURLToPath } from 'node:url';
import { type Sql, connect } from '../../src/server/db';
import { migrate } from '../../src/server/migrate';

export const MIGRATIONS = fileURLToPath(new URL('../../db/migrations', import.meta.url));

export interface TestDatabase {
  sql: Sql;
  url: string;
  drop(): Promise<void>;
}

export async function createDatabase(): Promise<TestDatabase> {
  const admin = process.env.DATABASE_URL;
  if (!admin) throw new Error('DATABASE_URL is not set: run the tests with npm test.');
  const name = `test_${randomUUID().replaceAll('-', '')}`;
  const root = connect(admin, 1);
  await root.unsafe(`create database ${name}`);
  const url = admin.replace(/\/[^/]*$/, `/${name}`);
  const sql = connect(url, 8);
  await migrate(sql, MIGRATIONS);
  return {
    sql,
    url,
    async drop() {
      await sql.end({ timeout: 5 });
      await root.unsafe(`drop database ${name} with (force)`);
      await root.end();
    },
  };
}
