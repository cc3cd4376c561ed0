/**
 * Routes that carry bytes or stay open, served by plain Node streams with back-pressure: upload, PCM, peaks, zip, events. The same
 * function serves the built program and the development server.
 */
import type { IncomingMessage, ServerResponse } from 'node:http';
import { pipeline } from 'node:stream/promises';
import { FreshGapError } from '../../core/errors';
import { decodeChannel } from '../../formats/pcm';
import { db } from '../db';
import { subscribe } from '../events';
import { listenTo } from '../listen';
import { importFile } from '../importFile';
import type { ExportInput, ExportResult } from '../jobs/exportJob';
import { CHUNK_FRAMES, findAudio, readChunk, readPeaks } from '../sql/audio';
import { wavHead } from '../../formats/wavWriter';
import { listImages } from '../sql/debled';
import { getJob } from '../sql/jobs';
import { getPlan } from '../sql/plans';
import { checkId } from '../sql/recordings';
import { guard } from './guard';
import { sendError, sendJson } from './respond';
import { exportZip } from './zip';

const FOREVER = 'private, max-age=31536000, immutable';

/** Largest file taken, bytes: FRESH_GAP_MAX_FILE_BYTES, or 8 GiB. */
const maxFileBytes = () => Number(process.env.FRESH_GAP_MAX_FILE_BYTES) || 8 * 2 ** 30;

function integer(text: string, max: number): number {
  const n = Number(text);
  if (!/^\d{1,9}$/.test(text) || n > max) throw new FreshGapError('NOT_FOUND', 'There is nothing at this address.');
  return n;
}

async function upload(req: IncomingMessage, res: ServerResponse, recordingId: string, name: string) {
  const limit = maxFileBytes();
  const tooLarge = () => new FreshGapError('FILE_TOO_LARGE', `${name} is larger than ${Math.round(limit / 2 ** 20)} MiB.`, { limit });
  if (Number(req.headers['content-length'] ?? 0) > limit) throw tooLarge();
  const abort = new AbortController();
  // the response's close, not the request's: a cancel while the file is being stored counts too
  res.on('close', () => {
    if (!res.writableFinished) abort.abort();
  });
  async function* bytes() {
    let seen = 0;
    for await (const b of req as AsyncIterable<Buffer>) {
      seen += b.length;
      if (seen > limit) throw tooLarge();
      yield b;
    }
  }
  sendJson(res, await importFile(db(), recordingId, name, bytes(), abort.signal), 201);
}

/** Most chunks at a time, 8 MiB. */
const MOST_CHUNKS = 32;

/** `count` chunks from one on, one where it is not told; fewer where the audio ends. */
async function pcm(res: ServerResponse, content: string, channelText: string, seqText: string, count = '1') {
  const audio = await findAudio(db(), content);
  const channel = integer(channelText, audio.channels - 1);
  const chunks = Math.ceil(audio.frames / CHUNK_FRAMES);
  const seq = integer(seqText, chunks - 1);
  const end = Math.min(chunks, seq + Math.max(1, integer(count, MOST_CHUNKS)));
  res.writeHead(200, { 'Content-Type': 'application/octet-stream', 'Content-Length': 4 * (Math.min(audio.frames, end * CHUNK_FRAMES) - seq * CHUNK_FRAMES), 'Cache-Control': FOREVER });
  async function* samples() {
    for (let k = seq; k < end; k++) {
      const out = new Float32Array(Math.min(CHUNK_FRAMES, audio.frames - k * CHUNK_FRAMES));
      decodeChannel(await readChunk(db(), audio.id, k), audio.encoding, audio.channels, channel, out);
      yield Buffer.from(out.buffer);
    }
  }
  await pipeline(samples, res);
}

async function zip(res: ServerResponse, jobId: string) {
  const job = await getJob(db(), jobId);
  if (job.kind !== 'export' || job.state !== 'done') throw new FreshGapError('NOT_READY', 'The export is not done.');
  const result = job.result as ExportResult;
  const stream = await exportZip(db(), job.recordingId, job.input as ExportInput, result);
  res.writeHead(200, { 'Content-Type': 'application/zip', 'Content-Disposition': `attachment; filename*=UTF-8''${encodeURIComponent(result.zipName)}`, 'Cache-Control': 'no-store' });
  await pipeline(stream, res);
}

