/** Room for samples that threads may share where the platform lets them: what is in it goes to a thread without a copy. */
export const roomFor = (frames: number): Float32Array => (typeof SharedArrayBuffer === 'undefined' ? new Float32Array(frames) : new Float32Array(new SharedArrayBuffer(4 * frames)));
