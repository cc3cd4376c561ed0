/** The first of 0..n-1 for which `is` holds, n where none does; `is` must not turn false again once it is true (lists in order). Halves the range: log2(n) calls. */
export function firstIndex(n: number, is: (i: number) => boolean): number {
  let [lo, hi] = [0, n];
  while (lo < hi) {
    const mid = (lo + hi) >> 1;
    if (is(mid)) hi = mid;
    else lo = mid + 1;
  }
  return lo;
}

/** Moves values so that the one at `k` is what it would be were all in order, none before it larger and none after it smaller (C. A. R. Hoare, "Algorithm 65: Find", CACM 4(7), 1961). Takes time by their number. */
export function putInPlace(v: Float64Array, k: number): void {
  let [lo, hi] = [0, v.length - 1];
  while (lo < hi) {
    const pivot = v[k];
    let [i, j] = [lo, hi];
    while (i <= j) {
      while (v[i] < pivot) i++;
      while (v[j] > pivot) j--;
      if (i > j) break;
      const held = v[i];
      v[i++] = v[j];
      v[j--] = held;
    }
    if (j < k) lo = i;
    if (i > k) hi = j;
  }
}
