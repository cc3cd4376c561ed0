import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { FreshGapError } from '../../src/core/errors';
import { PEAK_BASE } from '../../src/core/dsp/peaks';
import { editGate } from '../../src/core/plan/edits';
import { decodeChannel } from '../../src/formats/pcm';
import { importFile, removeFile } from '../../src/server/importFile';
import { CHUNK_FRAMES, findAudio, readChunk, readPeaks } from '../../src/server/sql/audio';
import { fileEdges, listFiles, listMics } from '../../src/server/sql/files';
import { type PlanState, getPlan, takeStep } from '../../src/server/sql/plans';
import { createRecording, deleteRecording, getRecording, listRecordings } from '../../src/server/sql/recordings';
import { loadWorkbench } from '../../src/server/workbench';
import { type TestDatabase, createDatabase } from '../support/database';
import { pieces, wavFile } from '../support/wavs';

let db: TestDatabase;
beforeAll(async () => {
  db = await createDatabase();
});
afterAll(() => db.drop());

const codeOf = (p: Promise<unknown>) => p.then(() => 'nothing thrown', (e) => (e instanceof FreshGapError ? e.code : e));
const counts = async () => {
  const [row] = await db.sql<{ audio: number; chunks: number; files: number; peaks: number }[]>`
    select (select count(*)::int from audio) as audio, (select count(*)::int from audio_chunk) as chunks,
      (select count(*)::int from source_file) as files, (select count(*)::int from peak) as peaks`;
  return row;
};

