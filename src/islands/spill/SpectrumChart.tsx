/** By band: a drum in a mic against the mic's own drum. */
import { CategoryScale, Chart, LineController, LineElement, LinearScale, PointElement, Tooltip } from 'chart.js';
import { useEffect, useRef } from 'react';
import { usePalette } from '../clean/usePalette';

Chart.register(CategoryScale, LineController, LineElement, LinearScale, PointElement, Tooltip);

const hz = (v: number) => (v >= 1000 ? `${Number((v / 1000).toPrecision(2))} k` : String(Math.round(v)));

/** `lines`: levels by band in dB, null where a drum is not told; drawn against the loudest. `edges` in Hz. */
export function SpectrumChart({ lines, edges }: { lines: readonly { label: string; db: readonly (number | null)[] }[]; edges: readonly number[] }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const palette = usePalette();
  useEffect(() => {
    if (!canvas.current) return;
    const { ink, ink2, line, hand } = palette.css;
    const top = Math.max(...lines.flatMap((l) => l.db.filter((v) => v !== null)));
    const font = { family: 'IBM Plex Mono', size: 11 };
    const chart = new Chart(canvas.current, {
      type: 'line',
      data: {
        labels: edges.slice(0, -1).map((e, i) => `${hz(Math.sqrt(e * edges[i + 1]))}${i === 0 ? ' Hz' : ''}`),
        datasets: lines.map((l, i) => ({ label: l.label, data: l.db.map((v) => (v === null ? null : Math.max(-60, v - top))), borderColor: i === 0 ? ink : hand, borderDash: i === 0 ? [] : [5, 3], borderWidth: 1.75, pointRadius: 2, pointBackgroundColor: i === 0 ? ink : hand, tension: 0.25, clip: 6 })),
      },
      options: {
        animation: false,
        responsive: true,
        maintainAspectRatio: false,
        scales: {
          x: { grid: { display: false }, border: { color: ink2 }, ticks: { color: ink2, font } },
          y: { min: -60, max: 0, grid: { color: line }, border: { color: ink2 }, ticks: { stepSize: 20, color: ink2, font, callback: (v) => (v === 0 ? '0 dB' : `−${Math.abs(Number(v))}`) } },
        },
        plugins: { legend: { display: false }, tooltip: { displayColors: false, callbacks: { label: (c) => `${c.dataset.label}: ${(c.parsed.y ?? 0).toFixed(0)} dB` } } },
      },
    });
    return () => chart.destroy();
  }, [lines, edges, palette]);
  return <canvas ref={canvas} role="img" aria-label={`Spectrum of ${lines.map((l) => l.label).join(' and ')}`} />;
}
