import type { APIRoute } from 'astro';
import { FreshGapError } from '../../../../core/errors';
import { editFromPlan } from '../../../../core/plan/matchPlan';
import { db } from '../../../../server/db';
import { parsePlan } from '../../../../server/dto/plan.dto';
import { OpenPlanDto } from '../../../../server/dto/requests.dto';
import { validated } from '../../../../server/dto/validate';
import { readBody } from '../../../../server/http/body';
import { answer } from '../../../../server/http/respond';
import { getPlan, takeStep } from '../../../../server/sql/plans';

async function current(id: string) {
  const state = await getPlan(db(), id);
  if (!state) throw new FreshGapError('NOT_FOUND', 'There is no plan for this recording yet.');
  return state;
}

/** The plan file. */
export const GET: APIRoute = ({ params }) => answer(async () => (await current(params.id ?? '')).plan);

/** Opens a plan file onto this recording: one edit, undoable. */
export const POST: APIRoute = ({ params, request }) =>
  answer(async () => {
    const id = params.id ?? '';
    const body = validated(OpenPlanDto, await readBody(request));
    const state = await current(id);
    const { edit, missing } = editFromPlan(state.plan, parsePlan(body.plan), 'Opened a plan file');
    if (edit.changes.length === 0) return { ...state, missing };
    return { ...(await takeStep(db(), id, body.revision, { kind: 'do', edit }, body.client)), missing };
  });
