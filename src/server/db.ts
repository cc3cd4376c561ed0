/**
 * The connection to PostgreSQL. One pool a process, also where the page server and our own server are bundled apart: it hangs on
 * globalThis. Settings: DATABASE_URL.
 */
import postgres from 'postgres';

export type Sql = postgres.Sql<{ bigint: number }>;
export type Tx = postgres.TransactionSql<{ bigint: number }>;

const KEY = Symbol.for('fresh-gap.sql');

/** bigint columns come as numbers: frames and bytes stay far below 2^53. */
export function connect(url: string, max = 10): Sql {
  return postgres(url, {
    max,
    onnotice: () => {},
    // what readChunk decodes
    connection: { bytea_output: 'hex' },
    types: { bigint: { to: 20, from: [20], parse: Number, serialize: String } },
  }) as unknown as Sql;
}

/** The pool of this process. Throws where DATABASE_URL is missing. */
export function db(): Sql {
  const g = globalThis as { [KEY]?: Sql };
  if (!g[KEY]) {
    const url = process.env.DATABASE_URL;
    if (!url) throw new Error('DATABASE_URL is not set; start with npm start.');
    g[KEY] = connect(url);
  }
  return g[KEY];
}

/** Closes the pool, if there is one. */
export async function closeDb(): Promise<void> {
  const g = globalThis as { [KEY]?: Sql };
  const sql = g[KEY];
  delete g[KEY];
  await sql?.end({ timeout: 5 });
}
