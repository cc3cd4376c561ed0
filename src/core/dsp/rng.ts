/** Seeded random numbers: the core itself knows no randomness, so that the same inputs always give the same samples. */

/** mulberry32 (T. Ettinger, public domain): uniform numbers in [0, 1) from a 32-bit seed. Not for secrets. */
export function createRng(seed: number): () => number {
  // signed, as the engine keeps such numbers without a place of their own
  let a = seed | 0;
  return () => {
    a = (a + 0x6d2b79f5) | 0;
    let t = a;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

/** Normally distributed numbers (mean 0, deviation 1) from a uniform source, by Box and Muller's transform. */
export function createGaussian(uniform: () => number): () => number {
  let spare: number | null = null;
  return () => {
    if (spare !== null) {
      const s = spare;
      spare = null;
      return s;
    }
    const r = Math.sqrt(-2 * Math.log(1 - uniform()));
    const a = 2 * Math.PI * uniform();
    spare = r * Math.sin(a);
    return r * Math.cos(a);
  };
}

/** FNV-1a hash of a text, 32 bits: a seed that is the same for the same name everywhere. */
export function hashText(text: string): number {
  let h = 0x811c9dc5;
  for (let i = 0; i < text.length; i++) h = Math.imul(h ^ text.charCodeAt(i), 0x01000193);
  return h >>> 0;
}
