/** Queries on cached cleaned files, kept by the hash of everything that went into them. */
import type { Sql, Tx } from '../db';
import { copyRows, int4 } from './audio';

export interface RenderRow {
  key: string;
  bytes: number;
  clipped: number;
}

export async function findRender(sql: Sql, key: string): Promise<RenderRow | null> {
  const [row] = await sql<RenderRow[]>`update render set used_at = now() where key = ${key} returning key, bytes, clipped`;
  return row ?? null;
}

/**
 * Stores a cleaned file whole or not at all: `produce` is given a function that takes its bytes piece by piece and returns the
 * number of samples that had to be limited.
 */
export async function storeRender(sql: Sql, key: string, encoding: string, produce: (write: (b: Uint8Array) => Promise<void>) => Promise<number>): Promise<RenderRow> {
  return sql.begin(async (tx: Tx) => {
    await tx`insert into render (key, encoding, bytes) values (${key}, ${encoding}, 0) on conflict (key) do nothing`;
    await tx`delete from render_chunk where key = ${key}`;
    const stream = await tx`copy render_chunk (key, seq, data) from stdin (format binary)`.writable();
    const name = Buffer.from(key);
    let seq = 0;
    let bytes = 0;
    const clipped = await copyRows(stream, (put) =>
      produce(async (b) => {
        await put([name, int4(seq++), b]);
        bytes += b.length;
      }),
    );
    await tx`update render set bytes = ${bytes}, clipped = ${clipped} where key = ${key}`;
    return { key, bytes, clipped };
  }) as Promise<RenderRow>;
}

export async function readRenderChunk(sql: Sql, key: string, seq: number): Promise<Uint8Array | null> {
  const [row] = await sql<{ data: Buffer }[]>`select data from render_chunk where key = ${key} and seq = ${seq}`;
  return row?.data ?? null;
}

/** Forgets cleaned files that nobody asked for in two weeks. */
export async function dropOldRenders(sql: Sql): Promise<void> {
  await sql`delete from render where used_at < now() - interval '14 days'`;
}
