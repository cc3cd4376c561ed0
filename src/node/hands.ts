/** Hands of analysis and de-bleed in worker threads, one a core. */
import { availableParallelism } from 'node:os';
import { fileURLToPath } from 'node:url';
import { Worker } from 'node:worker_threads';
import type { Kept } from '../core/clean/debleedMix';
import { roomFor } from '../core/dsp/room';
import type { Hand } from '../core/spill/crew';
import type { HandAnswer, HandCall } from './hand.thread';
import { endThreadsSafely } from './threads';

const METHODS = ['start', 'take', 'begin', 'round', 'takeAlong', 'roundLow', 'settleAlong', 'finish', 'open', 'run', 'giveBack', 'bandPower', 'giveBackUnexpected', 'quietAhead', 'tidy', 'witness', 'standOut', 'seek', 'pick', 'powers', 'unlikeKnown', 'fineEvidence', 'ownRows', 'describe', 'certainties', 'align', 'ring', 'strokeSpectra', 'reaches'] as const satisfies readonly (keyof Hand)[];
type Called = Exclude<keyof Hand, 'rest'>;

/** From this size on an array is handed over in shared memory instead of being copied twice. */
const SHARED_BYTES = 1 << 20;

/** The same samples in memory that threads share; nobody writes into what was handed over. */
function shared(x: unknown): unknown {
  if (Array.isArray(x)) return x.map(shared);
  if (!(x instanceof Float32Array) || x.byteLength < SHARED_BYTES || x.buffer instanceof SharedArrayBuffer) return x;
  const out = roomFor(x.length);
  out.set(x);
  return out;
}

/** Sound of a mic by its name there, each in memory that threads share. */
export const inSharedMemory = (k: Kept<Float32Array>): Kept<Float32Array> => ({ own: shared(k.own) as Float32Array, images: Object.fromEntries(Object.entries(k.images).map(([id, x]) => [id, shared(x) as Float32Array])) });

/** The bundled thread, beside the bundle that this is part of. */
export const handFile = (): string => fileURLToPath(new URL('./hand.thread.mjs', import.meta.url));

function startHand(file: string): { hand: Hand; stop(): Promise<number> } {
  const open = new Map<number, { done(v: unknown): void; failed(e: Error): void }>();
  let next = 0;
  const fail = (e: Error) => {
    for (const o of open.values()) o.failed(e);
    open.clear();
  };
  const start = () => {
    const worker = new Worker(file);
    worker.on('message', (a: HandAnswer) => {
      const waiting = open.get(a.id);
      open.delete(a.id);
      if ('error' in a) waiting?.failed(new Error(a.error));
      else waiting?.done(a.value);
    });
    worker.on('error', fail);
    worker.on('exit', () => fail(new Error('A thread of the computation ended.')));
    return worker;
  };
  let worker = start();
  let ended = false;
  const call = (method: Called, args: readonly unknown[]) =>
    new Promise((done, failed) => {
      const id = next++;
      open.set(id, { done, failed });
      worker.postMessage({ id, method, args: args.map(shared) } satisfies HandCall);
    });
  // memory of a thread, that of its kernels above all, is only given back when it ends
  const rest = async () => {
    if (open.size > 0) throw new Error('A thread cannot rest while it works.');
    await worker.terminate();
    if (!ended) worker = start();
  };
  const stop = () => {
    ended = true;
    return worker.terminate();
  };
  return { hand: { ...Object.fromEntries(METHODS.map((m) => [m, (...args: unknown[]) => call(m, args)])), rest } as unknown as Hand, stop };
}

/** Runs `work` with hands that are gone afterwards, whatever happens. */
export async function withHands<T>(work: (hands: readonly Hand[]) => Promise<T>, count = Math.max(1, Math.min(8, availableParallelism())), file = handFile()): Promise<T> {
  endThreadsSafely();
  const started = Array.from({ length: count }, () => startHand(file));
  try {
    return await work(started.map((s) => s.hand));
  } finally {
    await Promise.all(started.map((s) => s.stop()));
  }
}
