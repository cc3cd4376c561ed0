import { describe, expect, it } from 'vitest';
import { otherOfKind, withoutOthersOfKind } from './secondOfKind';

const hit = (time: number, strength: number, certainty = 0.9) => ({ time, strength, certainty });

describe('two bass drums and two snares', () => {
  it('are each other\'s; other drums have no such other', () => {
    expect(['kick', 'kick-2', 'snare', 'snare-2'].map(otherOfKind)).toEqual(['kick-2', 'kick', 'snare-2', 'snare']);
    for (const d of ['tom-1', 'tom-2', 'hat', 'crash', 'ride', 'kick-sub']) expect(otherOfKind(d)).toBeNull();
  });

  it('keep no soft hit that is the other one\'s loud stroke, and every other hit', () => {
    const drums = {
      kick: [hit(1, 0.8), hit(2.0015, 0.06), hit(3, 0.5)],
      'kick-2': [hit(0.9985, 0.08), hit(2, 0.9), hit(3.001, 0.4), hit(4, 0.05)],
      snare: [hit(1, 0.02)],
    };
    expect(withoutOthersOfKind(drums)).toEqual({ kick: [hit(1, 0.8), hit(3, 0.5)], 'kick-2': [hit(2, 0.9), hit(3.001, 0.4), hit(4, 0.05)], snare: [hit(1, 0.02)] });
  });

  it('keep what a person set, and what only a doubtful stroke of the other would take', () => {
    const drums = { snare: [hit(1, 0.05, 1), hit(2, 0.05)], 'snare-2': [hit(1, 0.9), hit(2, 0.9, 0.2)] };
    expect(withoutOthersOfKind(drums)).toEqual(drums);
  });

  it('leave kits with one of each as they are', () => {
    const drums = { kick: [hit(1, 0.05)], snare: [hit(1, 0.9)], 'tom-1': [hit(1, 0.1)], 'tom-2': [hit(1, 0.9)] };
    expect(withoutOthersOfKind(drums)).toEqual(drums);
  });
});
