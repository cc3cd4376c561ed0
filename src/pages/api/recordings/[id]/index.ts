import type { APIRoute } from 'astro';
import { db } from '../../../../server/db';
import { NameDto } from '../../../../server/dto/requests.dto';
import { validated } from '../../../../server/dto/validate';
import { readBody } from '../../../../server/http/body';
import { answer } from '../../../../server/http/respond';
import { deleteRecording, renameRecording } from '../../../../server/sql/recordings';
import { loadWorkbench } from '../../../../server/workbench';

export const GET: APIRoute = ({ params }) => answer(() => loadWorkbench(db(), params.id ?? ''));

export const PATCH: APIRoute = ({ params, request }) =>
  answer(async () => renameRecording(db(), params.id ?? '', validated(NameDto, await readBody(request)).name.trim()));

export const DELETE: APIRoute = ({ params }) => answer(() => deleteRecording(db(), params.id ?? ''));
