/**
 * Every hit of the focused mic as a small picture, lined up at the attack, so that a shaved attack, a short tail or a spill slice stands out among its neighbours. Sorted as
 * asked; a click chooses the slice on the waveform too and goes there. Only what is in view is drawn.
 */
import { useEffect, useMemo, useRef, useState } from 'react';
import { counted } from '../../core/params/format';
import { FLAG_WORDS } from '../../core/clean/sliceFlags';
import { fadeGain } from '../../core/clean/fades';
import { foreignHits } from '../../core/plan/live';
import type { Plan } from '../../core/plan/plan';
import { roleOf } from '../../core/plan/roles';
import { Segments } from '../shared/Segments';
import { PEAK_BASE } from '../../core/dsp/peaks';
import { formatTime, signed } from '../shared/time';
import { useKept } from '../shared/kept';
import { askTiles, goTo } from '../workbench/engine';
import { useBench } from '../workbench/store';
import { heightOf } from './scale';
import { bringBackHits, pickSlice, type Tile, tilesOf } from './sliceState';
import { usePalette } from './usePalette';
import { useSize } from './useSize';
import { scrollView } from './viewMoves';

const WIDTH = 116;
const GAP = 6;
const HEIGHT = 92;
const COLUMNS = 110;
const BEFORE_S = 0.04;
const AFTER_S = 0.66;

type Sort = 'time' | 'strength' | 'doubt' | 'flags' | 'tail';

/** A level, dBFS; silence where nothing is left. */
const level = (db: number) => (db < -99 ? '−∞' : signed(db));

const attackWords = (l: readonly [number, number] | undefined) => (l ? `, attack ${level(l[0])} before, ${level(l[1])} dBFS after` : '');

function sorted(tiles: readonly Tile[], sort: Sort): Tile[] {
  const tail = (t: Tile) => (t.slice ? t.slice.to - t.hit.frame : -1);
  const by: Record<Sort, (a: Tile, b: Tile) => number> = {
    time: () => 0, strength: (a, b) => a.hit.strength - b.hit.strength, doubt: (a, b) => a.certainty - b.certainty, flags: (a, b) => b.flags.length - a.flags.length, tail: (a, b) => tail(a) - tail(b),
  };
  return [...tiles].sort((a, b) => by[sort](a, b) || a.hit.frame - b.hit.frame);
}

