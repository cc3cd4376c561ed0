/** Mics that were cut before they came, through the jobs: each job has connections of its own, which end with it. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { withCutToms } from '../../src/demo/cutMics';
import { micWav } from '../../src/demo/writeRecording';
import { readAnywhere } from '../../src/server/chunkReader';
import { connect } from '../../src/server/db';
import { audioReader } from '../../src/server/dbReader';
import { importFile } from '../../src/server/importFile';
import { runAnalysis } from '../../src/server/jobs/analysisJob';
import { runDebleed } from '../../src/server/jobs/debleedJob';
import { listenTo } from '../../src/server/listen';
import { uncutOf } from '../../src/server/micReaders';
import { findAudio } from '../../src/server/sql/audio';
import { listDebled } from '../../src/server/sql/debled';
import { listFiles } from '../../src/server/sql/files';
import { getPlan } from '../../src/server/sql/plans';
import { createRecording } from '../../src/server/sql/recordings';
import { type TestDatabase, createDatabase } from '../support/database';
import { THREAD } from '../support/hand';
import { shortRecording } from '../support/madeKit';
import { pieces } from '../support/wavs';

const ROLES = ['kick-in', 'snare-top', 'tom-2', 'overhead-left', 'overhead-right'];
const quiet = async () => {};
let db: TestDatabase;
let id: string;
beforeAll(async () => {
  db = await createDatabase();
  id = await createRecording(db.sql, 'cut');
  const r = withCutToms(shortRecording({ from: 12, seconds: 12, roles: ROLES }));
  for (const [i, m] of r.mics.entries()) await importFile(db.sql, id, m.file, pieces(micWav(r.audio[i], r.rate, m.file), 1 << 20));
}, 120_000);
afterAll(() => db.drop());

/** One job after the other in this process, as in a job's thread. */
async function job<T>(work: (sql: TestDatabase['sql']) => Promise<T>): Promise<T> {
  const sql = connect(db.url, 3);
  try {
    return await work(sql);
  } finally {
    await sql.end({ timeout: 5 });
  }
}

describe('a recording with a mic that was cut', () => {
  it('is analysed and de-bled, with silence where the mic is silent and a note that says so', async () => {
    const { notes } = await job((sql) => runAnalysis(sql, id, quiet, THREAD));
    expect(notes.filter((n) => n.includes('was cut before'))).toHaveLength(1);
    await job((sql) => runDebleed(sql, id, quiet, THREAD));
    const plan = (await getPlan(db.sql, id))?.plan;
    if (!plan) throw new Error('no plan');
    const tom = plan.order.findIndex((m) => plan.mics[m].role.startsWith('tom'));
    const { silences } = await uncutOf(db.sql, plan, await listFiles(db.sql, id));
    expect([...silences.keys()]).toEqual([tom]);
    const kept = (await listDebled(db.sql, id)).find((d) => d.micId === plan.order[tom]);
    const audio = await findAudio(db.sql, kept?.content ?? '');
    if (!audio) throw new Error('nothing is kept');
    const x = new Float32Array(plan.frames);
    await readAnywhere(audioReader(db.sql, audio, 0)).read(0, x);
    const list = silences.get(tom) ?? [];
    expect(list.reduce((n, s) => n + s.to - s.from, 0)).toBeGreaterThan(0.05 * plan.frames);
    for (const s of list) expect(x.subarray(s.from, s.to).every((v) => v === 0)).toBe(true);
    expect(x.some((v) => Math.abs(v) > 0.01)).toBe(true);
    // what another drum adds to the mic is silent there too
    const longest = [...list].sort((a, b) => b.to - b.from - (a.to - a.from))[0];
    const at = Math.round((longest.from + longest.to) / 2);
    const { samples } = await listenTo(db.sql, id, { micId: plan.order[tom], source: 'snare', from: at - 500, to: at + 500 }, THREAD);
    expect(samples.every((v) => v === 0)).toBe(true);
  }, 300_000);
});
