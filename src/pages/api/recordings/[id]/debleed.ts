import type { APIRoute } from 'astro';
import { db } from '../../../../server/db';
import { loadDebleed, startDebleed } from '../../../../server/debleed';
import { answer } from '../../../../server/http/respond';

export const GET: APIRoute = ({ params }) => answer(() => loadDebleed(db(), params.id ?? ''));

export const POST: APIRoute = ({ params }) => answer(() => startDebleed(db(), params.id ?? ''));
