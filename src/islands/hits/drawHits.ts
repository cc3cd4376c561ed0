/** Shapes of drums on a canvas, the same as the glyphs beside names: told apart by form, not by colour alone. */
export type HitColors = Record<'kick' | 'snare' | 'tom' | 'cymbal' | 'ink' | 'ink2' | 'line' | 'hand' | 'doubt' | 'sheet' | 'raw' | 'soft', string>;

export function readColors(): HitColors {
  const style = getComputedStyle(document.documentElement);
  const v = (n: string) => style.getPropertyValue(n).trim();
  return { kick: v('--kick'), snare: v('--snare'), tom: v('--tom'), cymbal: v('--cymbal'), ink: v('--ink'), ink2: v('--ink2'), line: v('--line'), hand: v('--hand'), doubt: v('--doubt'), sheet: v('--sheet'), raw: v('--raw'), soft: v('--soft') };
}

export const colorOf = (drum: string, c: HitColors): string => (drum.startsWith('tom') ? c.tom : drum.startsWith('kick') ? c.kick : drum.startsWith('snare') ? c.snare : c.cymbal);

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
  } else if (drum.startsWith('snare')) {
    // the second stands on end
    const [w, h] = drum === 'snare' ? [r, r * 0.7] : [r * 0.7, r];
    g.rect(x - w, y - h, 2 * w, 2 * h);
  }
  else if (drum === 'hat') g.rect(x - Math.max(1, r * 0.3), y - r, Math.max(2, r * 0.6), 2 * r);
  else if (drum === 'crash') {
    for (let k = 0; k < 3; k++) {
      const a = (k * Math.PI) / 3;
      g.moveTo(x - r * Math.cos(a), y - r * Math.sin(a));
      g.lineTo(x + r * Math.cos(a), y + r * Math.sin(a));
    }
  } else if (drum === 'ride') g.arc(x, y + r * 0.5, r, Math.PI, 2 * Math.PI);
  else if (drum === 'kick-2') g.ellipse(x, y, r * 0.6, r, 0, 0, 2 * Math.PI);
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

interface Sprite {
  readonly size: number;
  readonly data: Uint32Array;
}
const sprites = new Map<string, Sprite>();
const MOST_SPRITES = 2000;

function spriteOf(dpr: number, drum: string, r: number, color: string, look: 'sure' | 'doubt' | 'out', paper: string): Sprite {
  const name = `${drum}/${r}/${color}/${look}/${paper}/${dpr}`;
  const known = sprites.get(name);
  if (known) return known;
  if (sprites.size >= MOST_SPRITES) sprites.clear();
  const size = 2 * Math.ceil((r + 3) * dpr);
  const c = new OffscreenCanvas(size, size).getContext('2d') as unknown as CanvasRenderingContext2D;
  c.scale(dpr, dpr);
  drawHit(c, drum, size / 2 / dpr, size / 2 / dpr, r, color, look, paper);
  const made = { size, data: new Uint32Array(c.getImageData(0, 0, size, size).data.buffer) };
  sprites.set(name, made);
  return made;
}

/** `top` over `under`, both 0xAABBGGRR, not premultiplied. */
function over(top: number, under: number): number {
  const a = top >>> 24;
  const b = ((under >>> 24) * (255 - a)) / 255;
  const all = a + b;
  let out = Math.round(all) << 24;
  for (let shift = 0; shift < 24; shift += 8) out |= Math.round((((top >>> shift) & 255) * a + ((under >>> shift) & 255) * b) / all) << shift;
  return out >>> 0;
}

/**
 * Hits as pixels: a layer to stamp thousands of them on, each shape drawn once, and one copy onto the canvas. As paths 5,000 hits cost 49 ms a frame where the browser draws in
 * software.
 */
export function createStamps(width: number, height: number, dpr: number): { stamp(drum: string, x: number, y: number, radius: number, color: string, look: 'sure' | 'doubt' | 'out', paper: string): void; putOn(g: CanvasRenderingContext2D): void } {
  const image = new ImageData(Math.max(1, width), Math.max(1, height));
  const pixels = new Uint32Array(image.data.buffer);
  return {
    stamp(drum, x, y, radius, color, look, paper) {
      const { size, data } = spriteOf(dpr, drum, Math.max(1, Math.round(radius * 2) / 2), color, look, paper);
      const [x0, y0] = [Math.round(x * dpr) - size / 2, Math.round(y * dpr) - size / 2];
      for (let v = Math.max(0, -y0); v < Math.min(size, height - y0); v++) {
        for (let u = Math.max(0, -x0); u < Math.min(size, width - x0); u++) {
          const top = data[v * size + u];
          if (top >>> 24 === 0) continue;
          const at = (y0 + v) * width + x0 + u;
          pixels[at] = top >>> 24 === 255 || pixels[at] === 0 ? top : over(top, pixels[at]);
        }
      }
    },
    putOn(g) {
      const layer = new OffscreenCanvas(image.width, image.height);
      layer.getContext('2d')?.putImageData(image, 0, 0);
      g.drawImage(layer, 0, 0);
    },
  };
}
