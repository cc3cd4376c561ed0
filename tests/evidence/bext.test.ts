/** The broadcast extension against EBU Tech 3285 (version 1), whose layout is: description 256, originator 32, reference 32, date 10, time 8, time reference 8, version 2, UMID 64, reserved 190. */
import { describe, expect, it } from 'vitest';
import { bextChunk } from '../../src/formats/bext';

describe('the broadcast extension', () => {
  it('has every field where EBU Tech 3285 puts it', () => {
    const b = Buffer.from(bextChunk({ description: 'Tom 1, slice 3', originator: 'Fresh Gap', timeReference: 5 * 4294967296 + 7 }));
    expect(b.toString('latin1', 0, 4)).toBe('bext');
    expect(b.readUInt32LE(4)).toBe(256 + 32 + 32 + 10 + 8 + 8 + 2 + 64 + 190);
    expect(b.length).toBe(8 + b.readUInt32LE(4));
    const body = b.subarray(8);
    expect(body.toString('latin1', 0, 14)).toBe('Tom 1, slice 3');
    expect(body[14]).toBe(0);
    expect(body.toString('latin1', 256, 265)).toBe('Fresh Gap');
    const time = 256 + 32 + 32 + 10 + 8;
    expect([body.readUInt32LE(time), body.readUInt32LE(time + 4)]).toEqual([7, 5]);
    expect(body.readUInt16LE(time + 8)).toBe(1);
  });

  it('cuts long texts and keeps to ASCII', () => {
    const b = Buffer.from(bextChunk({ description: `${'x'.repeat(300)}`, originator: 'Größe', timeReference: 0 })).subarray(8);
    expect(b.toString('latin1', 250, 258)).toBe('xxxxxxGr');
    expect(b.toString('latin1', 256, 261)).toBe('Gr??e');
  });
});