describe('import', () => {
  it('stores every byte, in chunks, with its peaks', async () => {
    const id = await createRecording(db.sql, 'bytes');
    for (const [k, encoding] of (['pcm16', 'pcm24', 'pcm32', 'float32'] as const).entries()) {
      const bytes = wavFile({ encoding, channels: 1 + (k % 2), frames: 150_001, seed: k + 1 });
      await importFile(db.sql, id, `${encoding}.wav`, pieces(bytes));
      const file = (await listFiles(db.sql, id)).find((f) => f.name === `${encoding}.wav`);
      if (!file) throw new Error('not stored');
      expect(file).toMatchObject({ encoding, channels: 1 + (k % 2), frames: 150_001, sampleRate: 48000 });
      const { head, tail } = await fileEdges(db.sql, file.id);
      const parts = [head];
      for (let seq = 0; seq < 3; seq++) parts.push(await readChunk(db.sql, file.audioId, seq));
      expect(parts[1].length).toBe(CHUNK_FRAMES * file.bytesPerFrame);
      parts.push(tail);
      expect(Buffer.concat(parts).equals(Buffer.from(bytes))).toBe(true);
      // peaks are the extremes of the samples
      const samples = new Float32Array(CHUNK_FRAMES);
      decodeChannel(parts[1], encoding, file.channels, file.channels - 1, samples);
      const p = await readPeaks(db.sql, file.content, file.channels - 1, 0);
      const pairs = new Float32Array(p.buffer.slice(p.byteOffset, p.byteOffset + p.byteLength));
      expect(pairs.length).toBe(2 * Math.ceil(150_001 / PEAK_BASE));
      expect(pairs[2 * 9 + 1]).toBe(Math.max(...samples.subarray(9 * PEAK_BASE, 10 * PEAK_BASE)));
    }
  });

  it('guesses roles, orders by name, and gives a stereo file two mics', async () => {
    const id = await createRecording(db.sql, 'roles');
    await importFile(db.sql, id, '10 OH.wav', pieces(wavFile({ channels: 2, seed: 11 })));
    await importFile(db.sql, id, '7 FT.wav', pieces(wavFile({ seed: 12 })));
    await importFile(db.sql, id, '6 Rack Tom.wav', pieces(wavFile({ seed: 13, frames: 60_000 })));
    const w = await loadWorkbench(db.sql, id);
    expect(w.files.map((f) => f.name)).toEqual(['6 Rack Tom.wav', '7 FT.wav', '10 OH.wav']);
    const plan = w.state?.plan;
    expect(plan?.order.map((m) => plan.mics[m].role)).toEqual(['tom-1', 'tom-2', 'overhead-left', 'overhead-right']);
    expect((await listMics(db.sql, id)).map((m) => m.id)).toEqual(plan?.order);
    // the longest gives the length; the shorter one keeps its own
    expect(w.recording.frames).toBe(100_000);
    expect(w.files[0].frames).toBe(60_000);
  });

  it('shows mics as a kit is read, whatever their names, also those that come later', async () => {
    const id = await createRecording(db.sql, 'order');
    for (const [k, name] of ['Hat.wav', 'Kick.wav', 'OH L.wav', 'OH R.wav', 'Snare.wav'].entries()) await importFile(db.sql, id, name, pieces(wavFile({ seed: 40 + k })));
    const roles = async () => {
      const { plan, revision } = (await getPlan(db.sql, id)) as PlanState;
      return { plan, revision, list: plan.order.map((m) => plan.mics[m].role) };
    };
    expect((await roles()).list).toEqual(['kick-in', 'snare-top', 'hat', 'overhead-left', 'overhead-right']);
    const { plan, revision } = await roles();
    await takeStep(db.sql, id, revision, { kind: 'do', edit: editGate(plan, plan.order[0], { on: true }) }, 'test');
    await importFile(db.sql, id, 'Floor Tom.wav', pieces(wavFile({ seed: 50 })));
    const now = await roles();
    expect(now.list).toEqual(['kick-in', 'snare-top', 'hat', 'tom-1', 'overhead-left', 'overhead-right']);
    expect(now.plan.mics[now.plan.order[0]].treatment.gate.on).toBe(true);
  });

  it('keeps what a person decided when more files come', async () => {
    const id = await createRecording(db.sql, 'more');
    await importFile(db.sql, id, 'Tom.wav', pieces(wavFile({ seed: 20 })));
    const first = await getPlan(db.sql, id);
    if (!first) throw new Error('no plan');
    await takeStep(db.sql, id, first.revision, { kind: 'do', edit: editGate(first.plan, 'tom', { on: true, thresholdDb: -22 }) }, 'a');
    await importFile(db.sql, id, 'A Kick.wav', pieces(wavFile({ seed: 21 })));
    const now = await getPlan(db.sql, id);
    expect(now?.plan.order).toEqual(['a-kick', 'tom']);
    expect(now?.plan.mics.tom.treatment.gate).toMatchObject({ on: true, thresholdDb: -22 });
    expect(now?.undo).toContain('Tom 1');
  });

  it('stores the same audio once', async () => {
    const [a, b] = [await createRecording(db.sql, 'once'), await createRecording(db.sql, 'twice')];
    const bytes = wavFile({ seed: 30 });
    await importFile(db.sql, a, 'x.wav', pieces(bytes));
    const before = await counts();
    await Promise.all([importFile(db.sql, b, 'y.wav', pieces(bytes)), importFile(db.sql, b, 'z.wav', pieces(bytes))]);
    const after = await counts();
    expect([after.audio, after.chunks, after.peaks]).toEqual([before.audio, before.chunks, before.peaks]);
    const [f, g] = await listFiles(db.sql, b);
    expect(f.content).toBe(g.content);
    expect((await findAudio(db.sql, f.content)).frames).toBe(100_000);
  });

  it('leaves nothing of a file that cannot be used', async () => {
    const id = await createRecording(db.sql, 'bad');
    await importFile(db.sql, id, 'good.wav', pieces(wavFile({ seed: 40 })));
    const before = await counts();
    const good = wavFile({ seed: 41, frames: 200_000 });
    expect(await codeOf(importFile(db.sql, id, 'rate.wav', pieces(wavFile({ rate: 44100, seed: 42 }))))).toBe('RATE_MISMATCH');
    expect(await codeOf(importFile(db.sql, id, 'cut.wav', pieces(good.subarray(0, good.length - 100_001))))).toBe('WAV_TRUNCATED');
    expect(await codeOf(importFile(db.sql, id, 'text.wav', pieces(new TextEncoder().encode('no audio in here at all'))))).toBe('WAV_NOT_WAV');
    expect(await codeOf(importFile(db.sql, id, 'empty.wav', pieces(new Uint8Array(0))))).toBe('WAV_EMPTY');
    expect(await codeOf(importFile(db.sql, id, 'good.wav', pieces(good)))).toBe('FILE_DUPLICATE');
    expect(await codeOf(importFile(db.sql, id, 'a/b.wav', pieces(good)))).toBe('FILE_NAME');
    const abort = new AbortController();
    async function* cancelled() {
      yield* pieces(good.subarray(0, 400_000));
      abort.abort();
      yield* pieces(good.subarray(400_000));
    }
    expect(await codeOf(importFile(db.sql, id, 'cancelled.wav', cancelled(), abort.signal))).toBe('UPLOAD_CANCELLED');
    const late = new AbortController();
    async function* cancelledWhileStored() {
      yield* pieces(good);
      setTimeout(() => late.abort());
    }
    expect(await codeOf(importFile(db.sql, id, 'late.wav', cancelledWhileStored(), late.signal))).toBe('UPLOAD_CANCELLED');
    async function* broken() {
      yield* pieces(good.subarray(0, 400_000));
      throw new Error('line broke');
    }
    await expect(importFile(db.sql, id, 'broken.wav', broken())).rejects.toThrow('line broke');
    expect(await counts()).toEqual(before);
    expect((await getRecording(db.sql, id)).frames).toBe(100_000);
    // and the recording still takes files
    await importFile(db.sql, id, 'later.wav', pieces(good));
    expect((await getRecording(db.sql, id)).frames).toBe(200_000);
  });

  it('lets a file go again, with its audio, its mic and the keys that named it', async () => {
    const id = await createRecording(db.sql, 'gone');
    await importFile(db.sql, id, 'Kick In.wav', pieces(wavFile({ seed: 50, frames: 120_000 })));
    await importFile(db.sql, id, 'Kick Out.wav', pieces(wavFile({ seed: 51 })));
    const s = await getPlan(db.sql, id);
    if (!s) throw new Error('no plan');
    await takeStep(db.sql, id, s.revision, { kind: 'do', edit: editGate(s.plan, 'kick-out', { on: true, keyFrom: 'kick-in' }) }, 'a');
    const before = await counts();
    await removeFile(db.sql, id, (await listFiles(db.sql, id))[0].id);
    const now = await getPlan(db.sql, id);
    expect(now?.plan.order).toEqual(['kick-out']);
    expect(now?.plan.mics['kick-out'].treatment.gate).toMatchObject({ on: true, keyFrom: '' });
    expect(now?.undo).toBeNull();
    expect((await counts()).audio).toBe(before.audio - 1);
    expect((await getRecording(db.sql, id)).frames).toBe(100_000);
  });

  it('deletes a recording with everything that was only its own', async () => {
    const id = await createRecording(db.sql, 'whole');
    await importFile(db.sql, id, 'a.wav', pieces(wavFile({ seed: 60 })));
    const before = await counts();
    await deleteRecording(db.sql, id);
    const after = await counts();
    expect(after.audio).toBe(before.audio - 1);
    expect(after.chunks).toBe(before.chunks - 2);
    expect((await listRecordings(db.sql)).some((r) => r.id === id)).toBe(false);
    expect(await codeOf(getRecording(db.sql, id))).toBe('NOT_FOUND');
    expect(await codeOf(getRecording(db.sql, "x'; drop table recording; --"))).toBe('NOT_FOUND');
  });
});
