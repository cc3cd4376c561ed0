import type { APIRoute } from 'astro';
import { db } from '../../../server/db';
import { NameDto } from '../../../server/dto/requests.dto';
import { validated } from '../../../server/dto/validate';
import { readBody } from '../../../server/http/body';
import { answer } from '../../../server/http/respond';
import { createRecording, listRecordings } from '../../../server/sql/recordings';

export const GET: APIRoute = () => answer(() => listRecordings(db()));

export const POST: APIRoute = ({ request }) =>
  answer(async () => {
    const { name } = validated(NameDto, await readBody(request));
    return { id: await createRecording(db(), name.trim()) };
  });
