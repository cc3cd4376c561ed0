/** State that stays when its panel goes, as long as the page is open: what was folded, sorted by or chosen for delivery is there when one comes back. */
import { useCallback } from 'react';
import { create } from 'zustand';

const useAll = create<Readonly<Record<string, unknown>>>(() => ({}));

/** As React's useState; `key` names it among all of the page. */
export function useKept<T>(key: string, initial: T): [T, (next: T | ((now: T) => T)) => void] {
  const value = useAll((all) => (key in all ? (all[key] as T) : initial));
  // `initial` may be a new object each time: it only counts as long as nothing is kept
  const put = useCallback(
    (next: T | ((now: T) => T)) => useAll.setState((all) => ({ [key]: typeof next === 'function' ? (next as (now: T) => T)(key in all ? (all[key] as T) : initial) : next })),
    [key, initial],
  );
  return [value, put];
}
