/** Zooming and scrolling of the view: pure moves on [from, to) frames, kept inside the song. */
import type { View } from '../workbench/store';

/** Closest zoom: this many frames over the whole width. */
export const MIN_FRAMES = 48;

function inside(v: View, frames: number): View {
  const length = Math.min(frames, Math.max(MIN_FRAMES, v.to - v.from));
  const from = Math.min(Math.max(0, v.from), frames - length);
  return { from, to: from + length };
}

/** Zooms by `factor` (over 1: more is seen) keeping the frame at share `at` (0..1) of the width where it is. */
export function zoomView(v: View, factor: number, at: number, frames: number): View {
  const length = Math.min(frames, Math.max(MIN_FRAMES, (v.to - v.from) * factor));
  const anchor = v.from + (v.to - v.from) * at;
  return inside({ from: anchor - length * at, to: anchor + length * (1 - at) }, frames);
}

/** Scrolls by a number of frames. */
export const scrollView = (v: View, by: number, frames: number): View => inside({ from: v.from + by, to: v.to + by }, frames);

/** A stretch with some room around it. */
export const fitView = (from: number, to: number, frames: number): View => inside({ from: from - (to - from) * 0.06, to: to + (to - from) * 0.06 }, frames);
