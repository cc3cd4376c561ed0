/** The spectrogram of the focused mic over the waveform's place and time: before, after or removed, as it is listened to. */
import { useEffect, useRef, useState } from 'react';
import { SPECTRUM_FLOOR_DB, SPECTRUM_HZ, rowOfHz } from '../../core/dsp/spectrogram';
import { askSpectrum } from '../workbench/engine';
import { focusedMic, useBench } from '../workbench/store';
import { abgr } from './drawWave';
import { usePalette } from './usePalette';
import { useSize } from './useSize';

const MARKS_HZ = [50, 100, 200, 500, 1000, 2000, 5000, 10000];
/** A move of the view is followed once it has rested for so long, ms. */
const REST_MS = 30;
const WORDS = { before: 'Before: as it came', after: 'After: what is kept', removed: 'Removed: what is taken' } as const;

/** 256 colours from the sheet to the ink; loud ones turn to the hand's colour. */
function colours(sheet: string, ink: string, hot: string): Uint32Array {
  const parts = (c: string) => [0, 8, 16].map((s) => (abgr(c) >> s) & 255);
  const stops = [parts(sheet), parts(ink), parts(hot)];
  return Uint32Array.from({ length: 256 }, (_, v) => {
    const at = (v / 255) ** 1.3 * 2;
    const [a, b] = at < 1.4 ? [stops[0], stops[1]] : [stops[1], stops[2]];
    const f = at < 1.4 ? at / 1.4 : (at - 1.4) / 0.6;
    const [r, g, bl] = a.map((x, i) => Math.round(x + f * (b[i] - x)));
    return ((255 << 24) | (bl << 16) | (g << 8) | r) >>> 0;
  });
}

/** Labels of the frequency scale, in the place of the level scale. */
export function SpectrumScale({ height }: { height: number }) {
  return MARKS_HZ.map((hz) => (
    <span key={hz} className="num absolute left-1.5 -translate-y-1/2 text-xs" style={{ top: Math.min(height - 8, Math.max(8, height * (1 - rowOfHz(hz, 1)))) }}>
      {hz >= 1000 ? `${hz / 1000} kHz` : `${hz} Hz`}
    </span>
  ));
}

/** What its colours mean. */
export function SpectrumLegend() {
  const palette = usePalette();
  const table = colours(palette.css.sheet, palette.css.ink, palette.css.hand);
  const css = (v: number) => `rgb(${table[v] & 255} ${(table[v] >> 8) & 255} ${(table[v] >> 16) & 255})`;
  return (
    <span className="mr-4 inline-flex items-center gap-1.5 whitespace-nowrap">
      <span className="num">−{-SPECTRUM_FLOOR_DB}</span>
      <i aria-hidden="true" className="inline-block h-2.5 w-28 border border-line" style={{ background: `linear-gradient(90deg, ${[0, 64, 128, 178, 216, 255].map((v) => `${css(v)} ${Math.round(v / 2.55)}%`).join(', ')})` }} />
      <span className="num">0 dBFS</span>
    </span>
  );
}

export function SpectrumLayer() {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const { width, height } = useSize(box);
  const view = useBench((s) => s.view);
  const listen = useBench((s) => s.listen);
  const focus = useBench((s) => s.focus);
  const mic = useBench(focusedMic);
  const turn = useBench((s) => (s.preview?.micId === s.focus ? s.preview.turn : null));
  const palette = usePalette();
  const [picture, setPicture] = useState<{ levels: Uint8Array; columns: number; rows: number } | null>(null);

  useEffect(() => {
    if (turn === null || width < 8 || height < 8 || !focus) return;
    let gone = false;
    const [columns, rows] = [Math.round(width), Math.round(height)];
    const wait = setTimeout(() => {
      void askSpectrum(listen, view.from, view.to, columns, rows).then(({ levels }) => {
        if (!gone && levels) setPicture({ levels, columns, rows });
      });
    }, REST_MS);
    return () => {
      gone = true;
      clearTimeout(wait);
    };
  }, [turn, listen, focus, view, width, height]);

  useEffect(() => {
    const g = canvas.current?.getContext('2d');
    if (!g || !canvas.current || !picture) return;
    const { levels, columns, rows } = picture;
    canvas.current.width = columns;
    canvas.current.height = rows;
    const image = g.createImageData(columns, rows);
    const pixels = new Uint32Array(image.data.buffer);
    const table = colours(palette.css.sheet, palette.css.ink, palette.css.hand);
    for (let c = 0; c < columns; c++) for (let r = 0; r < rows; r++) pixels[(rows - 1 - r) * columns + c] = table[levels[c * rows + r]];
    g.putImageData(image, 0, 0);
    g.fillStyle = palette.css.ink2;
    g.globalAlpha = 0.18;
    for (const hz of MARKS_HZ) g.fillRect(0, Math.round(rows - rowOfHz(hz, rows)), columns, 1);
  }, [picture, palette]);

  return (
    <div ref={box} className="pointer-events-none absolute inset-0 bg-sheet">
      <canvas ref={canvas} className="absolute inset-0 h-full w-full" role="img" aria-label={`Spectrogram of ${mic?.name ?? 'the mic'}, ${listen}, ${SPECTRUM_HZ.from} Hz to ${SPECTRUM_HZ.to / 1000} kHz`} />
      <span className="absolute bottom-1 right-1.5 z-10 rounded-[5px] bg-sheet px-1.5 py-0.5 text-xs text-ink2">{turn === null ? 'reading the mic' : WORDS[listen]}</span>
    </div>
  );
}
