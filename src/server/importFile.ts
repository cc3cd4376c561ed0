/**
 * Takes one WAV file into a recording while its bytes stream in: parsed, hashed, cut into chunks, its peaks drawn up, all in one
 * transaction. Whatever goes wrong (not a WAV, another sample rate, cut short, cancelled), nothing of the file remains.
 * Memory: two chunks.
 */
import { createHash, randomUUID } from 'node:crypto';
import { FreshGapError } from '../core/errors';
import { PEAK_BASE, pyramid, writePeaks } from '../core/dsp/peaks';
import { createSilenceFinder } from '../core/spill/silences';
import { byFileName } from '../core/plan/fileNames';
import { byRole, createPlan, micId, newMic, type Plan } from '../core/plan/plan';
import { decodeChannel } from '../formats/pcm';
import { type WavInfo, createWavReader } from '../formats/wavReader';
import type { Sql, Tx } from './db';
import { MAX_MICS } from './dto/plan.dto';
import { notify } from './events';
import { CHUNK_FRAMES, copyRows, dropUnusedAudio, int4, int8, putSilences } from './sql/audio';
import { hasFile, listFiles, listMics } from './sql/files';
import { getPlan, hasEdits, putPlan } from './sql/plans';
import { lockRecording, refreshExtent, getRecording } from './sql/recordings';

export interface Imported {
  fileId: number;
  name: string;
  frames: number;
  channels: number;
  micIds: string[];
}

/** What is known of every channel once it has gone by: its min/max pairs, growing with the file, and its silences. */
function createSurvey({ channels, rate }: WavInfo) {
  let pairs = Array.from({ length: channels }, () => new Float32Array(1 << 16));
  let bins = 0;
  const samples = new Float32Array(CHUNK_FRAMES);
  const finders = Array.from({ length: channels }, () => createSilenceFinder(rate));
  return {
    add(bytes: Uint8Array, info: WavInfo) {
      let added = 0;
      for (let c = 0; c < channels; c++) {
        const n = decodeChannel(bytes, info.encoding, channels, c, samples);
        if (2 * (bins + Math.ceil(n / PEAK_BASE)) > pairs[c].length) {
          pairs = pairs.map((p) => {
            const larger = new Float32Array(p.length * 2);
            larger.set(p);
            return larger;
          });
        }
        added = writePeaks(samples.subarray(0, n), PEAK_BASE, pairs[c], bins);
        finders[c].add(samples, n);
      }
      bins += added;
    },
    levels: () => pairs.map((p) => pyramid(p.slice(0, 2 * bins))),
    silences: () => finders.map((f) => f.found()),
  };
}

