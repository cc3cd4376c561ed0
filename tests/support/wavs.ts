/** Small WAV files for tests. */
import { createGaussian, createRng } from '../../src/core/dsp/rng';
import { type Encoding, BYTES_PER_SAMPLE } from '../../src/formats/pcm';
import { wavBytes, wavHead } from '../../src/formats/wavWriter';

export interface WavSpec {
  encoding?: Encoding;
  channels?: number;
  rate?: number;
  frames?: number;
  seed?: number;
  extras?: Uint8Array;
}

/** Decaying strokes of noise, different for each seed, as the bytes of a whole file. */
export function wavFile({ encoding = 'pcm24', channels = 1, rate = 48000, frames = 100_000, seed = 1, extras }: WavSpec = {}): Uint8Array {
  const layout = { encoding, channels, rate, frames, extras };
  const out = new Uint8Array(wavBytes(layout));
  const head = wavHead(layout);
  out.set(head);
  const view = new DataView(out.buffer);
  const gauss = createGaussian(createRng(seed));
  let at = head.length;
  for (let i = 0; i < frames; i++) {
    for (let c = 0; c < channels; c++, at += BYTES_PER_SAMPLE[encoding]) {
      const v = Math.max(-1, Math.min(0.999, gauss() * (0.002 + 0.25 * Math.exp(-((i + c * 5000) % 20000) / 2500))));
      if (encoding === 'float32') view.setFloat32(at, v, true);
      else if (encoding === 'pcm16') view.setInt16(at, Math.round(v * 32767), true);
      else if (encoding === 'pcm32') view.setInt32(at, Math.round(v * 2147483647), true);
      else {
        const q = Math.round(v * 8388607);
        out[at] = q & 255;
        out[at + 1] = (q >> 8) & 255;
        out[at + 2] = (q >> 16) & 255;
      }
    }
  }
  return out;
}

/** Bytes in pieces of odd size, as a network brings them. */
export async function* pieces(bytes: Uint8Array, size = 37_111): AsyncGenerator<Uint8Array> {
  for (let at = 0; at < bytes.length; at += size) yield bytes.slice(at, at + size);
}
