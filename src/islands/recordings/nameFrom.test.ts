import { describe, expect, it } from 'vitest';
import { nameFrom } from './nameFrom';

describe('the first name of a recording', () => {
  it.each([
    ['a folder', 'Low Tide', ['Kick.wav'], 'Low Tide'],
    ['what all files begin with', null, ['Low_Tide_01 Kick.wav', 'Low_Tide_02 Snare.wav', 'Low_Tide_03 OH.wav'], 'Low Tide'],
    ['that, up to the last whole word', null, ['Low Tide - Snare.wav', 'Low Tide - Sn Bot.wav', 'Low Tide - Sub.wav'], 'Low Tide'],
    ['words of any alphabet', null, ['Прилив 1.wav', 'Прилив 2.wav', 'Прилив 3.wav'], 'Прилив'],
    ['nothing but numbers', null, ['01 Kick.wav', '02 Snare.wav', '03 Hat.wav'], 'New recording'],
    ['two mics of a drum', null, ['Kick In.wav', 'Kick Out.wav'], 'New recording'],
    ['one file', null, ['Low Tide Kick.wav'], 'New recording'],
  ])('comes from %s', (_, folder, files, name) => {
    expect(nameFrom(folder, files, [])).toBe(name);
  });

  it('is one that is free', () => {
    expect(nameFrom('Low Tide', [], ['Low Tide'])).toBe('Low Tide 2');
    expect(nameFrom(null, ['Kick.wav'], ['New recording', 'New recording 2'])).toBe('New recording 3');
  });

  it('is no longer than the database takes, with a number too', () => {
    const long = nameFrom('x'.repeat(300), [], []);
    expect(nameFrom('x'.repeat(300), [], [long])).toBe(`${long} 2`);
    expect(long.length).toBeLessThan(200 - ' 2'.length);
  });
});
