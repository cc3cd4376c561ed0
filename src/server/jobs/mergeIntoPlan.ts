/** Puts what a job found into the newest plan, as one edit. The plan may change meanwhile: then once more on the newer one. */
import { FreshGapError } from '../../core/errors';
import type { Edit } from '../../core/plan/edits';
import type { Plan } from '../../core/plan/plan';
import type { Sql } from '../db';
import { getPlan, takeStep } from '../sql/plans';

const TRIES = 20;

export async function mergeIntoPlan(sql: Sql, recordingId: string, make: (plan: Plan) => Edit, client: string): Promise<void> {
  for (let n = 0; ; n++) {
    const now = await getPlan(sql, recordingId);
    if (!now) throw new FreshGapError('NOT_FOUND', 'The recording is gone.');
    const edit = make(now.plan);
    const changes = edit.changes.filter((c) => JSON.stringify(c.before) !== JSON.stringify(c.after));
    try {
      if (changes.length) await takeStep(sql, recordingId, now.revision, { kind: 'do', edit: { ...edit, changes } }, client);
      return;
    } catch (e) {
      if (!(e instanceof FreshGapError && e.code === 'PLAN_STALE') || n >= TRIES) throw e;
    }
  }
}
