import type { APIRoute } from 'astro';
import { FreshGapError } from '../../../../core/errors';
import { db } from '../../../../server/db';
import { ExportDto } from '../../../../server/dto/requests.dto';
import { validated } from '../../../../server/dto/validate';
import { readBody } from '../../../../server/http/body';
import { answer } from '../../../../server/http/respond';
import type { ExportInput } from '../../../../server/jobs/exportJob';
import { addJob, listJobs } from '../../../../server/sql/jobs';
import { getPlan } from '../../../../server/sql/plans';

export const GET: APIRoute = ({ params }) => answer(() => listJobs(db(), params.id ?? '', 'export'));

export const POST: APIRoute = ({ params, request }) =>
  answer(async () => {
    const id = params.id ?? '';
    const { encoding, suffix, files } = validated(ExportDto, await readBody(request));
    const state = await getPlan(db(), id);
    if (!state || state.plan.order.length === 0) throw new FreshGapError('NOT_FOUND', 'The recording has no mics yet.');
    const input: ExportInput = { encoding, suffix, files, plan: state.plan };
    return addJob(db(), id, 'export', input);
  });
