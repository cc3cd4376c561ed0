import type { APIRoute } from 'astro';
import { db } from '../../../../server/db';
import { answer } from '../../../../server/http/respond';
import { cancelJob } from '../../../../server/sql/jobs';

export const POST: APIRoute = ({ params }) => answer(() => cancelJob(db(), params.id ?? ''));
