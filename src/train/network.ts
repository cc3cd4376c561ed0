/** Trains the small networks of core/hits/classify: log loss, Adam, weight decay, several starts averaged into one wider network. */
import { createGaussian, createRng } from '../core/dsp/rng';
import type { Network } from '../core/hits/classify';

export interface Examples {
  x: Float64Array;
  y: Float64Array;
  inputs: number;
}

/** Weights are kept to five digits. */
const five = (x: number): number => Number(x.toPrecision(5));

export function train(e: Examples, o: { hidden: number; epochs: number; seed: number; decay: number; rate?: number }): Network {
  const { inputs } = e;
  const n = e.y.length;
  const gauss = createGaussian(createRng(o.seed));
  const uniform = createRng(o.seed + 1);
  const mean = new Float64Array(inputs);
  const scale = new Float64Array(inputs);
  for (let r = 0; r < n; r++) for (let i = 0; i < inputs; i++) mean[i] += e.x[r * inputs + i] / n;
  for (let r = 0; r < n; r++) for (let i = 0; i < inputs; i++) scale[i] += (e.x[r * inputs + i] - mean[i]) ** 2 / n;
  for (let i = 0; i < inputs; i++) scale[i] = Math.sqrt(scale[i]) + 1e-3;
  const z = new Float64Array(n * inputs);
  for (let r = 0; r < n; r++) for (let i = 0; i < inputs; i++) z[r * inputs + i] = Math.min(6, Math.max(-6, (e.x[r * inputs + i] - mean[i]) / scale[i]));
  const H = o.hidden;
  const size = H * inputs + 2 * H + 1;
  const w = new Float64Array(size);
  for (let k = 0; k < H * inputs; k++) w[k] = gauss() / Math.sqrt(inputs);
  for (let h = 0; h < H; h++) w[H * inputs + H + h] = (0.5 * gauss()) / Math.sqrt(H);
  const [m, v, g] = [new Float64Array(size), new Float64Array(size), new Float64Array(size)];
  const order = Int32Array.from({ length: n }, (_, i) => i);
  const batch = 256;
  const act = new Float64Array(H);
  let step = 0;
  for (let epoch = 0; epoch < o.epochs; epoch++) {
    for (let i = n - 1; i > 0; i--) {
      const j = Math.floor(uniform() * (i + 1));
      [order[i], order[j]] = [order[j], order[i]];
    }
    const rate = (o.rate ?? 0.004) * 0.5 * (1 + Math.cos((Math.PI * epoch) / o.epochs)) + 1e-5;
    for (let from = 0; from < n; from += batch) {
      const to = Math.min(n, from + batch);
      g.fill(0);
      for (let k = from; k < to; k++) {
        const at = order[k] * inputs;
        let out = w[size - 1];
        for (let h = 0; h < H; h++) {
          let a = w[H * inputs + h];
          for (let i = 0; i < inputs; i++) a += w[h * inputs + i] * z[at + i];
          act[h] = Math.tanh(a);
          out += w[H * inputs + H + h] * act[h];
        }
        const d = (1 / (1 + Math.exp(-out)) - e.y[order[k]]) / (to - from);
        g[size - 1] += d;
        for (let h = 0; h < H; h++) {
          g[H * inputs + H + h] += d * act[h];
          const b = d * w[H * inputs + H + h] * (1 - act[h] * act[h]);
          g[H * inputs + h] += b;
          for (let i = 0; i < inputs; i++) g[h * inputs + i] += b * z[at + i];
        }
      }
      step++;
      for (let k = 0; k < size; k++) {
        m[k] = 0.9 * m[k] + 0.1 * g[k];
        v[k] = 0.999 * v[k] + 0.001 * g[k] * g[k];
        const decay = k < H * inputs ? o.decay : 0;
        w[k] -= rate * (m[k] / (1 - 0.9 ** step) / (Math.sqrt(v[k] / (1 - 0.999 ** step)) + 1e-8) + decay * w[k]);
      }
    }
  }
  return {
    inputs, hidden: H, mean: Array.from(mean, five), scale: Array.from(scale, five), w1: Array.from(w.subarray(0, H * inputs), five), b1: Array.from(w.subarray(H * inputs, H * inputs + H), five),
    w2: Array.from(w.subarray(H * inputs + H, size - 1), five), b2: five(w[size - 1]),
  };
}

/** `net` as it would be with the means and scales of `like`: the same outputs for inputs that neither clips. */
export function inScaleOf(like: Network, net: Network): Network {
  const { inputs, hidden } = net;
  if (like.inputs !== inputs) throw new RangeError(`networks of ${like.inputs} and ${inputs} inputs cannot be one`);
  const at = (h: number, i: number) => net.w1[h * inputs + i] / net.scale[i];
  return {
    ...net, mean: like.mean, scale: like.scale,
    w1: net.w1.map((_, k) => five(at(Math.floor(k / inputs), k % inputs) * like.scale[k % inputs])),
    b1: Array.from({ length: hidden }, (_, h) => five(net.b1[h] + like.mean.reduce((sum, m, i) => sum + at(h, i) * (m - net.mean[i]), 0))),
  };
}

/** Several networks of the same means and scales as one: the mean of their outputs before the last squashing. */
export function average(list: readonly Network[]): Network {
  const k = list.length;
  return {
    ...list[0], hidden: list.reduce((n, x) => n + x.hidden, 0), w1: list.flatMap((x) => x.w1), b1: list.flatMap((x) => x.b1), w2: list.flatMap((x) => x.w2.map((v) => Number((v / k).toPrecision(5)))),
    b2: list.reduce((s, x) => s + x.b2 / k, 0),
  };
}

/** Rows and labels of sets as one; what is labelled neither is left out. */
export function examplesOf(sets: readonly { readonly count: number; readonly features: Float32Array; readonly label: readonly number[] }[]): Examples {
  const rows = sets.reduce((n, s) => n + s.label.filter((v) => v >= 0).length, 0);
  const inputs = sets[0].count;
  const x = new Float64Array(rows * inputs);
  const y = new Float64Array(rows);
  let at = 0;
  for (const s of sets) {
    s.label.forEach((v, i) => {
      if (v < 0) return;
      y[at] = v;
      x.set(s.features.subarray(i * inputs, (i + 1) * inputs), at++ * inputs);
    });
  }
  return { x, y, inputs };
}
