/** The broadcast extension chunk of EBU Tech 3285, version 1: what a WAV file says of where it belongs. */

const FIXED = 602;

/** Chunk with header. `timeReference`: samples from the start of the recording; texts are cut to their fields (256 and 32 ASCII characters). */
export function bextChunk(o: { description: string; originator: string; timeReference: number }): Uint8Array {
  const out = new Uint8Array(8 + FIXED);
  const v = new DataView(out.buffer);
  const text = (s: string, at: number, length: number) => {
    for (let i = 0; i < Math.min(length, s.length); i++) out[8 + at + i] = s.charCodeAt(i) < 128 ? s.charCodeAt(i) : 63;
  };
  for (let i = 0; i < 4; i++) out[i] = 'bext'.charCodeAt(i);
  v.setUint32(4, FIXED, true);
  text(o.description, 0, 256);
  text(o.originator, 256, 32);
  v.setUint32(8 + 338, o.timeReference % 4294967296, true);
  v.setUint32(8 + 342, Math.floor(o.timeReference / 4294967296), true);
  v.setUint16(8 + 346, 1, true);
  return out;
}
