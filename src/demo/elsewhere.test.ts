import { describe, expect, it } from 'vitest';
import { namesOf, needsRealSounds, numberOf } from './byNumber';
import { SECOND_CRASH, elsewhereRecording, freePart } from './elsewhere';
import { distance } from './geometry';
import { makeRecording } from './makeRecording';

const DRUMS = ['kick', 'snare', 'hat', 'tom-1', 'tom-2', 'tom-3', 'crash', SECOND_CRASH, 'ride'];
const PARTS = Array.from({ length: 40 }, (_, i) => freePart(5000 + i, 40, DRUMS));

/** Without a trial of its spill, which takes seconds. */
const plans = Array.from({ length: 40 }, (_, i) => elsewhereRecording({ seed: 5000 + i, seconds: 1, spill: 'normal', toms: 3, truth: false }));

describe('recordings elsewhere', () => {
  it('are asked for by number and are always the same', () => {
    expect(namesOf(['7-elsewhere', '12-13-elsewhere'])).toEqual(['7-elsewhere', '12-elsewhere', '13-elsewhere']);
    expect(numberOf('12-elsewhere')).toBe(12);
    // 12 is synthesised, but of three numbers one draws its sounds from all sets
    expect(['7-elsewhere', '12-elsewhere', '11-elsewhere'].map(needsRealSounds)).toEqual([false, true, true]);
    const again = elsewhereRecording({ seed: 5000, seconds: 1, spill: 'normal', toms: 3, truth: false });
    expect({ ...again, voice: null }).toEqual({ ...plans[0], voice: null });
    expect(plans[1].room).not.toEqual(plans[0].room);
    expect(PARTS[1]).not.toEqual(PARTS[0]);
  });

  it('have kits inside the room, each close mic near its own drum, and one overhead at least', () => {
    for (const { room, drums, mics } of plans) {
      for (const p of drums.flatMap((d) => d.points)) for (const k of [0, 1, 2]) expect(p[k] > 0 && p[k] < room[k]).toBe(true);
      for (const m of mics) {
        const own = drums.find((d) => d.id === m.own);
        if (own) expect(Math.min(...own.points.map((p) => distance(p, m.at)))).toBeLessThan(0.45);
      }
      expect(mics.filter((m) => m.role.startsWith('overhead')).length).toBeGreaterThan(0);
      expect(new Set(mics.map((m) => m.file)).size).toBe(mics.length);
    }
  });

  it('come with every way of putting mics up', () => {
    const share = (is: (p: (typeof plans)[number]) => boolean) => plans.filter(is).length / plans.length;
    const has = (role: string) => (p: (typeof plans)[number]) => p.mics.some((m) => m.role === role);
    for (const role of ['overhead', 'overhead-left', 'room', 'room-left', 'hat', 'snare-bottom', 'kick-in', 'kick-out']) {
      expect(share(has(role)), role).toBeGreaterThan(0.04);
      expect(share(has(role)), role).toBeLessThan(1);
    }
    expect(share((p) => p.drums.some((d) => d.id === SECOND_CRASH))).toBeGreaterThan(0.15);
    expect(share((p) => (p.drums.find((d) => d.id === 'hat')?.points[0][0] ?? 0) < (p.drums.find((d) => d.id === 'snare')?.points[0][0] ?? 0))).toBeGreaterThan(0.08);
  });

  it('keep the time in many ways, can be played, and hardly or never strike a cymbal in some', () => {
    const count = (drum: string) => PARTS.map((p) => p.filter((s) => s.drum === drum).length);
    expect(count('ride').filter((n) => n <= 5).length).toBeGreaterThan(4);
    expect(count('ride').filter((n) => n > 30).length).toBeGreaterThan(8);
    expect(count('crash').filter((n) => n > 15).length).toBeGreaterThan(2);
    expect(Math.max(...count('kick'))).toBeGreaterThan(120);
    for (const p of PARTS) {
      expect(p.map((s) => s.time)).toEqual(p.map((s) => s.time).sort((a, b) => a - b));
      for (const d of DRUMS) {
        const times = p.filter((s) => s.drum === d).map((s) => s.time);
        expect(times.slice(1).every((t, i) => t - times[i] >= 0.012)).toBe(true);
      }
    }
  });

  it('count a second crash as a crash, told as if it had sounded where the first stands', () => {
    const plan = plans.find((p) => p.drums.some((d) => d.id === SECOND_CRASH)) as (typeof plans)[number];
    const made = makeRecording({ ...plan, strokes: [{ drum: SECOND_CRASH, time: 0.2, strength: 1 }, { drum: 'crash', time: 0.6, strength: 0.5 }] });
    expect(made.hits[SECOND_CRASH]).toBeUndefined();
    expect(made.hits.crash.map((h) => h.strength)).toEqual([1, 0.5]);
    const overhead = plan.mics.find((m) => m.role.startsWith('overhead')) as (typeof plan.mics)[number];
    const second = plan.drums.find((d) => d.id === SECOND_CRASH) as (typeof plan.drums)[number];
    const arrives = 0.2 + Math.min(...second.points.map((p) => distance(p, overhead.at))) / 343;
    expect(made.hits.crash[0].time + made.overheadOffsets.crash).toBeCloseTo(arrives, 9);
  });
});
