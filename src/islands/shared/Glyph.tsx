/** A drum or mic by its glyph; colour only helps. Always stands beside a name, so it is hidden from screen readers. */
import type { JSX } from 'react';

const RING = (
  <>
    <circle cx="8" cy="8" r="6" />
    <circle cx="8" cy="8" r="1.6" fill="currentColor" />
  </>
);
const BOX = (
  <>
    <rect x="2" y="4.5" width="12" height="7.5" rx="1" />
    <path d="M5 8.2h6" />
  </>
);
/** Of two bass drums or snares the second is narrow, as its hits are drawn. */
const SECONDS: Record<string, JSX.Element> = {
  kick: (
    <>
      <ellipse cx="8" cy="8" rx="4" ry="6" />
      <circle cx="8" cy="8" r="1.6" fill="currentColor" />
    </>
  ),
  snare: (
    <>
      <rect x="4.2" y="2" width="7.6" height="12" rx="1" />
      <path d="M6.4 8h3.2" />
    </>
  ),
};
const BOWS = <path d="M2 6.5q6-4 12 0M2 10q6 4 12 0" />;
const STAR = <path d="M8 2v12M2.8 5l10.4 6M13.2 5L2.8 11" />;
const SHAPES: Record<string, { color: string; shape: JSX.Element }> = {
  kick: { color: 'text-kick', shape: RING },
  snare: { color: 'text-snare', shape: BOX },
  hat: { color: 'text-cymbal', shape: BOWS },
  ride: { color: 'text-cymbal', shape: <path d="M2 11.5q6-9 12 0" /> },
  crash: { color: 'text-cymbal', shape: STAR },
  overhead: { color: 'text-other', shape: <path d="M2.5 11L8 5l5.5 6" /> },
  room: { color: 'text-other', shape: <rect x="3" y="3" width="10" height="10" strokeDasharray="2.4 2" /> },
  other: { color: 'text-other', shape: <circle cx="8" cy="8" r="5" strokeDasharray="2.4 2" /> },
};
/** Toms by size and pitch: the first an open triangle upward, then filled ones and downward. */
const TOMS = [
  <path key="1" d="M8 3l5.5 10h-11z" />,
  <path key="2" d="M8 13L2.5 3h11z" fill="currentColor" />,
  <path key="3" d="M8 3l5.5 10h-11z" fill="currentColor" />,
  <path key="4" d="M8 13L2.5 3h11z" />,
];

export function Glyph({ role, size = 18 }: { role: string; size?: number }) {
  const tom = /^tom-(\d)/.exec(role);
  const family = role.replace(/-.*$/, '');
  const known = SHAPES[family] ?? SHAPES.other;
  const second = /^[a-z]+-2\b/.test(role) ? SECONDS[family] : undefined;
  const { color, shape } = tom ? { color: 'text-tom', shape: TOMS[(Number(tom[1]) - 1) % TOMS.length] } : { color: known.color, shape: second ?? known.shape };
  return (
    <svg aria-hidden="true" viewBox="0 0 16 16" width={size} height={size} fill="none" stroke="currentColor" strokeWidth="1.6" strokeLinejoin="round" strokeLinecap="round" className={`${color} shrink-0`}>
      {shape}
    </svg>
  );
}