export async function storeAudio(tx: Tx, bytes: AsyncIterable<Uint8Array>, onFormat: (i: WavInfo) => void) {
  const [{ id: newId }] = await tx<{ id: number }[]>`
    insert into audio (content, encoding, channels, sample_rate, frames, bytes_per_frame)
    values (${`pending-${randomUUID()}`}, 'pcm16', 1, 0, 0, 2) returning id`;
  let info: WavInfo | null = null;
  let survey: ReturnType<typeof createSurvey> | null = null;
  let chunk = Buffer.alloc(0);
  let filled = 0;
  const full: Buffer[] = [];
  const hash = createHash('sha256');
  const reader = createWavReader(
    (i) => {
      onFormat(i);
      info = i;
      survey = createSurvey(i);
      chunk = Buffer.alloc(CHUNK_FRAMES * i.bytesPerFrame);
      hash.update(`${i.encoding}/${i.channels}/${i.rate}\n`);
    },
    (b) => {
      hash.update(b);
      for (let at = 0; at < b.length; ) {
        const n = Math.min(b.length - at, chunk.length - filled);
        chunk.set(b.subarray(at, at + n), filled);
        at += n;
        filled += n;
        if (filled === chunk.length) {
          full.push(chunk);
          chunk = Buffer.alloc(chunk.length);
          filled = 0;
        }
      }
    },
  );
  const stream = await tx`copy audio_chunk (audio_id, seq, data) from stdin (format binary)`.writable();
  let seq = 0;
  const result = await copyRows(stream, async (put) => {
    const flush = async () => {
      for (const c of full.splice(0)) {
        survey?.add(c, info as unknown as WavInfo);
        await put([int8(newId), int4(seq++), c]);
      }
    };
    for await (const b of bytes) {
      reader.push(b);
      await flush();
    }
    const whole = reader.end();
    if (filled) full.push(chunk.subarray(0, filled));
    await flush();
    return whole;
  });

  const content = hash.digest('hex');
  // two uploads of the same audio at once: the second waits here and then finds the first's
  await tx`select pg_advisory_xact_lock(hashtextextended(${content}, 0))`;
  const [known] = await tx<{ id: number }[]>`select id from audio where content = ${content}`;
  if (known) {
    await tx`delete from audio where id = ${newId}`;
    return { audioId: known.id, result };
  }
  await tx`
    update audio set content = ${content}, encoding = ${result.encoding}, channels = ${result.channels}, sample_rate = ${result.rate},
      frames = ${result.frames}, bytes_per_frame = ${result.bytesPerFrame} where id = ${newId}`;
  const { levels, silences } = survey as unknown as ReturnType<typeof createSurvey>;
  for (const [channel, found] of silences().entries()) await putSilences(tx, newId, channel, found);
  for (const [channel, list] of levels().entries()) {
    for (const [level, data] of list.entries()) {
      await tx`insert into peak (audio_id, channel, level, data) values (${newId}, ${channel}, ${level}, ${Buffer.from(data.buffer, data.byteOffset, data.byteLength)})`;
    }
  }
  return { audioId: newId, result };
}

/** The plan with the mics there are now: guessed anew while nobody has edited anything, otherwise only the new mics are added. */
async function extendPlan(tx: Tx, recordingId: string, fileId: number): Promise<string[]> {
  const files = await listFiles(tx, recordingId);
  const sources = files.flatMap((f) => Array.from({ length: f.channels }, (_, channel) => ({ file: f.name, channel, channels: f.channels, frames: f.frames, fileId: f.id })));
  if (sources.length > MAX_MICS) throw new FreshGapError('TOO_MANY_MICS', `That would make ${sources.length} mics.`);
  const known = new Map((await listMics(tx, recordingId)).map((m) => [`${m.fileId}/${m.channel}`, m.id]));
  const taken = new Set(known.values());
  const added: string[] = [];
  const ids: string[] = [];
  for (const s of sources) {
    let id = known.get(`${s.fileId}/${s.channel}`);
    if (!id) {
      id = micId(s.file, s.channel, s.channels, taken);
      taken.add(id);
      added.push(id);
      await tx`insert into mic (recording_id, id, file_id, channel) values (${recordingId}, ${id}, ${s.fileId}, ${s.channel})`;
    }
    ids.push(id);
  }
  const rate = files[0].sampleRate;
  const fresh = createPlan(rate, sources, ids);
  const old = await getPlan(tx, recordingId);
  let plan: Plan = { ...fresh, order: byRole(fresh.mics, ids) };
  if (old && (await hasEdits(tx, recordingId))) {
    const mics = Object.fromEntries(ids.map((id) => [id, old.plan.mics[id] ?? newMic(sources[ids.indexOf(id)], fresh.mics[id].role, fresh.mics[id].name)]));
    plan = { ...old.plan, frames: fresh.frames, order: byRole(mics, ids), mics };
  }
  await putPlan(tx, recordingId, plan, false);
  return ids.filter((_, i) => sources[i].fileId === fileId);
}

