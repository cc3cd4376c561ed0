import type { APIRoute } from 'astro';
import { FreshGapError } from '../../../../../core/errors';
import { db } from '../../../../../server/db';
import { answer } from '../../../../../server/http/respond';
import { removeFile } from '../../../../../server/importFile';

export const DELETE: APIRoute = ({ params }) =>
  answer(async () => {
    const fileId = Number(params.fileId);
    if (!Number.isSafeInteger(fileId)) throw new FreshGapError('NOT_FOUND', 'There is no such file.');
    await removeFile(db(), params.id ?? '', fileId);
  });
