import { afterEach, describe, expect, it, vi } from 'vitest';
import { PEAK_LEVELS } from '../../core/dsp/peaks';
import { peakLevels, samplesOf } from './waveData';

const mic = (content: string) => ({ content, channel: 0, frames: 1000 });
const answer = (x: Float32Array) => Promise.resolve({ ok: true, arrayBuffer: async () => x.buffer } as unknown as Response);

afterEach(() => vi.unstubAllGlobals());

describe('sound that is on its way', () => {
  it('tells everyone who asked for the peaks of a mic, and fetches each level once', async () => {
    const fetched = vi.fn((_url: string) => answer(Float32Array.of(-0.5, 0.5)));
    vi.stubGlobal('fetch', fetched);
    const told = [0, 0];
    const ask = (i: number) => peakLevels(mic('peaks'), () => {
      told[i]++;
      ask(i);
    });
    ask(0);
    ask(1);
    await vi.waitFor(() => expect(peakLevels(mic('peaks'), () => {})).not.toContain(undefined));
    expect(told[0]).toBeGreaterThan(0);
    expect(told[1]).toBe(told[0]);
    expect(fetched).toHaveBeenCalledTimes(PEAK_LEVELS);
  });

  it('tells everyone who asked for the same samples', async () => {
    const fetched = vi.fn((_url: string) => answer(new Float32Array(1000).fill(0.25)));
    vi.stubGlobal('fetch', fetched);
    const [one, other] = [vi.fn(), vi.fn()];
    expect(samplesOf(mic('samples'), 0, 500, one)).toBeNull();
    expect(samplesOf(mic('samples'), 100, 900, other)).toBeNull();
    await vi.waitFor(() => expect(one).toHaveBeenCalledTimes(1));
    expect(other).toHaveBeenCalledTimes(1);
    expect(fetched).toHaveBeenCalledTimes(1);
    const got = samplesOf(mic('samples'), 0, 500, one);
    expect(got?.origin).toBe(0);
    expect(got?.samples[499]).toBe(0.25);
  });
});