export function Tiles() {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const plan = useBench((s) => s.plan) as Plan;
  const focus = useBench((s) => s.focus);
  const picked = useBench((s) => s.slices);
  const ready = useBench((s) => s.preview?.micId === s.focus);
  const attacks = useBench((s) => (s.preview?.micId === s.focus ? s.preview.attacks : null));
  const levels = useMemo(() => new Map(attacks?.hits.map((f, i) => [f, [attacks.levels[2 * i], attacks.levels[2 * i + 1]] as const])), [attacks]);
  // without slices a tile shows what the gate lets through
  const cut = plan.mics[focus].treatment.slices.on;
  const gains = useBench((s) => (!cut && s.preview?.micId === s.focus ? s.preview.gain[0] : null));
  const { width, dpr } = useSize(box);
  const palette = usePalette();
  const [sort, setSort] = useKept<Sort>('tiles.sort', 'flags');
  const [scroll, setScroll] = useState(0);
  const [pictures, setPictures] = useState<{ frames: string; peaks: Map<number, Float32Array> }>({ frames: '', peaks: new Map() });
  const tiles = useMemo(() => sorted(tilesOf(plan, focus), sort), [plan, focus, sort]);
  const rate = plan.sampleRate;
  const foreign = useMemo(() => foreignHits(plan, roleOf(plan.mics[focus].role).drum ?? ''), [plan, focus]);
  const frames = useMemo(() => `${focus}:${tiles.map((t) => t.hit.frame).sort((a, b) => a - b).join(' ')}`, [focus, tiles]);

  useEffect(() => {
    if (!ready) return;
    let gone = false;
    const list = frames.slice(frames.indexOf(':') + 1).split(' ').filter(Boolean).map(Number);
    void askTiles(list, Math.round(BEFORE_S * rate), Math.round(AFTER_S * rate), COLUMNS).then((r) => {
      if (!gone) setPictures({ frames, peaks: new Map(list.map((f, i) => [f, r.peaks.subarray(2 * i * COLUMNS, 2 * (i + 1) * COLUMNS)])) });
    });
    return () => {
      gone = true;
    };
  }, [frames, ready, rate]);

  const first = Math.max(0, Math.floor(scroll / (WIDTH + GAP)) - 1);
  const shown = tiles.slice(first, first + Math.ceil(width / (WIDTH + GAP)) + 3);

  useEffect(() => {
    const el = canvas.current;
    if (!el || width < 2) return;
    el.width = Math.round(width * dpr);
    el.height = Math.round(HEIGHT * dpr);
    const g = el.getContext('2d');
    if (!g) return;
    g.scale(dpr, dpr);
    g.font = '10.5px "IBM Plex Mono", monospace';
    const perColumn = ((BEFORE_S + AFTER_S) * rate) / COLUMNS;
    const c = palette.css;
    shown.forEach((t, k) => {
      const x0 = (first + k) * (WIDTH + GAP) - scroll;
      const on = t.slice !== null && picked.has(t.slice.id);
      g.fillStyle = c.sheet;
      g.fillRect(x0, 0, WIDTH, HEIGHT);
      const peaks = pictures.frames === frames ? pictures.peaks.get(t.hit.frame) : undefined;
      const mid = 40;
      const draw = (x: number, lo: number, hi: number, color: string) => {
        g.fillStyle = color;
        const [top, bottom] = [mid - heightOf('lifted', Math.max(0, hi)) * (mid - 4), mid + heightOf('lifted', Math.max(0, -lo)) * (mid - 4)];
        g.fillRect(x, top, 1, Math.max(1, bottom - top));
      };
      for (let i = 0; peaks && i < COLUMNS; i++) {
        const f = t.hit.frame - BEFORE_S * rate + (i + 0.5) * perColumn;
        const s = t.slice;
        const gain = !cut ? (gains?.[2 * Math.floor(Math.max(0, f) / PEAK_BASE) + 1] ?? 1) : !s || f < s.from || f >= s.to ? 0 : Math.min(s.fadeIn && f < s.from + s.fadeIn ? fadeGain(s.fadeInCurve, (f - s.from) / s.fadeIn) : 1, s.fadeOut && f > s.to - s.fadeOut ? fadeGain(s.fadeOutCurve, (s.to - f) / s.fadeOut) : 1);
        const x = x0 + 3 + i;
        draw(x, peaks[2 * i], peaks[2 * i + 1], c.raw);
        if (gain > 0) draw(x, peaks[2 * i] * gain, peaks[2 * i + 1] * gain, c.ink);
      }
      // what others do inside, and the attack
      g.fillStyle = c.doubt;
      for (const f of foreign) {
        const x = (f - t.hit.frame + BEFORE_S * rate) / perColumn;
        if (x >= 0 && x < COLUMNS) {
          g.beginPath();
          g.moveTo(x0 + 3 + x - 3, 78);
          g.lineTo(x0 + 3 + x + 3, 78);
          g.lineTo(x0 + 3 + x, 73);
          g.fill();
        }
      }
      g.strokeStyle = c.hand;
      g.lineWidth = 1;
      const attack = x0 + 3 + (BEFORE_S * rate) / perColumn;
      g.beginPath();
      g.moveTo(attack, 2);
      g.lineTo(attack, 78);
      g.stroke();
      g.fillStyle = c.ink2;
      g.fillText(`${formatTime(t.hit.frame / rate)}  ${Math.round(t.hit.strength * 100)} %${t.doubtful ? ' ?' : ''}`, x0 + 4, 88);
      const told = levels.get(t.hit.frame);
      if (told) g.fillText(`${level(told[0])}→${level(told[1])}`, x0 + 14, 11);
      if (t.flags.length) {
        g.fillStyle = c.doubt;
        g.fillText(`${t.flags.length} ⚑`, x0 + WIDTH - 26, 11);
      }
      if (cut && !t.slice) {
        g.strokeStyle = c.ink2;
        g.beginPath();
        g.moveTo(x0 + 6, 76);
        g.lineTo(x0 + WIDTH - 6, 6);
        g.stroke();
      }
      g.strokeStyle = on ? c.hand : c.line;
      g.lineWidth = on ? 2.5 : 1;
      g.strokeRect(x0 + 0.5, 0.5, WIDTH - 1, HEIGHT - 1);
    });
  }, [shown, first, scroll, width, dpr, palette, pictures, frames, picked, foreign, rate, levels, cut, gains]);

  const flagged = tiles.filter((t) => t.flags.length).length;
  const take = (t: Tile, add: boolean) => {
    if (t.slice) pickSlice(t.slice.id, add);
    goTo(t.hit.frame - 0.02 * rate);
    const { view } = useBench.getState();
    if (t.hit.frame < view.from || t.hit.frame > view.to) useBench.setState({ view: scrollView(view, t.hit.frame - (view.from + view.to) / 2, plan.frames) });
  };
  return (
    <section aria-label="Tiles" className="shrink-0">
      <header className="mb-1 flex h-6 items-center gap-2.5 text-sm">
        <b className="font-head">Tiles</b>
        <span className="num whitespace-nowrap text-ink2">
          {counted(tiles.length, 'hit')}, {flagged} flagged
        </span>
        <span className="truncate text-ink2" title="From before each attack to after it; on top the level of its first 10 ms before → after, dBFS; the small triangles are strokes of other drums">{shown.length > 0 && `−${Math.round(BEFORE_S * 1000)} to +${Math.round(AFTER_S * 1000)} ms; attack in dBFS`}</span>
        <span className="ml-auto text-ink2">First</span>
        <Segments
          small
          label="Order of tiles"
          value={sort}
          options={[{ value: 'flags', label: 'Flagged' }, { value: 'time', label: 'Earliest' }, { value: 'strength', label: 'Softest' }, { value: 'doubt', label: 'Least certain' }, { value: 'tail', label: 'Shortest' }]}
          onChange={setSort}
        />
      </header>
      <div ref={box} className="relative overflow-x-auto overflow-y-hidden" style={{ height: HEIGHT + 12 }} onScroll={(e) => setScroll(e.currentTarget.scrollLeft)} data-testid="tiles">
        <div style={{ width: tiles.length * (WIDTH + GAP), height: HEIGHT }}>
          <canvas ref={canvas} role="img" aria-label="Pictures of hits" className="pointer-events-none sticky left-0 block" style={{ width, height: HEIGHT }} />
          {shown.map((t, k) => (
            <button
              key={t.hit.id}
              type="button"
              className="absolute top-0"
              style={{ left: (first + k) * (WIDTH + GAP), width: WIDTH, height: HEIGHT }}
              aria-pressed={t.slice !== null && picked.has(t.slice.id)}
              aria-label={`Hit at ${formatTime(t.hit.frame / rate)}, ${Math.round(t.hit.strength * 100)} %${t.doubtful ? `, ${Math.round(t.certainty * 100)} % certain` : ''}${t.dropped ? ', dropped' : ''}${attackWords(levels.get(t.hit.frame))}${t.flags.length ? `, ${t.flags.map((f) => FLAG_WORDS[f]).join(', ')}` : ''}`}
              title={t.dropped ? 'Dropped: double-click brings it back' : t.flags.map((f) => (f === 'doubt' && t.doubtful ? `${FLAG_WORDS[f]}, ${Math.round(t.certainty * 100)} % certain` : FLAG_WORDS[f])).join('; ') || 'Click selects and goes there, Shift adds'}
              onClick={(e) => take(t, e.shiftKey)}
              onDoubleClick={() => t.dropped && bringBackHits([t.hit.id])}
            />
          ))}
        </div>
      </div>
    </section>
  );
}
