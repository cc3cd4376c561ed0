/** Plain numbered migrations, forward only, each in one transaction, under a lock so that two servers starting at once do not meet. */
import { readFile, readdir } from 'node:fs/promises';
import { join } from 'node:path';
import type { Sql } from './db';

/** Applies what is missing of `folder`/000001_name.sql, ...; returns the names applied. */
export async function migrate(sql: Sql, folder: string): Promise<string[]> {
  const files = (await readdir(folder)).filter((f) => /^\d{6}_.+\.sql$/.test(f)).sort();
  const done: string[] = [];
  await sql`create table if not exists migration (name text primary key, applied_at timestamptz not null default now())`;
  for (const name of files) {
    await sql.begin(async (tx) => {
      await tx`select pg_advisory_xact_lock(722001)`;
      const [seen] = await tx`select 1 from migration where name = ${name}`;
      if (seen) return;
      await tx.unsafe(await readFile(join(folder, name), 'utf8'));
      await tx`insert into migration (name) values (${name})`;
      done.push(name);
    });
  }
  return done;
}
