/** Rows of the tables of docs/hits.md and docs/debleed.md. */
import { type CleanScore, meanScore } from '../core/measure/scoreClean';

export const row = (cells: readonly string[]): string => `| ${cells.join(' | ')} |`;

/** A number as those tables have it: a proper minus, no zero before the point. */
export const plain = (v: number, digits: number): string => (Number(v.toFixed(digits)) === 0 ? '0' : v.toFixed(digits).replace('-', '−').replace(/^(−?)0\./, '$1.'));

export const CLEAN_HEAD = row(['', 'gap', 'tail spill', 'attack error', 'sustain error', 'SI-SDR gain', 'missed', 'soft recall', 'false opens']);

/** Means over mics. */
export function cleanRow(name: string, scores: readonly CleanScore[]): string {
  const m = meanScore(scores);
  return row([name, plain(m.gapSuppressionDb, 1), plain(m.tailSpillDb, 1), plain(m.attackErrorDb, 2), plain(m.sustainErrorDb, 2), plain(m.siSdrImprovementDb, 1), plain(m.missedStrokes, 2), plain(m.softRecall, 2), plain(m.falseOpensPerMinute, 1)]);
}

/** By its file's name, as made recordings are named. */
export const isTomMic = (file: string): boolean => /\btom\b/i.test(file);
