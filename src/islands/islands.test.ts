import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { createPlan } from '../core/plan/plan';
import { PEAK_BASE, pyramid, writePeaks } from '../core/dsp/peaks';
import { abgr, drawWave } from './clean/drawWave';
import { dbAt, heightOf, heightOfDb, rulerStep } from './clean/scale';
import { MIN_FRAMES, fitView, scrollView, zoomView } from './clean/viewMoves';
import { columnsFromPyramid, columnsFromSamples } from './clean/waveData';
import { formatBytes, formatTime, signed } from './shared/time';
import { hasDebleed, offersProposal, proposalFor } from './workbench/proposing';
import { noteJob, onNotify, useBench } from './workbench/store';
import { treatmentWords } from './workbench/treatmentWords';

const frames = 2_400_000;
const views = fc.tuple(fc.double({ min: 0, max: frames - MIN_FRAMES, noNaN: true }), fc.double({ min: MIN_FRAMES, max: frames, noNaN: true })).map(([from, length]) => ({ from, to: Math.min(frames, from + length) }));

describe('the view', () => {
  it('never leaves the song and never gets too close', () => {
    fc.assert(
      fc.property(views, fc.double({ min: 0.01, max: 100, noNaN: true }), fc.double({ min: 0, max: 1, noNaN: true }), fc.double({ min: -1e7, max: 1e7, noNaN: true }), (v, factor, at, by) => {
        for (const w of [zoomView(v, factor, at, frames), scrollView(v, by, frames), fitView(v.from, v.to, frames)]) {
          expect(w.from).toBeGreaterThanOrEqual(0);
          expect(w.to).toBeLessThanOrEqual(frames + 1e-6);
          expect(w.to - w.from).toBeGreaterThanOrEqual(MIN_FRAMES - 1e-6);
        }
      }),
    );
  });
  it('keeps what is under the pointer there while zooming', () => {
    const w = zoomView({ from: 100_000, to: 200_000 }, 0.5, 0.25, frames);
    expect(w.from + (w.to - w.from) * 0.25).toBeCloseTo(125_000, 3);
  });
});

describe('scales', () => {
  it('turn levels to heights and back', () => {
    for (const scale of ['lifted', 'even'] as const) {
      for (const db of [0, -6, -24, -60]) expect(dbAt(scale, heightOfDb(scale, db))).toBeCloseTo(db, 6);
      expect(heightOf(scale, 2)).toBe(1);
    }
    expect(heightOfDb('lifted', -48)).toBeGreaterThan(4 * heightOfDb('even', -48));
  });
  it('keep ruler labels apart', () => {
    for (const spp of [1e-6, 1e-4, 0.01, 1]) expect(rulerStep(spp, 80) / spp).toBeGreaterThanOrEqual(80 * 0.99);
  });
});

describe('columns', () => {
  const x = Float32Array.from({ length: 20480 }, (_, i) => Math.sin(i * 0.01) * ((i % 5000) / 5000));
  const base = new Float32Array(Math.ceil(x.length / PEAK_BASE) * 2);
  writePeaks(x, PEAK_BASE, base);
  it('from peaks and from samples show the same extremes', () => {
    const a = columnsFromPyramid(pyramid(base), 0, 20480, 10);
    const b = columnsFromSamples(x, 0, 0, 20480, 10);
    for (let i = 0; i < 20; i += 2) {
      // samples reach one frame into the next column, so that the line has no holes
      expect(Math.abs(a[i] - b[i])).toBeLessThan(0.011);
      expect(Math.abs(a[i + 1] - b[i + 1])).toBeLessThan(0.011);
    }
  });
  it('are flat where nothing is known', () => {
    expect([...columnsFromPyramid([], 0, 1000, 4)]).toEqual(new Array(8).fill(0));
    expect([...columnsFromSamples(x, 0, 30000, 30010, 2)]).toEqual([0, 0, 0, 0]);
  });
});

describe('drawing', () => {
  it('puts kept sound in ink, taken sound in grey and hatches gaps', () => {
    const colors = { sheet: 1, gap: 2, hatch: 3, raw: 4, ink: 5, grid: 6 };
    const [w, h] = [2, 41];
    const pixels = new Uint32Array(w * h);
    drawWave(pixels, w, h, { raw: Float32Array.from([-1, 1, -1, 1]), clean: Float32Array.from([-1, 1, 0, 0]), gain: Float32Array.from([1, 1, 0, 0]) }, colors, 'even', []);
    const column = (x: number) => Array.from({ length: h }, (_, y) => pixels[y * w + x]);
    expect(new Set(column(0))).toEqual(new Set([5]));
    expect(new Set(column(1))).toEqual(new Set([4]));
    drawWave(pixels, w, h, { raw: Float32Array.from([0, 0, 0, 0]), clean: Float32Array.from([0, 0, 0, 0]), gain: Float32Array.from([1, 1, 0, 0]) }, colors, 'even', [0.5]);
    expect(new Set(column(1))).toEqual(new Set([2, 3, 4]));
    expect(column(0)[10]).toBe(6);
  });
  it('reads colours', () => {
    expect(abgr('#102030')).toBe(0xff302010);
    expect(abgr('nonsense')).toBe(0xff000000);
  });
});

