/**
 * Queries on plans and their history. Every write names the revision it was made on; a stale one is refused and changes nothing.
 * The edits behind the cursor can be redone; a new edit drops them.
 */
import { FreshGapError } from '../../core/errors';
import { type Edit, applyEdit, invertEdit } from '../../core/plan/edits';
import type { HistoryStep } from '../../core/plan/history';
import type { Plan } from '../../core/plan/plan';
import type { Sql, Tx } from '../db';
import { parsePlan } from '../dto/plan.dto';
import { notify } from '../events';
import { checkId } from './recordings';

export interface PlanState {
  plan: Plan;
  revision: number;
  /** Names of what undo takes back and redo brings back, or null. */
  undo: string | null;
  redo: string | null;
}

interface Row {
  doc: Plan;
  revision: number;
  cursor: number;
}

async function edit(sql: Sql | Tx, recordingId: string, seq: number): Promise<Edit | null> {
  const [row] = await sql<{ edit: Edit }[]>`select edit from plan_edit where recording_id = ${recordingId} and seq = ${seq}`;
  return row?.edit ?? null;
}

async function stateOf(sql: Sql | Tx, recordingId: string, row: Row): Promise<PlanState> {
  const undo = await edit(sql, recordingId, row.cursor);
  const redo = await edit(sql, recordingId, row.cursor + 1);
  return { plan: row.doc, revision: row.revision, undo: undo?.label ?? null, redo: redo?.label ?? null };
}

export async function getPlan(sql: Sql | Tx, recordingId: string): Promise<PlanState | null> {
  const [row] = await sql<Row[]>`select doc, revision, cursor from plan where recording_id = ${checkId(recordingId)}`;
  return row ? stateOf(sql, recordingId, row) : null;
}

/**
 * One step on the plan as it stood at `revision`, all or nothing. Throws PLAN_STALE (with the present revision in its details),
 * EDIT_CONFLICT, PLAN_INVALID, NOTHING_TO_UNDO or NOTHING_TO_REDO. `client` marks who did it, so that a page knows its own steps.
 */
export async function takeStep(sql: Sql, recordingId: string, revision: number, step: HistoryStep, client: string): Promise<PlanState> {
  checkId(recordingId);
  return sql.begin(async (tx) => {
    const [row] = await tx<Row[]>`select doc, revision, cursor from plan where recording_id = ${recordingId} for update`;
    if (!row) throw new FreshGapError('NOT_FOUND', 'There is no plan for this recording.');
    if (row.revision !== revision) {
      throw new FreshGapError('PLAN_STALE', `The plan is at revision ${row.revision}, this change was made on ${revision}.`, { revision: row.revision });
    }
    let doc = row.doc;
    let cursor = row.cursor;
    if (step.kind === 'do') {
      doc = applyEdit(doc, step.edit);
      cursor += 1;
      await tx`delete from plan_edit where recording_id = ${recordingId} and seq >= ${cursor}`;
      await tx`insert into plan_edit (recording_id, seq, edit) values (${recordingId}, ${cursor}, ${tx.json(step.edit as never)})`;
    } else if (step.kind === 'undo') {
      const last = await edit(tx, recordingId, cursor);
      if (!last) throw new FreshGapError('NOTHING_TO_UNDO', 'There is nothing to undo.');
      doc = applyEdit(doc, invertEdit(last));
      cursor -= 1;
    } else {
      const next = await edit(tx, recordingId, cursor + 1);
      if (!next) throw new FreshGapError('NOTHING_TO_REDO', 'There is nothing to redo.');
      doc = applyEdit(doc, next);
      cursor += 1;
    }
    parsePlan(doc);
    await tx`update plan set doc = ${tx.json(doc as never)}, revision = ${revision + 1}, cursor = ${cursor} where recording_id = ${recordingId}`;
    await notify(tx, { kind: 'plan', recordingId, revision: revision + 1, client });
    return stateOf(tx, recordingId, { doc, revision: revision + 1, cursor });
  }) as Promise<PlanState>;
}

/** Replaces the document outside history: what importing and removing files does. `clearHistory` where old edits no longer fit. */
export async function putPlan(tx: Tx, recordingId: string, plan: Plan, clearHistory: boolean): Promise<void> {
  const [row] = await tx<{ revision: number }[]>`
    insert into plan (recording_id, doc) values (${recordingId}, ${tx.json(plan as never)})
    on conflict (recording_id) do update set doc = excluded.doc, revision = plan.revision + 1 returning revision`;
  if (clearHistory) {
    await tx`delete from plan_edit where recording_id = ${recordingId}`;
    await tx`update plan set cursor = 0 where recording_id = ${recordingId}`;
  }
  await notify(tx, { kind: 'plan', recordingId, revision: row.revision, client: '' });
}

export async function hasEdits(tx: Tx, recordingId: string): Promise<boolean> {
  return (await tx`select 1 from plan_edit where recording_id = ${recordingId} limit 1`).length > 0;
}
