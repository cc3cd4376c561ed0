import type { APIRoute } from 'astro';
import type { HistoryStep } from '../../../../core/plan/history';
import { db } from '../../../../server/db';
import { TakeStepDto } from '../../../../server/dto/requests.dto';
import { validated } from '../../../../server/dto/validate';
import { readBody } from '../../../../server/http/body';
import { answer } from '../../../../server/http/respond';
import { takeStep } from '../../../../server/sql/plans';

export const POST: APIRoute = ({ params, request }) =>
  answer(async () => {
    const { revision, step, client } = validated(TakeStepDto, await readBody(request));
    return takeStep(db(), params.id ?? '', revision, step as HistoryStep, client);
  });
