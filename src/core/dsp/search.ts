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
