/**
 * From what is known of a candidate to the certainty that its drum was struck: a small network (one hidden layer, tanh) for each kind of
 * drum, trained on made recordings by npm run train with log loss, which calibrates it; then the decision, strongest first.
 */
export interface Network {
  readonly inputs: number;
  readonly hidden: number;
  readonly mean: readonly number[];
  readonly scale: readonly number[];
  /** hidden x inputs, hidden biases, output weights, output bias. */
  readonly w1: readonly number[];
  readonly b1: readonly number[];
  readonly w2: readonly number[];
  readonly b2: number;
}

/** Rows that go through a network side by side: sums of one alone wait for each other. */
const ROWS = 4;

/** Certainties 0..1 of rows of `net.inputs` features. */
export function certainties(net: Network, features: Float32Array): Float64Array {
  const { inputs, hidden, w1 } = net;
  const n = features.length / inputs;
  const out = new Float64Array(n);
  const x = new Float64Array(ROWS * inputs);
  const z = new Float64Array(ROWS);
  for (let first = 0; first < n; first += ROWS) {
    const rows = Math.min(ROWS, n - first);
    for (let k = 0; k < rows; k++) for (let i = 0; i < inputs; i++) x[k * inputs + i] = Math.min(6, Math.max(-6, (features[(first + k) * inputs + i] - net.mean[i]) / net.scale[i]));
    z.fill(net.b2);
    for (let h = 0; h < hidden; h++) {
      let a = net.b1[h];
      let [b, c, d] = [a, a, a];
      for (let i = 0, w = h * inputs; i < inputs; i++, w++) {
        a += w1[w] * x[i];
        b += w1[w] * x[inputs + i];
        c += w1[w] * x[2 * inputs + i];
        d += w1[w] * x[3 * inputs + i];
      }
      z[0] += net.w2[h] * Math.tanh(a);
      z[1] += net.w2[h] * Math.tanh(b);
      z[2] += net.w2[h] * Math.tanh(c);
      z[3] += net.w2[h] * Math.tanh(d);
    }
    for (let k = 0; k < rows; k++) out[first + k] = 1 / (1 + Math.exp(-z[k]));
  }
  return out;
}

/** Strokes on one drum are at least this far apart, seconds. */
export const APART_S = 0.014;

/** Indices of chosen candidates, in order of time: those above `threshold`, most certain first, none within 14 ms of a chosen one. */
export function choose(time: Float64Array, certainty: Float64Array, threshold: number): number[] {
  const order = Array.from(certainty.keys()).filter((i) => certainty[i] > threshold).sort((a, b) => certainty[b] - certainty[a]);
  const taken: number[] = [];
  const chosen = new Uint8Array(time.length);
  for (const i of order) {
    let free = true;
    for (let j = i - 1; free && j >= 0 && time[i] - time[j] < APART_S; j--) if (chosen[j]) free = false;
    for (let j = i + 1; free && j < time.length && time[j] - time[i] < APART_S; j++) if (chosen[j]) free = false;
    if (!free) continue;
    chosen[i] = 1;
    taken.push(i);
  }
  return taken.sort((a, b) => a - b);
}
