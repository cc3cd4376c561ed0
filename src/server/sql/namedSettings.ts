/** Queries on settings saved under names. */
import type { NamedSettings } from '../../core/plan/startingPoints';
import type { Sql } from '../db';

export async function listSettings(sql: Sql): Promise<NamedSettings[]> {
  const rows = await sql<{ doc: NamedSettings }[]>`select doc from named_settings order by lower(name)`;
  return rows.map((r) => r.doc);
}

/** Saves, over those of the same name. */
export async function saveSettings(sql: Sql, s: NamedSettings): Promise<void> {
  await sql`insert into named_settings (name, doc) values (${s.name}, ${sql.json(s as never)}) on conflict (name) do update set doc = excluded.doc`;
}

export async function deleteSettings(sql: Sql, name: string): Promise<void> {
  await sql`delete from named_settings where name = ${name}`;
}