async function events(req: IncomingMessage, res: ServerResponse, recordingId: string) {
  checkId(recordingId);
  const off = await subscribe((n) => {
    if (n.recordingId === recordingId && n.kind !== 'queued') res.write(`data: ${JSON.stringify(n)}\n\n`);
  });
  const beat = setInterval(() => res.write(': still here\n\n'), 15000);
  req.on('close', () => {
    clearInterval(beat);
    off();
  });
  res.writeHead(200, { 'Content-Type': 'text/event-stream', 'Cache-Control': 'no-store', Connection: 'keep-alive' });
  res.write('data: {"kind":"hello"}\n\n');
}

async function listen(req: IncomingMessage, res: ServerResponse, recordingId: string) {
  // it costs seconds of computing: no other site's page may ask for it, not even blindly
  const site = req.headers['sec-fetch-site'];
  if (site !== undefined && site !== 'same-origin' && site !== 'none') throw new FreshGapError('BAD_ORIGIN', `A ${site} page may not ask for this.`);
  const q = new URL(req.url ?? '/', 'http://localhost').searchParams;
  const source = q.get('source') ?? '';
  if (!/^[a-z][a-z0-9-]{0,39}$/.test(source)) throw new FreshGapError('BAD_REQUEST', 'source must be a drum or rest.');
  const { samples, quick } = await listenTo(db(), checkId(recordingId), { micId: q.get('mic') ?? '', source, from: integer(q.get('from') ?? '', 999_999_999), to: integer(q.get('to') ?? '', 999_999_999) });
  res.writeHead(200, { 'Content-Type': 'application/octet-stream', 'Content-Length': samples.byteLength, 'Cache-Control': 'no-store', 'X-Learnt': quick ? 'in-a-hurry' : 'whole' });
  res.end(Buffer.from(samples.buffer, samples.byteOffset, samples.byteLength));
}

/** The image of a drum in a mic, over the whole song, as a WAV file. */
async function imageFile(req: IncomingMessage, res: ServerResponse, recordingId: string) {
  const q = new URL(req.url ?? '/', 'http://localhost').searchParams;
  const [mic, source] = [q.get('mic') ?? '', q.get('source') ?? ''];
  const [image, state] = await Promise.all([listImages(db(), recordingId).then((l) => l.find((i) => i.micId === mic && i.source === source)), getPlan(db(), recordingId)]);
  if (!image || !state) throw new FreshGapError('NOT_FOUND', 'This image is not computed.');
  const audio = await findAudio(db(), image.content);
  const name = `${source} in ${state.plan.mics[mic]?.name ?? mic}.wav`;
  const head = wavHead({ encoding: audio.encoding, channels: audio.channels, rate: state.plan.sampleRate, frames: audio.frames });
  res.writeHead(200, { 'Content-Type': 'audio/wav', 'Content-Disposition': `attachment; filename*=UTF-8''${encodeURIComponent(name)}`, 'Cache-Control': 'no-store' });
  async function* bytes() {
    yield head;
    for (let seq = 0; seq < Math.ceil(audio.frames / CHUNK_FRAMES); seq++) yield await readChunk(db(), audio.id, seq);
  }
  await pipeline(bytes, res);
}

/** Serves /bulk/...; returns false where the address is none of these. */
export async function serveBulk(req: IncomingMessage, res: ServerResponse): Promise<boolean> {
  const path = new URL(req.url ?? '/', 'http://localhost').pathname;
  if (!path.startsWith('/bulk/')) return false;
  try {
    guard(req);
    const parts = path.slice(6).split('/').map(decodeURIComponent);
    const [kind, a = '', b = '', c = ''] = parts;
    if (req.method === 'PUT' && kind === 'recordings' && b === 'files' && parts.length === 4) await upload(req, res, a, c);
    else if (req.method === 'GET' && kind === 'recordings' && b === 'events') await events(req, res, a);
    else if (req.method === 'GET' && kind === 'recordings' && b === 'listen') await listen(req, res, a);
    else if (req.method === 'GET' && kind === 'recordings' && b === 'image') await imageFile(req, res, a);
    else if (req.method === 'GET' && kind === 'pcm' && parts.length <= 5) await pcm(res, a, b, c, parts[4]);
    else if (req.method === 'GET' && kind === 'peaks') {
      const data = await readPeaks(db(), a, integer(b, 1), integer(c, 9));
      res.writeHead(200, { 'Content-Type': 'application/octet-stream', 'Content-Length': data.length, 'Cache-Control': FOREVER });
      res.end(data);
    } else if (req.method === 'GET' && kind === 'jobs' && b === 'zip') await zip(res, a);
    else throw new FreshGapError('NOT_FOUND', 'There is nothing at this address.');
  } catch (e) {
    // the rest of a refused upload is read and thrown away, so that the browser sees the answer and not a broken line
    if (!req.complete && !req.destroyed) req.resume();
    sendError(res, e);
  }
  return true;
}
