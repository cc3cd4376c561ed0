/** The gate's in/out curve: closed and, where it differs, open; the straight line is "untouched". */
import { Chart, LineController, LineElement, LinearScale, PointElement, Tooltip } from 'chart.js';
import { useEffect, useRef } from 'react';
import { gateCurveDb } from '../../core/clean/gateCurve';
import type { GateSettings } from '../../core/params/gateParams';
import { usePalette } from './usePalette';

Chart.register(LineController, LineElement, LinearScale, PointElement, Tooltip);

const FROM = -80;

function points(gate: GateSettings, open: boolean): { x: number; y: number }[] {
  const out: { x: number; y: number }[] = [];
  for (let x = FROM; x <= 0; x += 0.25) out.push({ x, y: Math.max(FROM - 20, gateCurveDb(gate, x, open)) });
  return out;
}

export function CurveChart({ gate }: { gate: GateSettings }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const chart = useRef<Chart<'line', { x: number; y: number }[]> | null>(null);
  const palette = usePalette();

  useEffect(() => {
    if (!canvas.current) return;
    const { ink, ink2, line, hand } = palette.css;
    const axis = () => ({
      type: 'linear' as const,
      min: FROM,
      max: 0,
      grid: { color: line },
      border: { color: ink2 },
      ticks: { stepSize: 20, color: ink2, font: { family: 'IBM Plex Mono', size: 11 }, callback: (v: string | number) => (v === 0 ? '0' : `−${Math.abs(Number(v))}`) },
    });
    const thin = { pointRadius: 0, pointHitRadius: 6, borderWidth: 1.75, animation: false as const };
    chart.current = new Chart(canvas.current, {
      type: 'line',
      data: {
        datasets: [
          { label: 'untouched', data: [{ x: FROM, y: FROM }, { x: 0, y: 0 }], ...thin, borderColor: line, borderWidth: 1 },
          { label: 'while open', data: [], ...thin, borderColor: hand, borderDash: [4, 3] },
          { label: 'while closed', data: [], ...thin, borderColor: ink },
        ],
      },
      options: {
        animation: false,
        responsive: true,
        maintainAspectRatio: false,
        parsing: false,
        normalized: true,
        layout: { padding: { right: 6, top: 4 } },
        scales: { x: axis(), y: axis() },
        plugins: {
          legend: { display: false },
          tooltip: { mode: 'nearest', intersect: false, displayColors: false, callbacks: { title: () => '', label: (c) => `${c.dataset.label}: ${(c.parsed.x ?? 0).toFixed(0)} in, ${(c.parsed.y ?? 0).toFixed(1)} out` } },
        },
      },
    });
    return () => chart.current?.destroy();
  }, [palette]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: a new palette makes a new chart, which needs its lines again
  useEffect(() => {
    const c = chart.current;
    if (!c) return;
    c.data.datasets[1].data = gate.hysteresisDb > 0 ? points(gate, true) : [];
    c.data.datasets[2].data = points(gate, false);
    c.update('none');
  }, [gate, palette]);

  return (
    <div className="relative h-[82px]">
      <canvas ref={canvas} role="img" aria-label={`In and out curve: opens at ${gate.thresholdDb} dB, closes at ${gate.thresholdDb - gate.hysteresisDb} dB`} />
    </div>
  );
}
