import { describe, expect, it } from 'vitest';
import { refresher } from './api';

/** A question whose answers come when the test says so. */
function asked() {
  const open: { answer(v: string): void; fail(): void }[] = [];
  const shown: string[] = [];
  const refresh = refresher(() => new Promise<string>((answer, reject) => open.push({ answer, fail: () => reject(new Error('offline')) })), (v) => shown.push(v));
  return { open, shown, refresh };
}

describe('what a page asks again at every notice', () => {
  it('shows every answer that comes in the order asked', async () => {
    const { open, shown, refresh } = asked();
    const both = [refresh(), refresh()];
    open[0].answer('waiting');
    await both[0];
    open[1].answer('running');
    await both[1];
    expect(shown).toEqual(['waiting', 'running']);
  });

  it('is not undone by the answer to an earlier question', async () => {
    const { open, shown, refresh } = asked();
    const both = [refresh(), refresh()];
    open[1].answer('running');
    await both[1];
    open[0].answer('none');
    await both[0];
    expect(shown).toEqual(['running']);
  });

  it('leaves what was there when a question fails, and asks on', async () => {
    const { open, shown, refresh } = asked();
    const first = refresh();
    open[0].answer('waiting');
    await first;
    const failing = refresh();
    open[1].fail();
    await failing;
    const last = refresh();
    open[2].answer('done');
    await last;
    expect(shown).toEqual(['waiting', 'done']);
  });
});
