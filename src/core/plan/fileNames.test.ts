import { describe, expect, it } from 'vitest';
import { byFileName, sharedBeginning, stemOf } from './fileNames';

describe('file names', () => {
  it('stand in the order in which people number them', () => {
    const names = ['Tom 10.wav', 'Kick 2.wav', 'Tom 2.wav', 'Kick.wav', 'Kick.aif', '02 Hat.wav', '11 Ride.wav'];
    expect([...names].sort(byFileName)).toEqual(['02 Hat.wav', '11 Ride.wav', 'Kick.aif', 'Kick.wav', 'Kick 2.wav', 'Tom 2.wav', 'Tom 10.wav']);
  });

  it('lose their extension and nothing else', () => {
    expect(['Kick.wav', 'Vol. 2 Kick', 'take.3.WAV'].map(stemOf)).toEqual(['Kick', 'Vol. 2 Kick', 'take.3']);
  });

  it.each([
    [['a_BD.wav', 'a_SN.wav', 'a_HH.wav'], 'a_'],
    [['Low Tide - Kick.wav', 'Low Tide - Kit.wav', 'Low Tide - Kazoo.wav'], 'Low Tide - '],
    [['Kick In.wav', 'Kick Out.wav'], ''],
    [['01 Kick.wav', '02 Snare.wav', '03 Hat.wav'], ''],
    [[], ''],
  ])('of %j all begin with "%s"', (files, shared) => {
    expect(sharedBeginning(files)).toBe(shared);
  });
});
