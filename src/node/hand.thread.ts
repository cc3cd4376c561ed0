/** A hand of analysis and de-bleed in a worker thread: calls come in as messages and are answered in order. */
import { parentPort } from 'node:worker_threads';
import { type Hand, createHand } from '../core/spill/crew';

export interface HandCall {
  readonly id: number;
  readonly method: keyof Hand;
  readonly args: readonly unknown[];
}

export type HandAnswer = { readonly id: number; readonly value: unknown } | { readonly id: number; readonly error: string };

const hand = createHand();

parentPort?.on('message', (call: HandCall) => {
  try {
    const value = (hand[call.method] as (...args: readonly unknown[]) => unknown)(...call.args);
    // sound goes over without a copy
    const images = call.method === 'run' ? (value as Float32Array[]).map((x) => x.buffer as ArrayBuffer) : [];
    parentPort?.postMessage({ id: call.id, value } satisfies HandAnswer, images);
  } catch (e) {
    parentPort?.postMessage({ id: call.id, error: e instanceof Error ? e.stack ?? e.message : String(e) } satisfies HandAnswer);
  }
});