/** `bytes` is the file as it arrives; aborting `signal` rolls everything back. Throws WAV_*, RATE_MISMATCH, FILE_DUPLICATE, ... */
export async function importFile(sql: Sql, recordingId: string, name: string, bytes: AsyncIterable<Uint8Array>, signal?: AbortSignal): Promise<Imported> {
  if (!name.trim() || name.length > 200 || /[\\/\0]/.test(name)) throw new FreshGapError('FILE_NAME', `"${name}" cannot be used as a file name.`);
  const recording = await getRecording(sql, recordingId);
  if (await hasFile(sql, recordingId, name)) throw new FreshGapError('FILE_DUPLICATE', `${name} is already there.`);
  const checkRate = (rate: number, wanted: number | null) => {
    if (wanted !== null && rate !== wanted) throw new FreshGapError('RATE_MISMATCH', `${name} has ${rate} Hz, the recording ${wanted} Hz.`, { rate, wanted });
  };
  async function* watched() {
    for await (const b of bytes) {
      if (signal?.aborted) throw new FreshGapError('UPLOAD_CANCELLED', `${name} was cancelled.`);
      yield b;
    }
    if (signal?.aborted) throw new FreshGapError('UPLOAD_CANCELLED', `${name} was cancelled.`);
  }
  return sql.begin(async (tx: Tx) => {
    const { audioId, result } = await storeAudio(tx, watched(), (i) => checkRate(i.rate, recording.sampleRate));
    const now = await lockRecording(tx, recordingId);
    checkRate(result.rate, now.sampleRate);
    if (await hasFile(tx, recordingId, name)) throw new FreshGapError('FILE_DUPLICATE', `${name} is already there.`);
    // files stand in the order of their names, as engineers number them
    const [{ id: fileId }] = await tx<{ id: number }[]>`
      insert into source_file (recording_id, name, position, audio_id, head, tail, extras)
      values (${recordingId}, ${name}, 0, ${audioId}, ${Buffer.from(result.head)}, ${Buffer.from(result.tail)}, ${Buffer.from(result.extras)}) returning id`;
    const names = await tx<{ id: number; name: string }[]>`select id, name from source_file where recording_id = ${recordingId}`;
    const sorted = [...names].sort((a, b) => byFileName(a.name, b.name));
    for (const [i, f] of sorted.entries()) await tx`update source_file set position = ${i} where id = ${f.id}`;
    await refreshExtent(tx, recordingId);
    const micIds = await extendPlan(tx, recordingId, fileId);
    await notify(tx, { kind: 'files', recordingId });
    // cancelled while it was being stored: everything of it goes again
    if (signal?.aborted) throw new FreshGapError('UPLOAD_CANCELLED', `${name} was cancelled.`);
    return { fileId, name, frames: result.frames, channels: result.channels, micIds };
  }) as Promise<Imported>;
}

/** Takes a file out again. Undo ends here: earlier edits may speak of mics that are gone. */
export async function removeFile(sql: Sql, recordingId: string, fileId: number): Promise<void> {
  await sql.begin(async (tx: Tx) => {
    await lockRecording(tx, recordingId);
    const gone = (await listMics(tx, recordingId)).filter((m) => m.fileId === fileId).map((m) => m.id);
    const rows = await tx`delete from source_file where id = ${fileId} and recording_id = ${recordingId} returning 1`;
    if (rows.length === 0) throw new FreshGapError('NOT_FOUND', 'There is no such file.');
    await refreshExtent(tx, recordingId);
    const files = await listFiles(tx, recordingId);
    const state = await getPlan(tx, recordingId);
    if (state) {
      const order = state.plan.order.filter((id) => !gone.includes(id));
      const mics = Object.fromEntries(
        order.map((id) => {
          const mic = state.plan.mics[id];
          const gate = gone.includes(mic.treatment.gate.keyFrom) ? { ...mic.treatment.gate, keyFrom: '' } : mic.treatment.gate;
          return [id, { ...mic, treatment: { ...mic.treatment, gate } }];
        }),
      );
      await putPlan(tx, recordingId, { ...state.plan, order, mics, frames: Math.max(0, ...files.map((f) => f.frames)) }, true);
    }
    await dropUnusedAudio(tx);
    await notify(tx, { kind: 'files', recordingId });
  });
}
