/** The zip of an export, made while it streams: stored, not packed (audio hardly packs), with 64-bit sizes where needed. */
import { Readable } from 'node:stream';
import yazl from 'yazl';
import type { Sql } from '../db';
import type { ExportInput, ExportResult } from '../jobs/exportJob';
import { readChunk } from '../sql/audio';
import { fileEdges, listFiles } from '../sql/files';
import { readRenderChunk } from '../sql/renders';

async function* original(sql: Sql, fileId: number, audioId: number) {
  const { head, tail } = await fileEdges(sql, fileId);
  yield head;
  for (let seq = 0; ; seq++) {
    const b = await readChunk(sql, audioId, seq);
    if (b.length === 0) break;
    yield b;
  }
  if (tail.length) yield tail;
}

async function* rendered(sql: Sql, key: string) {
  for (let seq = 0; ; seq++) {
    const b = await readRenderChunk(sql, key, seq);
    if (!b) break;
    yield b;
  }
}

/** A readable of the whole zip. The plan it was made with goes in as plan.json. */
export async function exportZip(sql: Sql, recordingId: string, input: ExportInput, result: ExportResult): Promise<NodeJS.ReadableStream> {
  const zip = new yazl.ZipFile();
  const files = await listFiles(sql, recordingId);
  for (const f of result.files) {
    const source = files.find((x) => x.id === f.fileId);
    if (!f.key && !source) continue;
    // opened only when its turn comes: not all files at once
    zip.addReadStreamLazy(f.name, { compress: false, size: f.bytes }, (give) => {
      give(null, Readable.from(f.key ? rendered(sql, f.key) : original(sql, f.fileId ?? 0, source?.audioId ?? 0)));
    });
  }
  zip.addBuffer(Buffer.from(`${JSON.stringify(input.plan, null, 1)}\n`), 'plan.json', { compress: false });
  zip.end();
  return zip.outputStream;
}
