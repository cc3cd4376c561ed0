/** Mean square of `x` in steps of which there are `perSecond`: step i is from round(i x hop) to round((i + 1) x hop); an unfinished last one is left out. */
export function powerSteps(x: Float32Array, rate: number, perSecond: number): Float64Array {
  const hop = rate / perSecond;
  const out = new Float64Array(Math.floor(x.length / hop));
  for (let i = 0; i < out.length; i++) {
    const [a, b] = [Math.round(i * hop), Math.round((i + 1) * hop)];
    let e = 0;
    for (let k = a; k < b; k++) e += x[k] * x[k];
    out[i] = e / (b - a);
  }
  return out;
}
