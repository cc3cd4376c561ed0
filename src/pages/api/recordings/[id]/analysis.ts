import type { APIRoute } from 'astro';
import { db } from '../../../../server/db';
import { answer } from '../../../../server/http/respond';
import { loadAnalysis, startAnalysis } from '../../../../server/analysis';

export const GET: APIRoute = ({ params }) => answer(() => loadAnalysis(db(), params.id ?? ''));

export const POST: APIRoute = ({ params }) => answer(() => startAnalysis(db(), params.id ?? ''));
