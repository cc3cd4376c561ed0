import type { APIRoute } from 'astro';
import { db } from '../../../../server/db';
import { startImage } from '../../../../server/debleed';
import { ImageDto } from '../../../../server/dto/requests.dto';
import { validated } from '../../../../server/dto/validate';
import { readBody } from '../../../../server/http/body';
import { answer } from '../../../../server/http/respond';

export const POST: APIRoute = ({ params, request }) =>
  answer(async () => {
    const { micId, source } = validated(ImageDto, await readBody(request));
    return startImage(db(), params.id ?? '', { micId, source });
  });
