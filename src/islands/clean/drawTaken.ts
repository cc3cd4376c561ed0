/** Level taken over time: hangs from the top, 60 dB and more fill the lane. */
import type { Palette } from './usePalette';

const DEPTH_DB = 60;

export function drawTaken(canvas: HTMLCanvasElement, dpr: number, gain: Float32Array | null, width: number, palette: Palette): void {
  const h = Math.max(1, Math.round(canvas.clientHeight * dpr));
  canvas.width = width;
  canvas.height = h;
  const g = canvas.getContext('2d');
  if (!g || !gain) return;
  g.fillStyle = palette.css.handSoft;
  for (let x = 0; x < width; x++) {
    // the deepest of the column, so that short dips are seen
    const db = -20 * Math.log10(Math.max(1e-4, gain[2 * x]));
    g.fillRect(x, 0, 1, (Math.min(DEPTH_DB, db) / DEPTH_DB) * h);
  }
}
