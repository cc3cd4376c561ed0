/** Makes the demo recording in a thread: sends progress and each mic's WAV file as plain bytes. */
import { parentPort } from 'node:worker_threads';
import { demoRecording } from './demoRecording';
import { micWav } from './writeRecording';

const r = demoRecording((done) => parentPort?.postMessage({ done }));
for (const [i, m] of r.mics.entries()) {
  const bytes = micWav(r.audio[i], r.rate, m.file);
  parentPort?.postMessage({ file: m.file, bytes }, [bytes.buffer as ArrayBuffer]);
}
