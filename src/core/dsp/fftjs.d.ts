declare module 'fft.js' {
  /** Radix-4 complex FFT of a power-of-two size; interleaved complex arrays. */
  export default class FFT {
    constructor(size: number);
    createComplexArray(): number[];
    realTransform(out: ArrayLike<number>, data: ArrayLike<number>): void;
    completeSpectrum(spectrum: ArrayLike<number>): void;
    transform(out: ArrayLike<number>, data: ArrayLike<number>): void;
    inverseTransform(out: ArrayLike<number>, data: ArrayLike<number>): void;
  }
}
