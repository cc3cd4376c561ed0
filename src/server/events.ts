/**
 * What happened, told to every open page: PostgreSQL's NOTIFY carries it between processes, so that a worker elsewhere reaches a page
 * here; one LISTEN a process fans it out. Notices inside a transaction go out when it commits.
 */
import { type Sql, type Tx, db } from './db';

export type Notice =
  | { kind: 'plan'; recordingId: string; revision: number; client: string }
  | { kind: 'files'; recordingId: string }
  | { kind: 'job'; recordingId: string; jobId: string; job: string; state: string; progress: number; note: string }
  | { kind: 'queued'; recordingId: string };

const CHANNEL = 'fresh_gap';
const KEY = Symbol.for('fresh-gap.events');

interface Hub {
  listeners: Set<(n: Notice) => void>;
  ready: Promise<unknown>;
}

export async function notify(sql: Sql | Tx, n: Notice): Promise<void> {
  await sql`select pg_notify(${CHANNEL}, ${JSON.stringify(n)})`;
}

/** Calls `listener` with every notice until the returned function is called. */
export async function subscribe(listener: (n: Notice) => void): Promise<() => void> {
  const g = globalThis as { [KEY]?: Hub };
  if (!g[KEY]) {
    const listeners = new Set<(n: Notice) => void>();
    g[KEY] = {
      listeners,
      ready: db().listen(CHANNEL, (payload) => {
        const n = JSON.parse(payload) as Notice;
        for (const l of listeners) l(n);
      }),
    };
  }
  const hub = g[KEY];
  await hub.ready;
  hub.listeners.add(listener);
  return () => hub.listeners.delete(listener);
}