describe('words', () => {
  it('write times, levels and sizes', () => {
    expect(formatTime(74.8624)).toBe('1:14.862');
    expect(formatTime(59.9999)).toBe('1:00.000');
    expect(formatTime(5, 0)).toBe('0:05');
    expect(signed(-0.04)).toBe('0.0');
    expect(signed(-3.25)).toBe('−3.3');
    expect(signed(null)).toBe('–');
    expect(formatBytes(1_234_567)).toBe('1.2 MB');
  });
  it('say what is done to a mic', () => {
    const plan = createPlan(48000, [{ file: 'Kick In.wav', channel: 0, channels: 1, frames: 1 }, { file: 'Kick Out.wav', channel: 0, channels: 1, frames: 1 }]);
    const mic = (gate: object) => ({ ...plan.mics['kick-out'], treatment: { ...plan.mics['kick-out'].treatment, gate: { ...plan.mics['kick-out'].treatment.gate, ...gate } } });
    expect(treatmentWords(plan, mic({}))).toBe('as is');
    expect(treatmentWords(plan, mic({ on: true, thresholdDb: -24 }))).toBe('gate −24.0 dB');
    expect(treatmentWords(plan, mic({ on: true, ratio: 3 }))).toBe('expander −30.0 dB');
    expect(treatmentWords(plan, mic({ on: true, keyFrom: 'kick-in' }))).toBe('gate opened by Kick in');
    const more = (patch: object) => ({ ...plan.mics['kick-out'], treatment: { ...plan.mics['kick-out'].treatment, ...patch } });
    const closing = { from: 0, to: 1, endHz: 1000 };
    expect(treatmentWords(plan, more({ closings: { a: closing } }))).toBe('closing low-pass');
    expect(treatmentWords(plan, more({ closings: { a: closing, b: closing }, gaps: { c: { from: 0, to: 1 } } }))).toBe('1 gap by hand, 2 closing low-passes');
    const { slices, tail, debleed } = plan.mics['kick-out'].treatment;
    expect(treatmentWords(plan, more({ slices: { ...slices, on: true }, tail: { ...tail, on: true }, debleed: { ...debleed, on: true } }))).toBe('de-bled, slices at hits, damped');
    expect(treatmentWords(plan, more({ slices: { ...slices, on: true }, debleed: { ...debleed, on: true } }), true)).toBe('de-bled, slices');
    expect(treatmentWords(plan, more({ slices: { ...slices, on: true } }), true)).toBe('slices at hits');
    const { parts } = plan.mics['kick-out'].treatment;
    expect(treatmentWords(plan, more({ slices: { ...slices, on: true }, parts: { ...parts, on: true } }), true)).toBe('slices, two parts');
    expect(treatmentWords(plan, more({ slices: { ...slices, on: true }, parts: { ...parts, on: true } }))).toBe('slices at hits, two parts');
  });
});

describe('what is proposed', () => {
  const files = ['Kick In.wav', 'Hat.wav', 'OH L.wav'].map((file) => ({ file, channel: 0, channels: 1, frames: 48000 }));
  const bare = createPlan(48000, files);
  const [kick, hat, overhead] = bare.order;
  const hit = { frame: 1000, strength: 1, certainty: 1, state: 'found' } as const;
  const plan = { ...bare, hits: { kick: { a: hit }, hat: { b: hit } } } as unknown as typeof bare;
  const changed = (debled: Parameters<typeof proposalFor>[1]) => proposalFor(plan, debled).changes.map((c) => c.path[1]);
  const whole = { share: 1 };
  const part = { share: 1, stretch: { from: 0, to: 100 } };

  it('uses de-bleed of the whole song alone, and only where it has something', () => {
    expect(changed({})).toEqual([kick]);
    expect(changed({ [kick]: whole, [hat]: whole })).toEqual([kick, hat]);
    expect(changed({ [kick]: whole, [hat]: { share: 0 } })).toEqual([kick]);
    expect(changed({ [hat]: part })).toEqual([kick]);
    expect([hasDebleed({}), hasDebleed({ [hat]: part }), hasDebleed({ [hat]: part, [kick]: whole })]).toEqual([false, false, true]);
  });
  it('is offered where it would come with de-bleed, for close mics', () => {
    const on = (ids: readonly string[]) => ({ ...plan, mics: Object.fromEntries(plan.order.map((id) => [id, ids.includes(id) ? { ...plan.mics[id], treatment: { ...plan.mics[id].treatment, debleed: { ...plan.mics[id].treatment.debleed, on: true } } } : plan.mics[id]])) }) as typeof bare;
    // the hat gets nothing without de-bleed, which is not computed yet
    expect(offersProposal(on([kick]))).toBe(true);
    expect(offersProposal(on([kick]), { [kick]: whole, [hat]: { share: 0 } })).toBe(false);
    expect(offersProposal(on([kick, hat]))).toBe(false);
    expect(plan.mics[overhead].role).toMatch(/^overhead/);
  });
});

describe('work in the background', () => {
  const note = (jobId: string, job: string, state: string, progress = 0) => noteJob({ jobId, job, state, progress });
  const working = () => useBench.getState().working;

  it('is listed while it runs, each job by itself', () => {
    note('a', 'analysis', 'running', 0.25);
    note('b', 'export', 'running', 0.5);
    note('a', 'analysis', 'running', 0.75);
    expect(working()).toEqual({ a: { job: 'analysis', progress: 0.75 }, b: { job: 'export', progress: 0.5 } });
    note('a', 'analysis', 'done', 1);
    note('b', 'export', 'cancelled', 0.5);
    expect(working()).toEqual({});
  });

  it('is told of where finding hits fails', () => {
    const told: unknown[] = [];
    onNotify((kind, detail) => told.push([kind, detail.error]));
    note('a', 'debleed', 'failed');
    expect(told).toEqual([]);
    note('b', 'analysis', 'failed');
    expect(told).toMatchObject([['failed', { code: 'ANALYSIS_FAILED' }]]);
    onNotify(() => {});
  });
});
