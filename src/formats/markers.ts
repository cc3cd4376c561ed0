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

export interface Cut {
  readonly from: number;
  readonly to: number;
  readonly fadeIn: number;
  readonly fadeOut: number;
  readonly hits: number;
}

/** Stretches that are kept of mics, one row each: times in seconds, the first frame kept and the first one dropped after it. */
export function cutsCsv(mics: readonly { mic: string; cuts: readonly Cut[] }[], rate: number): string {
  const rows = mics.flatMap(({ mic, cuts }) => cuts.map((c) => [quoted(mic), (c.from / rate).toFixed(6), (c.to / rate).toFixed(6), c.from, c.to, (c.fadeIn / rate).toFixed(6), (c.fadeOut / rate).toFixed(6), c.hits].join(',')));
  return ['mic,start_s,end_s,start_frame,end_frame,fade_in_s,fade_out_s,hits', ...rows].join('\n').concat('\n');
}

/** One line a stretch: start and end in seconds and a label, with tabs between. */
export const cutLabels = (cuts: readonly Cut[], rate: number): string => cuts.map((c, i) => `${(c.from / rate).toFixed(6)}\t${(c.to / rate).toFixed(6)}\tslice ${i + 1}\n`).join('');

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
