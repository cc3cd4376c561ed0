import type { APIRoute } from 'astro';
import { db } from '../../server/db';
import { parseSettings } from '../../server/dto/namedSettings.dto';
import { NameDto } from '../../server/dto/requests.dto';
import { validated } from '../../server/dto/validate';
import { readBody } from '../../server/http/body';
import { answer } from '../../server/http/respond';
import { deleteSettings, listSettings, saveSettings } from '../../server/sql/namedSettings';

export const GET: APIRoute = () => answer(() => listSettings(db()));

export const PUT: APIRoute = ({ request }) =>
  answer(async () => {
    await saveSettings(db(), parseSettings(await readBody(request)));
    return listSettings(db());
  });

export const DELETE: APIRoute = ({ request }) =>
  answer(async () => {
    await deleteSettings(db(), validated(NameDto, await readBody(request)).name);
    return listSettings(db());
  });
