import { setFlagsFromString } from 'node:v8';

/**
 * To be called before threads are started. Node.js 20 aborts the whole process (an assertion in node_platform.cc: the isolate is not registered) where a thread ends while the
 * compiler still works for it beside it, as happens when a computation is cancelled. Threads started after this compile where they run.
 */
export function endThreadsSafely(): void {
  setFlagsFromString('--no-concurrent-recompilation');
}
