/** Hits as markers: rows of comma separated values, label text (start, end, name by tabs), and a WAV's own cue chunk with labels. */
export interface Marker {
  readonly frame: number;
  readonly label: string;
}

const quoted = (s: string) => (/[",\n]/.test(s) ? `"${s.replaceAll('"', '""')}"` : s);

export function markersCsv(rows: readonly { drum: string; frame: number; strength: number; certainty: number }[], rate: number): string {
  return ['drum,time_s,frame,strength,certainty', ...rows.map((r) => [quoted(r.drum), (r.frame / rate).toFixed(6), r.frame, r.strength.toFixed(4), r.certainty.toFixed(4)].join(','))].join('\n').concat('\n');
}

/** One line a marker: start and end in seconds and the label, with tabs between. */
export const labelText = (markers: readonly Marker[], rate: number): string => markers.map((m) => `${(m.frame / rate).toFixed(6)}\t${(m.frame / rate).toFixed(6)}\t${m.label}\n`).join('');

/** A "cue " chunk and a LIST chunk of labels (RIFF/WAVE, Multimedia Programming Interface 1.0), to stand among a file's other chunks. */
export function cueChunks(markers: readonly Marker[]): Uint8Array {
  const encoder = new TextEncoder();
  const labels = markers.map((m) => encoder.encode(`${m.label}\0`));
  const cueSize = 4 + 24 * markers.length;
  const listSize = 4 + labels.reduce((n, l) => n + 12 + l.length + (l.length & 1), 0);
  const out = new Uint8Array(8 + cueSize + 8 + listSize);
  const v = new DataView(out.buffer);
  let at = 0;
  const text = (s: string) => {
    for (let i = 0; i < 4; i++) out[at++] = s.charCodeAt(i);
  };
  const u32 = (n: number) => {
    v.setUint32(at, n, true);
    at += 4;
  };
  text('cue ');
  u32(cueSize);
  u32(markers.length);
  markers.forEach((m, i) => {
    u32(i + 1);
    u32(m.frame);
    text('data');
    u32(0);
    u32(0);
    u32(m.frame);
  });
  text('LIST');
  u32(listSize);
  text('adtl');
  labels.forEach((l, i) => {
    text('labl');
    u32(4 + l.length);
    u32(i + 1);
    out.set(l, at);
    at += l.length + (l.length & 1);
  });
  return out;
}
