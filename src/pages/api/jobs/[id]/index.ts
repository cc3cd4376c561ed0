import type { APIRoute } from 'astro';
import { db } from '../../../../server/db';
import { answer } from '../../../../server/http/respond';
import { getJob } from '../../../../server/sql/jobs';

export const GET: APIRoute = ({ params }) => answer(() => getJob(db(), params.id ?? ''));
