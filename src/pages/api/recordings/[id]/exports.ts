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
    const { encoding, suffix, files, hits } = validated(ExportDto, await readBody(request));
    const badKey = Object.entries(hits?.keys ?? {}).find(([, k]) => !Number.isInteger(k) || k < 0 || k > 127);
    if (badKey) throw new FreshGapError('BAD_REQUEST', `The MIDI key of ${badKey[0].slice(0, 40)} is not between 0 and 127.`);
    const state = await getPlan(db(), id);
    if (!state || state.plan.order.length === 0) throw new FreshGapError('NOT_FOUND', 'The recording has no mics yet.');
    const input: ExportInput = { encoding, suffix, files, hits, plan: state.plan };
    return addJob(db(), id, 'export', input);
  });
