/** Shapes of drums on a canvas, the same as the glyphs beside names: told apart by form, not by colour alone. */
export type HitColors = Record<'kick' | 'snare' | 'tom' | 'cymbal' | 'ink' | 'ink2' | 'line' | 'hand' | 'doubt' | 'sheet' | 'raw' | 'soft', string>;

export function readColors(): HitColors {
  const style = getComputedStyle(document.documentElement);
  const v = (n: string) => style.getPropertyValue(n).trim();
  return { kick: v('--kick'), snare: v('--snare'), tom: v('--tom'), cymbal: v('--cymbal'), ink: v('--ink'), ink2: v('--ink2'), line: v('--line'), hand: v('--hand'), doubt: v('--doubt'), sheet: v('--sheet'), raw: v('--raw'), soft: v('--soft') };
}

export const colorOf = (drum: string, c: HitColors): string => (drum.startsWith('tom') ? c.tom : drum === 'kick' ? c.kick : drum === 'snare' ? c.snare : c.cymbal);

/** One hit at (x, y), `r` its radius. Hollow where it is in doubt, crossed out where it does not count. */
export function drawHit(g: CanvasRenderingContext2D, drum: string, x: number, y: number, r: number, color: string, look: 'sure' | 'doubt' | 'out', paper: string): void {
  g.beginPath();
  const tom = /^tom-(\d)/.exec(drum);
  if (tom) {
    const up = Number(tom[1]) % 2 === 1 ? -1 : 1;
    g.moveTo(x, y + up * r);
    g.lineTo(x + r, y - up * r * 0.8);
    g.lineTo(x - r, y - up * r * 0.8);
    g.closePath();
  } else if (drum === 'snare') g.rect(x - r, y - r * 0.7, 2 * r, 1.4 * r);
  else if (drum === 'hat') g.rect(x - Math.max(1, r * 0.3), y - r, Math.max(2, r * 0.6), 2 * r);
  else if (drum === 'crash') {
    for (let k = 0; k < 3; k++) {
      const a = (k * Math.PI) / 3;
      g.moveTo(x - r * Math.cos(a), y - r * Math.sin(a));
      g.lineTo(x + r * Math.cos(a), y + r * Math.sin(a));
    }
  } else if (drum === 'ride') g.arc(x, y + r * 0.5, r, Math.PI, 2 * Math.PI);
  else g.arc(x, y, r, 0, 2 * Math.PI);
  g.strokeStyle = color;
  g.lineWidth = look === 'sure' ? 1 : 1.4;
  if (look === 'out') g.globalAlpha = 0.45;
  const open = drum === 'crash' || drum === 'ride';
  if (!open) {
    g.fillStyle = look === 'sure' ? color : paper;
    g.fill();
  }
  if (open && look === 'sure') g.lineWidth = 2.2;
  g.stroke();
  if (look === 'out') {
    g.beginPath();
    g.moveTo(x - r - 1, y + r + 1);
    g.lineTo(x + r + 1, y - r - 1);
    g.stroke();
    g.globalAlpha = 1;
  }
}
